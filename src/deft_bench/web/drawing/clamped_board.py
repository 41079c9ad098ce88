"""A fretboard on its neck under clamps, from above: how far its ends lie off, and how hard each clamp is."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from deft_bench.core.practice.clamping import CLAMPS, FULL, LENGTH_MM, PLACES_MM, Gluing
from deft_bench.web.drawing.practice_board import PracticeBoard

A_MM, MOST_OFF = 52.0, 34.0
"""A millimetre off is drawn so large, and no more than that."""
NECK_HALF = 40.0


@dataclass(frozen=True, slots=True)
class ClampedBoard(PracticeBoard):
    """The whole drawing, in its own units; the board where it was last seen."""

    height = 190
    middle: ClassVar[float] = 76.0
    lanes: ClassVar[dict[str, float]] = {"nut": 164.0, "body": 164.0}

    neck: tuple[float, float, float, float]
    board: str
    xs: Sequence[float]
    quarters: Sequence[int]
    full: int = FULL


def clamped_board(on: Gluing, off_mm: Sequence[float]) -> ClampedBoard:
    """Draw a board under its clamps, each end so far off its line; toward the treble side is down."""
    left, right = PracticeBoard.nut_x + 46.0, PracticeBoard.width - 30.0
    xs = [left + (right - left) * mm / LENGTH_MM for mm in PLACES_MM[:CLAMPS]]
    nut, body = (max(-MOST_OFF, min(MOST_OFF, A_MM * mm)) for mm in off_mm)
    middle, half = ClampedBoard.middle, NECK_HALF
    corners = (
        (left, middle - half + nut),
        (right, middle - half + body),
        (right, middle + half + body),
        (left, middle + half + nut),
    )
    outline = "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in corners) + "Z"
    return ClampedBoard((left, middle - half, right - left, 2 * half), outline, xs, on.quarters)
