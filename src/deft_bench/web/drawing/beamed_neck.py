"""A neck under the levelling beam, from above: the ink on each top by lane, what was read, and where the hand bears."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from deft_bench.web.drawing.practice_board import PracticeBoard, fret_places
from deft_bench.web.drawing.practice_stage import Felt

LANES_Y = {"bass": 66.0, "middle": 118.0, "treble": 170.0}
HALF_LANE = 25.0
UM_FOR_ALL = 100.0
MOST_BAR = 40.0
"""A bar is so high for 0.1 mm, and no higher."""


@dataclass(frozen=True, slots=True)
class Top:
    """A fret's top in one lane: its ink (2 whole, 1 thin, 0 gone), and a bar as high as what should come off."""

    x: float
    y: float
    ink: int
    bar: float


@dataclass(frozen=True, slots=True)
class UnderBeam(PracticeBoard):
    """The whole drawing, in its own units; `frets` are number, place, and an inlay's place or None."""

    height = 250
    top = 40
    bottom = 196
    half = HALF_LANE
    lanes = LANES_Y

    tops: Sequence[Top]
    frets: Sequence[tuple[int, float, float | None]]
    out: Mapping[int, float]
    felt: Sequence[Felt] = ()


class Inked(Protocol):
    """A neck that knows the ink on its tops."""

    def ink(self, lane: str) -> tuple[int, ...]:
        """The ink on each fret of a lane: 2 whole, 1 thin, 0 gone."""
        ...


def under_beam(
    neck: Inked,
    positions_mm: Sequence[float],
    read: Mapping[str, Sequence[float]] | None = None,
    out: Mapping[int, float] | None = None,
    felt: Mapping[tuple[str, int], int] | None = None,
) -> UnderBeam:
    """Draw a neck as it stands, with what was `read` (what should come off, mm), what was `out` of its slot, mm by
    fret, and what was `felt` of each place: 1 it rocks, 0 it sits.
    """
    xs, inlays = fret_places(positions_mm)
    tops = []
    for lane, y in LANES_Y.items():
        offs = read[lane] if read else (0.0,) * len(xs)
        for x, ink, off in zip(xs, neck.ink(lane), offs, strict=True):
            tops.append(Top(x, y, ink, min(MOST_BAR, MOST_BAR * 1000 * off / UM_FOR_ALL)))
    frets = [(n, x, inlay) for n, (x, inlay) in enumerate(zip(xs, inlays, strict=True), 1)]
    marks = [Felt(xs[fret - 1], LANES_Y[lane], said) for (lane, fret), said in (felt or {}).items()]
    return UnderBeam(tops, frets, out or {}, marks)
