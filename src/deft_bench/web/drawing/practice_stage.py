"""The neck of a drill from above: its frets, what the tools said where, and, once it may be seen, the truth."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.rocker import Signed
from deft_bench.core.practice.culprit import FRETS, SCALE_MM, CulpritNeck, Reading
from deft_bench.web.drawing.practice_board import PracticeBoard, fret_places

LANES_Y = PracticeBoard.lanes
ABOVE_LANE, LIGHT_WIDTH = 13, 18
"""A straightedge lies so far over the middle of its lane; light shows so wide over a fret."""


@dataclass(frozen=True, slots=True)
class Fret:
    """A fret across the board: where, its inlay's place if it has one, and, in a debrief, how far it is out and whether
    it was named proud, 1, or low, −1.
    """

    number: int
    x: float
    inlay_x: float | None
    out_mm: float | None = None
    named: int = 0


@dataclass(frozen=True, slots=True)
class Felt:
    """What a rocker said on a fret in a lane: 1 rocks, 0 sits, −1 too close to tell."""

    x: float
    y: float
    said: int


@dataclass(frozen=True, slots=True)
class Light:
    """Light over a fret, under a straightedge along a lane: 1 a thread, 2 clear."""

    x: float
    width: float
    y: float
    light: int


@dataclass(frozen=True, slots=True)
class Stage(PracticeBoard):
    """The whole drawing, in its own units; `spans` are where a rocker stands by its middle fret: left, right."""

    frets: Sequence[Fret]
    felt: Sequence[Felt]
    light: Sequence[Light]
    edges: Sequence[float]
    spans: dict[int, tuple[float, float]]


def stage_of(
    readings: Sequence[Reading], truth: CulpritNeck | None = None, named: frozenset[Signed] = frozenset()
) -> Stage:
    """Draw a neck after some readings; with `truth` its frets that are out stand beside what was named."""
    xs, inlays = fret_places(fret_positions(SCALE_MM, FRETS))
    signs = dict(named)
    frets = [
        Fret(
            n,
            x,
            inlays[n - 1],
            truth.out_mm.get(n) if truth else None,
            signs.get(n, 0),
        )
        for n, x in enumerate(xs, 1)
    ]
    said = {(one.lane, one.fret): one.rocks for one in readings if one.tool == "rocker"}
    felt = [
        Felt(xs[fret - 1], LANES_Y[lane], -1 if rocks is None else int(rocks)) for (lane, fret), rocks in said.items()
    ]
    seen = {one.lane: one.light for one in readings if one.tool != "rocker"}
    light = [
        Light(xs[i] - LIGHT_WIDTH / 2, LIGHT_WIDTH, LANES_Y[lane] - ABOVE_LANE, level)
        for lane, levels in seen.items()
        for i, level in enumerate(levels)
        if level
    ]
    spans = {n: (xs[n - 2] - 6, xs[n] + 6) for n in range(2, FRETS)}
    return Stage(frets, felt, light, [LANES_Y[lane] - ABOVE_LANE for lane in seen], spans)
