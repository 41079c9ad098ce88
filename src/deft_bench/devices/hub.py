"""The devices that are listened to: a thread each while anybody follows, and what each says now."""

import time
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from threading import Condition, Thread
from typing import Literal

from deft_bench.devices.connections import WAYS, Connection, GoneError
from deft_bench.devices.line_format import GarbledError, LineFormat, read_line
from deft_bench.devices.still import Still

Status = Literal["opening", "live", "silent", "garbled", "switched", "gone"]
SILENT_SECONDS, ASK_SECONDS, AGAIN_SECONDS, LEAVE_SECONDS = 2.0, 0.05, 1.5, 5.0
"""After so long a device is silent, is asked, is tried again, and is let go once nobody follows it."""
GARBLED_LINES = 3
"""So many lines without a figure, one after another, and what comes is called garbled."""


@dataclass(frozen=True, slots=True)
class Device:
    """A device as it is set up: how it is reached (`way` of connections), how it writes, its resolution in mm and after
    how many seconds of rest its figure counts as still.
    """

    key: str
    way: str
    address: str
    form: LineFormat
    resolution_mm: float = 0.01
    still_seconds: float = 0.6


@dataclass(frozen=True, slots=True)
class Heard:
    """What a device says now: its figure (None: none yet) with its count, whether that has just come to stand still,
    and what is wrong in words.
    """

    status: Status
    count: int = 0
    value: float | None = None
    unit: str = "mm"
    still: int = 0
    words: str = ""


@dataclass(slots=True)
class _Listening:
    device: Device
    changed: Condition = field(default_factory=Condition)
    heard: Heard = Heard("opening")
    followers: int = 0
    left_at: float = 0.0
    ended: bool = False


class Hub:
    """Listens to devices while somebody follows them."""

    def __init__(self) -> None:
        self.listening: dict[str, _Listening] = {}
        self.lock = Condition()

    def follow(self, device: Device, seconds: float = 15.0) -> Iterator[Heard]:
        """What a device says, each time it changes, and the same again where nothing did for so many seconds. Ends
        with the iterator.
        """
        one = self._join(device)
        seen: Heard | None = None
        try:
            while True:
                with one.changed:
                    if one.heard == seen:
                        one.changed.wait(seconds)
                    seen = one.heard
                yield seen
        finally:
            with self.lock:
                one.followers -= 1
                one.left_at = time.monotonic()

    def forget(self, key: str) -> None:
        """Let a device go that was set up anew or taken off the list: what its followers see is no figure of it."""
        with self.lock:
            one = self.listening.pop(key, None)
        if one is not None:
            one.ended = True
            self._say(one, Heard("gone", words="It was set up anew or taken off the list: open this page again."))

    def close(self) -> None:
        """Let every device go."""
        for key in list(self.listening):
            self.forget(key)

    def _join(self, device: Device) -> _Listening:
        with self.lock:
            one = self.listening.get(device.key)
            if one is None or one.ended or one.device != device:
                self.forget(device.key)
                one = self.listening[device.key] = _Listening(device)
                Thread(target=self._listen, args=(one,), daemon=True, name=f"device {device.key}").start()
            one.followers += 1
            return one

    def _listen(self, one: _Listening) -> None:
        while not self._left(one):
            try:
                connection = WAYS[one.device.way](one.device.address)
            except GoneError as error:
                self._say(one, replace(one.heard, status="gone", words=_sentence(str(error))))
                time.sleep(AGAIN_SECONDS)
                continue
            try:
                self._hear(one, connection)
            except GoneError as error:
                self._say(one, replace(one.heard, status="gone", words=_sentence(str(error))))
                time.sleep(AGAIN_SECONDS)
            finally:
                connection.close()

    def _hear(self, one: _Listening, connection: Connection) -> None:
        """Take lines while they come; raises GoneError."""
        device, garbled, unit = one.device, 0, ""
        still = Still(device.resolution_mm, device.still_seconds)
        while not self._left(one):
            if device.form.ask:
                time.sleep(ASK_SECONDS)
                connection.ask(device.form.ask)
            line = connection.line(SILENT_SECONDS)
            now = time.monotonic()
            if line is None:
                self._say(one, replace(one.heard, status="silent", words="It says nothing: is it switched on?"))
                continue
            if not line.strip():
                continue
            try:
                figure = read_line(line, device.form)
            except GarbledError as error:
                garbled += 1
                if garbled >= GARBLED_LINES:
                    self._say(one, replace(one.heard, status="garbled", words=f"{_sentence(str(error))}"))
                continue
            garbled, before = 0, one.heard
            if unit and figure.said_in and figure.said_in != unit:
                words = f"It says {figure.said_in} now, and said {unit} before: look at its unit."
                self._say(one, replace(before, status="switched", words=words))
                unit = figure.said_in
                still = Still(device.resolution_mm, device.still_seconds)
                continue
            unit = unit or figure.said_in
            stood = figure.unit == "mm" and still.feed(figure.value, now)
            count = before.count + 1
            status: Status = "switched" if before.status == "switched" and not stood else "live"
            words = before.words if status == "switched" else ""
            rests = count if stood else before.still
            self._say(one, Heard(status, count, figure.value, figure.unit, rests, words))

    def _left(self, one: _Listening) -> bool:
        """Whether nobody has followed for a while; it is let go then."""
        with self.lock:
            gone = one.ended or (one.followers <= 0 and time.monotonic() - one.left_at > LEAVE_SECONDS)
            one.ended = gone
            if gone and self.listening.get(one.device.key) is one:
                del self.listening[one.device.key]
            return gone

    def _say(self, one: _Listening, heard: Heard) -> None:
        with one.changed:
            if one.ended and heard.status != "gone":
                return  # what it was let go with stands
            one.heard = heard
            one.changed.notify_all()


def _sentence(words: str) -> str:
    return f"{words[:1].upper()}{words[1:]}."
