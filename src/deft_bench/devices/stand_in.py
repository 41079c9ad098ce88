"""A gauge that stands in for one: it writes the figures it is given, each held for a while and lifted in between, over
the network or on a pseudo-terminal, with the resolution, noise and drift that it is told to have.
"""

import os
import random
import socket
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import chain
from threading import Thread

LINES_A_SECOND = 20.0
LIFTED_MM = 5.0


@dataclass(frozen=True, slots=True)
class Gauge:
    """What it writes: figures in mm, held and lifted for so many seconds each; rounded to `resolution_mm`, with a
    spread of `noise_mm` and a drift a minute.
    """

    figures_mm: Sequence[float]
    hold_seconds: float = 1.2
    lift_seconds: float = 0.5
    resolution_mm: float = 0.01
    noise_mm: float = 0.0
    drift_mm_a_minute: float = 0.0
    seed: int = 0

    def lines(self, pause: Callable[[float], None] = time.sleep) -> Iterator[str]:
        """Lines as they are written, in time; the gauge is lifted at the end."""
        chance, seconds = random.Random(self.seed), 0.0
        for figure in self.figures_mm:
            for mm, length in ((figure, self.hold_seconds), (LIFTED_MM, self.lift_seconds)):
                for _ in range(max(1, round(length * LINES_A_SECOND))):
                    seconds += 1 / LINES_A_SECOND
                    yield self._line(mm + chance.gauss(0, self.noise_mm) + self.drift_mm_a_minute * seconds / 60)
                    pause(1 / LINES_A_SECOND)

    def lifted(self) -> Iterator[str]:
        """Lines for ever of a gauge that touches nothing."""
        while True:
            yield self._line(LIFTED_MM)
            time.sleep(1 / LINES_A_SECOND)

    def _line(self, mm: float) -> str:
        return f"{round(mm / self.resolution_mm) * self.resolution_mm:+.4f} mm\r\n"


def over_tcp(gauge: Gauge, host: str = "127.0.0.1", port: int = 0) -> tuple[socket.socket, int]:
    """Serve a gauge to whoever connects, one at a time, each from the start; the listener and its port."""
    listener = socket.create_server((host, port))

    def serve() -> None:
        while True:
            try:
                connection, _ = listener.accept()
            except OSError:
                return
            with connection:
                _write(gauge, lambda line, to=connection: to.sendall(line.encode()))  # type: ignore[misc]

    Thread(target=serve, daemon=True, name="stand-in gauge").start()
    return listener, int(listener.getsockname()[1])


def on_terminal(gauge: Gauge) -> tuple[int, str]:
    """Write a gauge to a pseudo-terminal, as if to a serial port: its end and the port's name."""
    import pty
    import tty

    ours, theirs = pty.openpty()
    tty.setraw(theirs)
    Thread(
        target=_write, args=(gauge, lambda line: os.write(ours, line.encode())), daemon=True, name="stand-in gauge"
    ).start()
    return ours, os.ttyname(theirs)


def _write(gauge: Gauge, write: Callable[[str], object]) -> None:
    for line in chain(gauge.lines(), gauge.lifted()):
        try:
            write(line)
        except OSError:
            return
