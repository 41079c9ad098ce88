"""The devices that are listened to: a thread each while anybody follows, and what each says now."""

import time
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from threading import Condition, Thread
from typing import Literal

from deft_bench.devices.connections import WAYS, Connection, GoneError
from deft_bench.devices.line_format import Figure, GarbledError, LineFormat, read_line
from deft_bench.devices.still import Still

Status = Literal["opening", "live", "silent", "garbled", "switched", "gone"]
SILENT_SECONDS, ASK_SECONDS, AGAIN_SECONDS, LEAVE_SECONDS = 2.0, 0.05, 1.5, 5.0
"""After so long a device is silent, is asked, is tried again, and is let go once nobody follows it."""
GARBLED_LINES = 3
"""So many lines without a figure, one after another, and what comes is called garbled."""


@dataclass(frozen=True, slots=True)
class Device:
    """A device as it is set up: how it is reached (`way` of connections; one of another way is told what it says), how
    it writes, its resolution in mm and after how many seconds of rest its figure counts as still; with `by_line` every
    line is a reading. A pedal `presses`: each line is one press, whatever it says. At `air_mm` it touches nothing.
    """

    key: str
    way: str
    address: str
    form: LineFormat
    resolution_mm: float = 0.01
    still_seconds: float = 0.6
    by_line: bool = False
    presses: bool = False
    air_mm: float | None = None


@dataclass(frozen=True, slots=True)
class Heard:
    """What a device says now: its figure (None: none yet) with its count, at which count it last came to stand still
    (or a pedal was pressed), what is wrong in words, and the temperature beside a humidity.
    """

    status: Status
    count: int = 0
    value: float | None = None
    unit: str = "mm"
    still: int = 0
    words: str = ""
    temperature_c: float | None = None


@dataclass(slots=True)
class _Listening:
    device: Device
    changed: Condition = field(default_factory=Condition)
    heard: Heard = Heard("opening")
    followers: int = 0
    left_at: float = 0.0
    ended: bool = False


class _Ear:
    """What is made of a device's lines, one after another."""

    def __init__(self, device: Device) -> None:
        self.device, self.garbled, self.unit = device, 0, ""
        self.still = self._still()

    def _still(self) -> Still:
        return Still(self.device.resolution_mm, self.device.still_seconds, self.device.air_mm)

    def silence(self, before: Heard) -> Heard:
        """Nothing came for a while: a pedal and a gauge with a button say nothing unless they are pressed."""
        if self.device.by_line or self.device.presses:
            return before if before.status == "live" else replace(before, status="live", words="")
        return replace(before, status="silent", words="It says nothing: is it switched on?")

    def line(self, line: str, before: Heard, now: float) -> Heard:
        """A line came."""
        count = before.count + 1
        if self.device.presses:
            return Heard("live", count, still=count)
        if not line.strip():
            return before
        try:
            figure = read_line(line, self.device.form)
        except GarbledError as error:
            self.garbled += 1
            known = self.garbled >= GARBLED_LINES
            return replace(before, status="garbled", words=_sentence(str(error))) if known else before
        self.garbled = 0
        if self.unit and figure.said_in and figure.said_in != self.unit:
            words = f"It says {figure.said_in} now, and said {self.unit} before: look at its unit."
            self.unit = figure.said_in
            self.still = self._still()
            return replace(before, status="switched", words=words)
        self.unit = self.unit or figure.said_in
        stood = figure.unit == "mm" and (self.device.by_line or self.still.feed(figure.value, now))
        switched = before.status == "switched" and not stood
        rests = count if stood else before.still
        status: Status = "switched" if switched else "live"
        words = before.words if switched else ""
        return Heard(status, count, figure.value, figure.unit, rests, words, figure.temperature_c)


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

    def told(self, device: Device, line: str) -> Figure | None:
        """What a device says by itself, for whoever follows it, as a figure; None of a pedal. Raises GarbledError."""
        figure = None if device.presses else read_line(line, device.form)
        with self.lock:
            one = self.listening.get(device.key)
        if one is not None:
            count = one.heard.count + 1
            said = (None, "mm", None) if figure is None else (figure.value, figure.unit, figure.temperature_c)
            self._say(one, Heard("live", count, said[0], said[1], count, "", said[2]))
        return figure

    def forget(self, key: str) -> None:
        """Let a device go that was changed or taken off the list: what its followers see is no figure of it."""
        with self.lock:
            one = self.listening.pop(key, None)
        if one is not None:
            one.ended = True
            self._say(one, Heard("gone", words="It was changed or taken off the list: open this page again."))

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
                if device.way in WAYS:
                    Thread(target=self._listen, args=(one,), daemon=True, name=f"device {device.key}").start()
                else:
                    one.heard = Heard("live")
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
        ear = _Ear(one.device)
        while not self._left(one):
            if one.device.form.ask:
                time.sleep(ASK_SECONDS)
                connection.ask(one.device.form.ask)
            line = connection.line(SILENT_SECONDS)
            self._say(one, ear.silence(one.heard) if line is None else ear.line(line, one.heard, time.monotonic()))

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
            if heard is one.heard:
                return
            one.heard = heard
            one.changed.notify_all()


def _sentence(words: str) -> str:
    return f"{words[:1].upper()}{words[1:]}."
