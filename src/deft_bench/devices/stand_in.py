"""Devices that stand in for real ones: a gauge, a hygrometer and a pedal, which write over the network, on a
pseudo-terminal, or post, with the resolution, noise, drift and dropouts that they are told to have.
"""

import os
import random
import socket
import ssl
import time
import urllib.request
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import partial
from itertools import chain
from threading import Condition, Thread
from typing import Protocol

LINES_A_SECOND = 20.0
LIFTED_MM = 5.0


class StandIn(Protocol):
    """Whatever writes lines for ever, in time."""

    def endless(self) -> Iterator[str]:
        """Its lines, each when it is due."""


@dataclass(frozen=True, slots=True)
class Gauge:
    """What it writes: figures in mm, held and lifted for so many seconds each; rounded to `resolution_mm`, with a
    spread of `noise_mm`, a drift a minute, and a share of lines that drop out.
    """

    figures_mm: Sequence[float]
    hold_seconds: float = 1.2
    lift_seconds: float = 0.5
    resolution_mm: float = 0.01
    noise_mm: float = 0.0
    drift_mm_a_minute: float = 0.0
    seed: int = 0
    dropouts: float = 0.0

    def lines(self, pause: Callable[[float], None] = time.sleep) -> Iterator[str]:
        """Lines as they are written, in time; the gauge is lifted at the end."""
        chance, seconds = random.Random(self.seed), 0.0
        for figure in self.figures_mm:
            for mm, length in ((figure, self.hold_seconds), (LIFTED_MM, self.lift_seconds)):
                for _ in range(max(1, round(length * LINES_A_SECOND))):
                    seconds += 1 / LINES_A_SECOND
                    if chance.random() < self.dropouts:
                        pause(1 / LINES_A_SECOND)
                        continue
                    yield self._line(mm + chance.gauss(0, self.noise_mm) + self.drift_mm_a_minute * seconds / 60)
                    pause(1 / LINES_A_SECOND)

    def lifted(self) -> Iterator[str]:
        """Lines for ever of a gauge that touches nothing."""
        while True:
            yield self._line(LIFTED_MM)
            time.sleep(1 / LINES_A_SECOND)

    def endless(self) -> Iterator[str]:
        """Its figures, and then for ever what it says in the air."""
        return chain(self.lines(), self.lifted())

    def _line(self, mm: float) -> str:
        return _figure(mm, self.resolution_mm)


def _figure(mm: float, resolution_mm: float) -> str:
    return f"{round(mm / resolution_mm) * resolution_mm:+.4f} mm\r\n"


@dataclass(slots=True)
class GaugeInHand:
    """A gauge that lies where a call puts it until another lifts it; whoever is connected sees the same."""

    resolution_mm: float = 0.01
    at_mm: float = LIFTED_MM

    def touch(self, mm: float) -> None:
        """Set it on a place that reads so much."""
        self.at_mm = mm

    def lift(self) -> None:
        """Take it off."""
        self.at_mm = LIFTED_MM

    def endless(self) -> Iterator[str]:
        """What it says."""
        while True:
            yield _figure(self.at_mm, self.resolution_mm)
            time.sleep(1 / LINES_A_SECOND)


@dataclass(slots=True)
class GaugeOnNecks:
    """A gauge that walks along a neck of its own, but on a practice neck lies where it is set down, for a moment."""

    walks: Gauge
    hold_seconds: float = 1.2
    on_practice: bool = False
    hand: GaugeInHand = field(default_factory=GaugeInHand)
    until: float = 0.0

    def set_down(self, mm: float) -> None:
        """Set it on a place of a practice neck that reads so much."""
        self.on_practice = True
        self.hand.touch(mm)
        self.until = time.monotonic() + self.hold_seconds

    def endless(self) -> Iterator[str]:
        """What it says."""
        walking, lying = self.walks.endless(), self.hand.endless()
        while True:
            if time.monotonic() >= self.until:
                self.hand.lift()
            yield next(lying if self.on_practice else walking)


@dataclass(frozen=True, slots=True)
class Hygrometer:
    """It writes humidity and temperature every so many seconds; both wander by so much a step."""

    humidity: float = 45.0
    temperature_c: float = 21.0
    wander: float = 0.1
    seconds: float = 2.0
    seed: int = 0

    def endless(self) -> Iterator[str]:
        """Lines such as 45.2 %, 21.3 °C."""
        chance, humidity, celsius = random.Random(self.seed), self.humidity, self.temperature_c
        while True:
            yield f"{humidity:.1f} %, {celsius:.1f} °C\r\n"
            humidity = min(95.0, max(5.0, humidity + chance.gauss(0, self.wander)))
            celsius += chance.gauss(0, self.wander / 4)
            time.sleep(self.seconds)


@dataclass(slots=True)
class Pedal:
    """A pedal that is pressed by a call, and says so to everybody who is connected."""

    pressed: int = 0
    changed: Condition = field(default_factory=Condition)

    def press(self) -> None:
        """Press it once."""
        with self.changed:
            self.pressed += 1
            self.changed.notify_all()

    def endless(self) -> Iterator[str]:
        """A line for each press from now on."""
        seen = self.pressed
        while True:
            with self.changed:
                while self.pressed == seen:
                    self.changed.wait()
                seen += 1
            yield "pressed\r\n"


def over_tcp(device: StandIn, host: str = "127.0.0.1", port: int = 0) -> tuple[socket.socket, int]:
    """Serve a stand-in to whoever connects, each from the start; the listener and its port."""
    listener = socket.create_server((host, port))

    def write_to(connection: socket.socket) -> None:
        with connection:
            _write(device, lambda line: connection.sendall(line.encode()))

    def serve() -> None:
        while True:
            try:
                connection, _ = listener.accept()
            except OSError:
                return
            Thread(target=write_to, args=(connection,), daemon=True, name="stand-in").start()

    Thread(target=serve, daemon=True, name="stand-in").start()
    return listener, int(listener.getsockname()[1])


def on_terminal(device: StandIn) -> tuple[int, str]:
    """Write a stand-in to a pseudo-terminal, as if to a serial port: its end and the port's name."""
    import pty
    import tty

    ours, theirs = pty.openpty()
    tty.setraw(theirs)
    write = partial(_write, device, lambda line: os.write(ours, line.encode()))
    Thread(target=write, daemon=True, name="stand-in").start()
    return ours, os.ttyname(theirs)


def by_post(device: StandIn, url: str, key: str, authority: str | None = None) -> None:
    """Post a stand-in's lines for ever with a device's key; `authority` is the file of the bench's own, for https."""
    trusted = ssl.create_default_context(cafile=authority) if url.startswith("https:") else None

    def send(line: str) -> None:
        asked = urllib.request.Request(url, line.strip().encode(), {"X-Bench-Key": key})
        urllib.request.urlopen(asked, timeout=10, context=trusted).close()

    _write(device, send)


def _write(device: StandIn, write: Callable[[str], object]) -> None:
    for line in device.endless():
        try:
            write(line)
        except OSError:
            return
