"""A neck small enough for a list row: where it is proud and where low, at a glance."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.instrument import Spec

WIDTH, HEIGHT = 250, 34


@dataclass(frozen=True, slots=True)
class Mini:
    """Fret lines, and one wedge a fret that is out of line, as SVG path data."""

    frets: str
    proud: str
    low: str
    board: str


def mini(spec: Spec, off_mm: Mapping[str, Sequence[float | None]], rock_mm: float) -> Mini:
    """Draw the neck at its own proportions along, with each fret's worst lane as a wedge above or below."""
    xs = spec.positions_mm()
    scale = (WIDTH - 8) / xs[-1]
    proud, low, lines = [], [], []
    for fret, x_mm in enumerate(xs, start=1):
        x = 4 + x_mm * scale
        lines.append(f"M{x:.1f} 10V24")
        offs = [offs[fret - 1] for offs in off_mm.values() if fret <= len(offs)]
        read = [off for off in offs if off is not None]
        if read and max(read) >= rock_mm:
            proud.append(f"M{x:.1f} 1l4 7h-8z")
        if read and min(read) <= -rock_mm:
            low.append(f"M{x:.1f} 33l4 -7h-8z")
    return Mini("".join(lines), "".join(proud), "".join(low), f"4,11 {WIDTH - 1},10 {WIDTH - 1},24 4,23")
