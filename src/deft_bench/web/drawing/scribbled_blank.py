"""A blank under the radius block, from above: the pencil that is left on it, and the light under the radius gauge."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import sin
from typing import ClassVar

from deft_bench.core.practice.radius import ACROSS, BLOCK_MM, END_MM, LENGTH_MM, PLACES, WIDTHS_MM, Blank
from deft_bench.web.drawing.practice_board import PracticeBoard

UM_FOR_ALL, MOST_BAR = 200.0, 19.0
"""Light, or what should come off, is drawn so wide for 0.2 mm, and no wider."""
HALF_PLACE, WAVES = 0.46, 22


@dataclass(frozen=True, slots=True)
class Scribble:
    """The pencil about one point: its line, and whether it is `whole`."""

    line: str
    whole: bool


@dataclass(frozen=True, slots=True)
class Bar:
    """Light under the gauge at a point, or what should come off it."""

    x: float
    y: float
    size: float


@dataclass(frozen=True, slots=True)
class ScribbledBlank(PracticeBoard):
    """The whole drawing, in its own units; `lanes` are where the hand bears across."""

    height = 250
    top = 40
    bottom = 206
    lanes: ClassVar[Mapping[str, float]] = {"bass": 81.0, "even": 123.0, "treble": 165.0}

    outline: str
    xs: Sequence[float]
    pencil: Sequence[Scribble]
    light: Sequence[Bar]
    off: Sequence[Bar]
    block: float


def scribbled_blank(
    on: Blank, gauged: Mapping[int, Sequence[float]] | None = None, off: Sequence[Sequence[float]] | None = None
) -> ScribbledBlank:
    """Draw a blank as it stands, with the gaps of a gauge by the place it lay at, and what should come `off`, mm."""
    room = PracticeBoard.width - PracticeBoard.nut_x - 40
    middle = (ScribbledBlank.top + ScribbledBlank.bottom) / 2
    halves = [(ScribbledBlank.bottom - ScribbledBlank.top) / 2 * wide / END_MM for wide in WIDTHS_MM]
    xs = [PracticeBoard.nut_x + 14 + room * n / (PLACES - 1) for n in range(PLACES)]

    def y(place: int, across: int) -> float:
        return middle + halves[place] * 0.94 * (2 * across / (ACROSS - 1) - 1)

    corners = [(xs[place], middle + side * halves[place]) for place, side in ((0, -1), (-1, -1), (-1, 1), (0, 1))]
    step = room / (PLACES - 1)
    pencil = [
        Scribble(_waves(xs[s], y(s, t), step * HALF_PLACE), state == 2)
        for s, row in enumerate(on.pencil())
        for t, state in enumerate(row)
        if state
    ]
    light = [
        Bar(xs[place - 1], y(place - 1, t), min(MOST_BAR, MOST_BAR * 1000 * mm / UM_FOR_ALL))
        for place, gaps in (gauged or {}).items()
        for t, mm in enumerate(gaps)
    ]
    bars = [
        Bar(xs[s], y(s, t), min(MOST_BAR, MOST_BAR * 1000 * mm / UM_FOR_ALL))
        for s, row in enumerate(off or ())
        for t, mm in enumerate(row)
    ]
    outline = "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in corners) + "Z"
    return ScribbledBlank(outline, xs, pencil, light, bars, BLOCK_MM / LENGTH_MM * room)


def _waves(x: float, y: float, half: float) -> str:
    points = [(x + half * (2 * n / WAVES - 1), y + 6 * sin(2.4 * n + x)) for n in range(WAVES + 1)]
    return "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in points)
