"""The gate over the local network: whoever has not entered sees the door and nothing else."""

import secrets
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime, timedelta
from ipaddress import ip_address
from pathlib import Path
from threading import Lock
from typing import Any

from flask import Flask, current_app, g, redirect, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from deft_bench.core.times import moment
from deft_bench.core.times import stamp as to_stamp
from deft_bench.store import access
from deft_bench.store.database import connect
from deft_bench.web.errors import page
from deft_bench.web.following import Following, following
from deft_bench.web.support import db, now, stamp

COOKIE = "deft_bench_entry"
OPEN = {"static", "access.door", "access.pair", "access.trust", "access.authority", "devices.posted"}
"""What is seen before entering; a device that posts has its own key."""
SEEN_SECONDS = 60
"""So often it is noted that a device is here, and looked whether one that follows is still let in."""
WRONG, WRONG_OF_ALL, MINUTES = 5, 30, 5
"""So many wrong tries of one device, and of all together, in so many minutes."""


@dataclass(frozen=True, slots=True)
class LocalNetwork:
    """How the bench is reached over the local network: its address, and where its authority is kept."""

    address: str
    folder: Path


class Tries:
    """Wrong tries at the door, by device and together, in memory."""

    def __init__(self) -> None:
        self._made: list[Any] = []
        self._lock = Lock()

    def allowed(self, address: str) -> bool:
        """Whether a device may try now."""
        limiter, of_one, of_all = self._limits()
        return bool(limiter.test(of_one, address) and limiter.test(of_all, "all"))

    def wrong(self, address: str) -> None:
        """Count a wrong try."""
        limiter, of_one, of_all = self._limits()
        limiter.hit(of_one, address)
        limiter.hit(of_all, "all")

    def _limits(self) -> list[Any]:
        """The limiter and its limits, loaded at the first try, so that the start is quick."""
        from limits import RateLimitItemPerMinute
        from limits.storage import MemoryStorage
        from limits.strategies import FixedWindowRateLimiter

        with self._lock:
            if not self._made:
                limits = (RateLimitItemPerMinute(most, MINUTES) for most in (WRONG, WRONG_OF_ALL))
                self._made = [FixedWindowRateLimiter(MemoryStorage()), *limits]
            return self._made


def close_gate(app: Flask, network: LocalNetwork) -> None:
    """Let nobody in who has not entered, and nobody from beyond the local network."""
    app.extensions["access"] = network
    app.config["SESSION_COOKIE_SECURE"] = True
    # before the token of a form is looked at: who is not let in learns nothing about forms
    app.before_request_funcs.setdefault(None, []).insert(0, _let_in)


def _let_in() -> AnyResponse | None:
    from deft_bench.web.access.certificates import is_local

    if not is_local(ip_address(request.remote_addr or "0.0.0.0")):
        g.bare = True
        return page(403, "This bench answers only on its own network.", "Use a device that is on it.")
    token = request.cookies.get(COOKIE, "")
    entry = access.entry_of(db(), token, stamp()) if token else None
    if entry is None:
        if request.endpoint in OPEN or (request.endpoint or "").endswith(".static"):
            g.bare = g.at_door = True
            return None
        return _to_the_door()
    g.entry = entry
    if (now() - moment(entry.seen_at)).total_seconds() > SEEN_SECONDS:
        access.seen(db(), entry.id, request.remote_addr or "", stamp())
    return None


def _to_the_door() -> AnyResponse:
    g.bare = g.at_door = True
    if request.method != "GET" or request.accept_mimetypes.best == "application/json":
        return page(
            401, "This device is not let in any more.", "Enter again in another window: what waits is kept here."
        )
    after = request.full_path.rstrip("?")
    return redirect(url_for("access.door", after=after if after != "/" else None))


def let_in(answer: AnyResponse, name: str, hours: float) -> AnyResponse:
    """Let the device that asks in for so many hours: the token goes with the answer."""
    token, until = secrets.token_urlsafe(32), now() + timedelta(hours=hours)
    access.enter(db(), token, name[:60] or "a device", request.remote_addr or "", stamp(), to_stamp(until))
    answer.set_cookie(
        COOKIE, token, max_age=round(3600 * hours), secure=True, httponly=True, samesite="Strict", path="/"
    )
    return answer


def while_in(lines: Iterator[str]) -> Iterator[str]:
    """What is sent to a window that follows, until its device is sent out."""
    entry, database, clock = g.get("entry"), current_app.config["DATABASE"], current_app.config["NOW"]
    return lines if entry is None else _while_in(lines, entry.id, database, clock, following())


def _while_in(
    lines: Iterator[str], entry_id: int, database: Path, clock: Callable[[], datetime], followers: Following
) -> Iterator[str]:
    """It is looked whether the device is in when everybody is woken, and every minute."""
    looked, woken = time.monotonic(), followers.woken
    for line in lines:
        if followers.woken != woken or time.monotonic() - looked > SEEN_SECONDS:
            looked, woken = time.monotonic(), followers.woken
            with closing(connect(database)) as own:
                if all(one.id != entry_id for one in access.entries(own, to_stamp(clock()))):
                    return
        yield line


def tries() -> Tries:
    """The wrong tries at this door."""
    found: Tries = current_app.extensions["tries"]
    return found


def network() -> LocalNetwork | None:
    """How the bench is reached over the local network; None where it is served to this machine only."""
    found: LocalNetwork | None = current_app.extensions.get("access")
    return found
