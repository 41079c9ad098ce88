"""A nut seen along the neck, both schools of spacing one above the other at one scale."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.board.strings_on_board import NutSpacing
from deft_bench.core.units import Display

WIDTH, ROW = 600.0, 104.0
LEFT = 20.0


@dataclass(frozen=True, slots=True)
class SpacingRow:
    """One school: the nut's bar, the strings as circles to scale, the centres and the gaps in words."""

    name: str
    y: float
    strings: list[tuple[float, float, str]]
    gaps: list[tuple[float, str]]


@dataclass(frozen=True, slots=True)
class SpacingView:
    """Both schools."""

    height: float
    bar: tuple[float, float]
    rows: list[SpacingRow]


def spacing_view(
    width_mm: float,
    both: Mapping[str, NutSpacing],
    gauges_mm: Sequence[float],
    display: Display,
    left_handed: bool = False,
) -> SpacingView:
    """Draw it with the bass side at the left, as one looks from the player's seat; a left-handed nut the other way."""
    scale = (WIDTH - 2 * LEFT) / width_mm

    def x(mm: float) -> float:
        return LEFT + ((width_mm - mm) if left_handed else mm) * scale

    rows = []
    for i, (name, found) in enumerate(both.items()):
        y = 34 + ROW * i
        strings = [
            (x(centre), gauge / 2 * scale, display.fine(centre * 1000))
            for centre, gauge in zip(found.centres_mm, gauges_mm, strict=True)
        ]
        edges = [
            (centre - gauge / 2, centre + gauge / 2) for centre, gauge in zip(found.centres_mm, gauges_mm, strict=True)
        ]
        gaps = [
            (x((edges[k][0] + edges[k + 1][1]) / 2), display.fine_number(gap * 1000))
            for k, gap in enumerate(found.gaps_mm)
        ]
        rows.append(SpacingRow(name, y, strings, gaps))
    return SpacingView(20 + ROW * len(both), (LEFT, WIDTH - 2 * LEFT), rows)
