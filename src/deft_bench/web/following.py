"""Windows that follow what changes: each holds a thread while it waits, wakes when something is told, and is let go."""

from collections import Counter
from collections.abc import Iterator
from functools import partial
from threading import Condition

from flask import Flask, Response, current_app
from werkzeug.exceptions import ServiceUnavailable

MOST_FOLLOWERS = 64
STILL_HERE_SECONDS = 15.0
STILL_HERE = ": still here\n\n"
"""Sent where nothing happened for a while: a window that was closed is noticed by it."""


class Following:
    """Who waits for what. A topic is a text, such as `survey 4`."""

    def __init__(self) -> None:
        self._changed = Condition()
        self._told: Counter[str] = Counter()
        self.woken = 0
        self.followers = 0
        self.closed = False

    def tell(self, topic: str) -> None:
        """Something of a topic has changed: whoever follows it looks again."""
        with self._changed:
            self._told[topic] += 1
            self._changed.notify_all()

    def wake(self) -> None:
        """Everybody looks again, whatever they follow."""
        with self._changed:
            self.woken += 1
            self._changed.notify_all()

    def turns(self, topic: str, seconds: float = STILL_HERE_SECONDS) -> Iterator[bool]:
        """True when there is something to look at, first at once; False where nothing was told for so many seconds.
        Ends when the server stops.
        """
        seen = (-1, -1)
        while not self.closed:
            with self._changed:
                self._changed.wait_for(partial(self._news, topic, seen), seconds)
                told, seen = self._news(topic, seen), (self._told[topic], self.woken)
            if not self.closed:
                yield told

    def _news(self, topic: str, seen: tuple[int, int]) -> bool:
        return self.closed or (self._told[topic], self.woken) != seen

    def close(self) -> None:
        """Let everybody go."""
        with self._changed:
            self.closed = True
            self._changed.notify_all()

    def seat(self) -> None:
        """Take a place among the followers; raises ServiceUnavailable where there is none."""
        with self._changed:
            if self.followers >= MOST_FOLLOWERS:
                raise ServiceUnavailable(f"{MOST_FOLLOWERS} windows follow already: close one.")
            self.followers += 1

    def leave(self) -> None:
        """Give the place back."""
        with self._changed:
            self.followers -= 1


def following_of(app: Flask) -> Following:
    """An application's followers."""
    found: Following = app.extensions["following"]
    return found


def following() -> Following:
    """The followers of the application that answers."""
    return following_of(current_app)


def events(lines: Iterator[str]) -> Response:
    """Server-sent events for as long as the window listens; raises ServiceUnavailable where too many follow."""
    followers = following()
    followers.seat()
    answer = Response(
        lines, mimetype="text/event-stream", headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"}
    )
    answer.call_on_close(followers.leave)
    return answer
