"""A neck's truth beside what was believed of it: each lane's tops over its fair line, and where they were thought."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.evidence.actions import Spread
from deft_bench.core.evidence.likely_neck import over_fair_line

LEFT, WIDTH, LANE_HEIGHT, TOP = 74, 760, 104, 22
UM_FOR_HALF = 150.0
HALF = 44.0
"""A lane reaches so far up and down for 0.15 mm."""


@dataclass(frozen=True, slots=True)
class Believed:
    """One top: its place, where it truly stands, and from where to where it was thought to (None: nothing was read)."""

    fret: int
    x: float
    true_y: float
    from_y: float | None = None
    to_y: float | None = None


@dataclass(frozen=True, slots=True)
class TruthAndBelief:
    """The whole drawing, in its own units: by lane its middle and its tops."""

    lanes: Mapping[str, tuple[float, Sequence[Believed]]]
    width: int = WIDTH
    left: int = LEFT
    half: float = HALF

    @property
    def height(self) -> int:
        """How high it is."""
        return TOP + LANE_HEIGHT * len(self.lanes) + 8


def truth_and_belief(
    positions_mm: Sequence[float],
    heights_mm: Mapping[str, Sequence[float]],
    believed: Mapping[str, Sequence[Spread]] | None,
) -> TruthAndBelief:
    """Draw the tops of every lane over its own fair line, mm, with what was believed of each."""
    step = (WIDTH - LEFT - 16) / (len(positions_mm) - 1)
    lanes = {}
    for row, (lane, heights) in enumerate(heights_mm.items()):
        middle = TOP + LANE_HEIGHT * (row + 0.5)
        tops = []
        # over the line that the belief is over
        for i, off in enumerate(over_fair_line(np.array(heights), np.array(positions_mm)).tolist()):
            x, thought = LEFT + i * step, believed[lane][i] if believed else None
            ends: tuple[float, float] | tuple[None, None] = None, None
            if thought is not None:
                ends = (_at(middle, thought.high), _at(middle, thought.low))
            tops.append(Believed(i + 1, x, _at(middle, off), *ends))
        lanes[lane] = (middle, tops)
    return TruthAndBelief(lanes)


def _at(middle: float, mm: float) -> float:
    """A height's place, cut off at the lane's ends."""
    return middle - HALF * max(-1.0, min(1.0, 1000 * mm / UM_FOR_HALF))
