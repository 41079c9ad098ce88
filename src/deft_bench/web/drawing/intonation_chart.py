"""Cents by fret for every string: what was read, what the fit leaves, and the gate."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.strings.intonation import CentsReading, Intonation

WIDTH, ROW = 560.0, 74.0
LEFT, RIGHT = 62.0, 14.0


@dataclass(frozen=True, slots=True)
class ChartRow:
    """One string's band: its zero line, the gate about it, a bar for each reading, a ring for what the saddle at its
    best leaves of it, and a line for what pressing adds by itself.
    """

    name: str
    zero: float
    gate: tuple[float, float]
    bars: list[tuple[float, float, float, str, str]]
    rings: list[tuple[float, float, str]]
    pressed: list[tuple[float, float, str]]


@dataclass(frozen=True, slots=True)
class IntonationChart:
    """All strings above one another, with the frets named below."""

    height: float
    rows: list[ChartRow]
    frets: list[tuple[float, int]]

    @property
    def pressed(self) -> bool:
        """Whether what pressing adds is drawn for some string."""
        return any(row.pressed for row in self.rows)


def intonation_chart(
    found: Sequence[tuple[str, Sequence[CentsReading], Intonation]], gate: float
) -> IntonationChart | None:
    """Draw it; None without readings. Frets stand at even steps."""
    if not found:
        return None
    used = sorted({reading.fret for _, read, _ in found for reading in read})
    most = max(
        gate * 1.6,
        *(abs(reading.cents) for _, read, _ in found for reading in read),
        *(abs(rest) for _, _, fit in found for rest in (*fit.residual_cents, *(fit.pressing_cents or ()))),
    )
    step = (WIDTH - LEFT - RIGHT) / max(1, len(used))
    at = {fret: LEFT + step * (i + 0.5) for i, fret in enumerate(used)}
    scale = (ROW / 2 - 12) / most
    rows = []
    for i, (name, read, fit) in enumerate(found):
        zero = 10 + ROW * i + ROW / 2
        bars = [
            (
                at[reading.fret],
                min(zero, zero - reading.cents * scale),
                abs(reading.cents) * scale,
                "out" if abs(reading.cents) > gate + 1e-9 else "in",
                f"{reading.cents:+.1f}".replace("-", "−"),
            )
            for reading in read
        ]
        rings = [
            (
                at[one.fret],
                zero - rest * scale,
                f"{name}, fret {one.fret}: {one.cents:+.1f} cents; {rest:+.1f} left by the saddle at its best",
            )
            for one, rest in zip(read, fit.residual_cents, strict=True)
        ]
        pressed = [
            (at[one.fret], zero - cents * scale, f"{name}, fret {one.fret}: pressing adds {cents:.1f} cents")
            for one, cents in zip(read, fit.pressing_cents or (), strict=False)
        ]
        rows.append(ChartRow(name, zero, (zero - gate * scale, 2 * gate * scale), bars, rings, pressed))
    return IntonationChart(20 + ROW * len(found) + 18, rows, [(x, fret) for fret, x in at.items()])
