"""The neck of a drill from above: its frets, what the tools said where, and, once it may be seen, the truth."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.rocker import Signed
from deft_bench.core.practice.culprit import FRETS, SCALE_MM, CulpritNeck, Reading
from deft_bench.web.drawing.neck_drawing import INLAYS

WIDTH, HEIGHT, NUT_X, END = 1236, 236, 44, 30
TOP, BOTTOM = 44, 176
NUMBERS_Y = BOTTOM + 24
LANES_Y = {"bass": 66.0, "middle": 110.0, "treble": 154.0}
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
class Stage:
    """The whole drawing, in its own units; `spans` are where a rocker stands by its middle fret: left, right."""

    frets: Sequence[Fret]
    felt: Sequence[Felt]
    light: Sequence[Light]
    edges: Sequence[float]
    spans: dict[int, tuple[float, float]]
    width: int = WIDTH
    height: int = HEIGHT
    top: int = TOP
    bottom: int = BOTTOM
    nut_x: int = NUT_X
    numbers_y: int = NUMBERS_Y

    @property
    def lanes(self) -> dict[str, float]:
        """Each lane's height on the drawing."""
        return LANES_Y


def stage_of(
    readings: Sequence[Reading], truth: CulpritNeck | None = None, named: frozenset[Signed] = frozenset()
) -> Stage:
    """Draw a neck after some readings; with `truth` its frets that are out stand beside what was named."""
    positions = fret_positions(SCALE_MM, FRETS)
    scale = (WIDTH - NUT_X - END) / positions[-1]
    xs = [NUT_X + mm * scale for mm in positions]
    signs = dict(named)
    frets = [
        Fret(
            n,
            x,
            (x + ([NUT_X, *xs][n - 1])) / 2 if n in INLAYS else None,
            truth.out_mm.get(n) if truth else None,
            signs.get(n, 0),
        )
        for n, x in enumerate(xs, 1)
    ]
    said = {(one.lane, one.fret): one.rocks for one in readings if one.tool == "rocker"}
    felt = [
        Felt(xs[fret - 1], LANES_Y[lane], -1 if rocks is None else int(rocks)) for (lane, fret), rocks in said.items()
    ]
    seen = {one.lane: one.light for one in readings if one.tool == "straightedge"}
    light = [
        Light(xs[i] - LIGHT_WIDTH / 2, LIGHT_WIDTH, LANES_Y[lane] - ABOVE_LANE, level)
        for lane, levels in seen.items()
        for i, level in enumerate(levels)
        if level
    ]
    spans = {n: (xs[n - 2] - 6, xs[n] + 6) for n in range(2, FRETS)}
    return Stage(frets, felt, light, [LANES_Y[lane] - ABOVE_LANE for lane in seen], spans)
