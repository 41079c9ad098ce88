"""A kerf beside its line, from above: along the board as it is, across it drawn much larger."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.practice.sawing import START_MM, STEPS, TURNS, WIDE_MM, Kerf
from deft_bench.web.drawing.practice_board import NUT_X, WIDTH

A_MM, LINE_Y, MOST_Y, LEAST_Y = 30.0, 138.0, 14.0, 186.0
"""Across, a millimetre is drawn so large."""
HAND = 15.0


@dataclass(frozen=True, slots=True)
class SawnKerf:
    """The whole drawing, in its own units; `lanes` are where the hand is turned to, `xs` where it is."""

    left: float
    right: float
    line_y: float
    wide_y: float
    kerf: str
    at: float
    marks: Sequence[tuple[float, int]]
    xs: Sequence[float]
    lanes: Mapping[str, float]
    width: int = WIDTH
    height: int = 214
    top: int = 10
    bottom: int = 190


def sawn_kerf(on: Kerf) -> SawnKerf:
    """Draw a kerf as far as it is sawn; the waste is above."""
    left, right = NUT_X + 50.0, WIDTH - 26.0
    a_step = (right - left) / STEPS
    ys = [min(LEAST_Y, max(MOST_Y, LINE_Y - A_MM * mm)) for mm in (START_MM, *on.at_mm)]
    path = "M" + "L".join(f"{left + a_step * n:.1f} {y:.1f}" for n, y in enumerate(ys))
    end = left + a_step * len(on.at_mm)
    return SawnKerf(
        left=left,
        right=right,
        line_y=LINE_Y,
        wide_y=LINE_Y - A_MM * WIDE_MM,
        kerf=path,
        at=ys[-1],
        marks=[(left + a_step * n, 10 * n) for n in range(0, STEPS + 1, 5)],
        xs=[min(end + 16.0, right)],
        lanes={name: ys[-1] - HAND * turn for name, turn in TURNS.items()},
    )
