"""A board and the frets that go into it, from above: which of them are out, and the daylight under them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar

from deft_bench.core.practice.seating import FRETS, HELD_MM, ZONES
from deft_bench.web.drawing.practice_board import PracticeBoard

A_MM, MOST = 60.0, 42.0
"""Daylight of a millimetre is drawn so wide, and no wider."""


@dataclass(frozen=True, slots=True)
class Daylight:
    """Light under a fret in one zone."""

    x: float
    y: float
    wide: float


@dataclass(frozen=True, slots=True)
class SeatedBoard(PracticeBoard):
    """The whole drawing, in its own units."""

    height = 220
    top = 20
    bottom = 176
    lanes: ClassVar[Mapping[str, float]] = {"bass": 46.0, "middle": 98.0, "treble": 150.0}

    xs: Sequence[float]
    out: Sequence[bool]
    light: Sequence[Daylight]


def seated_board(in_mm: Sequence[Sequence[float]], seen: Mapping[int, Sequence[float]]) -> SeatedBoard:
    """Draw frets by how far their zones stand up (only whether they are in is seen of it), and the daylight seen."""
    step = (PracticeBoard.width - PracticeBoard.nut_x - 40) / FRETS
    xs = [PracticeBoard.nut_x + 10 + step * (n + 0.5) for n in range(FRETS)]
    return SeatedBoard(
        xs,
        [min(up) > HELD_MM for up in in_mm],
        [
            Daylight(xs[fret - 1], SeatedBoard.lanes[zone], min(MOST, A_MM * mm))
            for fret, zones in seen.items()
            for zone, mm in zip(ZONES, zones, strict=True)
            if mm > 0
        ],
    )
