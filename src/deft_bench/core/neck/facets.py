"""The back of a neck carved by facets: where to draw the lines, and how deep each flat goes.

The section under the board is half a Lamé curve, |y/a|^n + |s/d|^n = 1, with a half the width and d the depth: n = 2 is
an ellipse (C), less is a keel (V), more has shoulders (U). Every facet lies on the curve and nowhere in it, so that
what is left is only rounded over. The tangent from the curve's support function, its marks and what is left:
docs/methods/neck-facets.md (G. Lamé, Examen des différentes méthodes …, 1818, for the curve; Hölder's inequality for
its support).
"""

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

Shape = Literal["c", "v", "u"]

FULLNESS: dict[Shape, float] = {"v": 1.5, "c": 2.0, "u": 3.0}
"""The exponent of each section: what its name says at a glance, between a wedge (1) and a box (infinite)."""
SHAPES: dict[Shape, str] = {"c": "C, round", "v": "V, keeled", "u": "U, full shoulders"}
STAGES = (1, 2, 3)
LARGEST_TRIED = 400


@dataclass(frozen=True, slots=True)
class FacetMark:
    """One edge of a facet, where a line is drawn: from the centreline, and down from the board; mm."""

    from_centre_mm: float
    from_board_mm: float


@dataclass(frozen=True, slots=True)
class Facet:
    """One flat on either side of the neck. `stage` is the round in which it is cut, `angle_deg` how far it is turned
    from the back toward the side; `inner` and `outer` are its edges as the faces stand then, `touches` where it meets
    the finished section: the line that must stay.
    """

    stage: int
    angle_deg: float
    inner: FacetMark
    outer: FacetMark
    touches: FacetMark


@dataclass(frozen=True, slots=True)
class Facets:
    """Every facet in the order in which it is cut, and the most that stands over the section after the last, mm."""

    facets: tuple[Facet, ...]
    left_mm: float


def support(width_mm: float, depth_mm: float, fullness: float, angle_deg: float) -> float:
    """How far from the middle of the glue line the plane turned by an angle touches the section, mm."""
    turn = math.radians(angle_deg)
    dual = fullness / (fullness - 1)
    across, down = width_mm / 2 * math.sin(turn), depth_mm * math.cos(turn)
    return float((across**dual + down**dual) ** (1 / dual))


def neck_facets(width_mm: float, depth_mm: float, fullness: float, stages: int) -> Facets:
    """The facets of half a section, cut in `stages` rounds: one at 45°, then one between every two faces there are.

    Raises ValueError for a section that is none: width and depth over nothing, fullness over 1 (a wedge has no curve).
    """
    if width_mm <= 0 or depth_mm <= 0:
        raise ValueError("width and depth must be more than nothing")
    if not 1 < fullness <= 20:
        raise ValueError("fullness must lie over 1 (a wedge) and up to 20 (a box)")
    angles = [0.0, 90.0]
    found = []
    for stage in range(1, stages + 1):
        for before, after in pairwise(tuple(angles)):
            angle = (before + after) / 2
            found.append(_facet(width_mm, depth_mm, fullness, stage, (before, angle, after)))
            angles.append(angle)
        angles.sort()
    corners = [_meet(width_mm, depth_mm, fullness, one, other) for one, other in pairwise(angles)]
    left = max(_over(corner, width_mm, depth_mm, fullness) for corner in corners)
    return Facets(tuple(found), left)


def _facet(width_mm: float, depth_mm: float, fullness: float, stage: int, angles: tuple[float, float, float]) -> Facet:
    before, angle, after = angles
    inner, outer = (_meet(width_mm, depth_mm, fullness, *pair) for pair in ((before, angle), (angle, after)))
    turn = math.radians(angle)
    dual = fullness / (fullness - 1)
    reach = support(width_mm, depth_mm, fullness, angle) ** (dual - 1)
    # the gradient of the support function: the point of the section whose tangent is turned so
    y = (width_mm / 2) ** dual * math.sin(turn) ** (dual - 1) / reach
    s = depth_mm**dual * math.cos(turn) ** (dual - 1) / reach
    return Facet(stage, angle, FacetMark(*inner), FacetMark(*outer), FacetMark(y, s))


def _meet(width_mm: float, depth_mm: float, fullness: float, one: float, other: float) -> tuple[float, float]:
    """Where two tangent planes cross: (from the centreline, from the board)."""
    (a, b), (p, q) = ((math.radians(angle), support(width_mm, depth_mm, fullness, angle)) for angle in (one, other))
    across = math.sin(p - a)
    return (q * math.cos(a) - b * math.cos(p)) / across, (b * math.sin(p) - q * math.sin(a)) / across


def _over(corner: tuple[float, float], width_mm: float, depth_mm: float, fullness: float) -> float:
    """How far a corner between two facets stands over the section, mm: from it to the nearest of the curve's tangents
    that passes under it.
    """
    y, s = corner

    def above(angle: float) -> float:
        turn = math.radians(angle)
        return y * math.sin(turn) + s * math.cos(turn) - support(width_mm, depth_mm, fullness, angle)

    return max(above(90 * k / LARGEST_TRIED) for k in range(LARGEST_TRIED + 1))
