"""Twist: bass and treble lanes that do not lie in one plane, from heights above one reference.

Derived in docs/methods/straightness.md.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.frets.heights import Heights, fair_line

LANE_SHARE = 0.66
"""The bass and treble lanes lie about two thirds of the board's width apart."""


@dataclass(frozen=True, slots=True)
class Twist:
    """How far the bass side rises over the treble side from fret 1 to the last, mm; the turn over the whole scale,
    degrees; and what that costs each outer string in action at fret 12, mm (bass lower by it, treble higher).
    """

    rise_mm: float
    degrees: float
    action_mm: float


def twist(
    positions_mm: Sequence[float], heights: Mapping[str, Heights], scale_mm: float, width_mm: float
) -> Twist | None:
    """The twist that a height survey shows; None without enough of both outer lanes.

    Only heights above a common reference can show it: gaps under a straightedge laid along each lane cannot.
    """
    slopes = {}
    for lane in ("bass", "treble"):
        points = [(x, h) for x, h in zip(positions_mm, heights.get(lane, ()), strict=False) if h is not None]
        if len(points) < 4:
            return None
        slopes[lane] = fair_line(points)[1]
    slope = slopes["bass"] - slopes["treble"]
    apart = LANE_SHARE * width_mm
    rise = slope * (positions_mm[-1] - positions_mm[0])
    return Twist(rise, math.degrees(math.atan2(slope * scale_mm, apart)), slope * scale_mm / 4)
