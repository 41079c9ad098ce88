"""Fret ends along both edges of a board, from above: how far they stand out, their bevels, where the edge is bare."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import ClassVar

from deft_bench.core.practice.ends import EDGE_MM, FRETS, PLACES, POSITIONS, SIDES, Ends
from deft_bench.web.drawing.practice_board import NUT_X, WIDTH, fret_places

A_MM = 55.0
"""A millimetre over the edge, or of bevel, is drawn so large."""
EDGES: Mapping[str, float] = {"bass": 52.0, "treble": 148.0}


@dataclass(frozen=True, slots=True)
class EndDrawn:
    """One end: where it is, from the edge to where it ends, and where its bevel begins."""

    x: float
    edge: float
    tip: float
    bevel: float


@dataclass(frozen=True, slots=True)
class FiledEnds:
    """The whole drawing, in its own units; `xs` is where the hand may bear, `lanes` the two edges."""

    ends: Sequence[EndDrawn]
    bare: Sequence[tuple[float, float]]
    xs: Sequence[float]
    numbers: Sequence[float]
    lanes: ClassVar[Mapping[str, float]] = EDGES
    width: int = WIDTH
    height: int = 206
    left: int = NUT_X
    right: int = WIDTH - 20


def filed_ends(on: Ends) -> FiledEnds:
    """Draw both sides as they stand."""
    xs, _ = fret_places(POSITIONS)
    found, bare = list[EndDrawn](), list[tuple[float, float]]()
    for side, edge, out in zip(SIDES, on.sides, (-1, 1), strict=True):
        y = EDGES[side]
        for x, over, bevel in zip(xs, edge.over_mm, edge.bevel_mm, strict=True):
            tip = y + out * A_MM * max(0.0, over)
            found.append(EndDrawn(x, y - out * 34, tip, tip - out * A_MM * bevel))
        between = [(a + b) / 2 for a, b in zip([NUT_X, *xs], [*xs, WIDTH - 24], strict=True)]
        bare += [(x, y) for x, mm in zip(between, edge.bare_mm, strict=True) if mm > EDGE_MM]
    step = (xs[-1] - NUT_X) / (PLACES + 1)
    return FiledEnds(found, bare, [NUT_X + step * n for n in range(1, PLACES + 1)], xs[:FRETS])
