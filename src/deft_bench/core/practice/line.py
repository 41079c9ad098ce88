"""Thin the line: crown a levelled fret with a file, until a thin even line is left in the middle of its top.

The same seed and level are the same fret. It is known in three zones; the file works one of them or all, on one side,
at an angle (`core/frets/crown_filing.py`). Lengths mm.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from deft_bench.core.frets.crown import land
from deft_bench.core.frets.crown_filing import ANGLES, SIDES, UNCUT_MM, Crown
from deft_bench.core.frets.heights import LANES
from deft_bench.core.limits import LAND_MM, LAND_OFF_CENTRE_MM
from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import against, fading, took

ALL = "all three"
METAL_MM2: Mapping[int, float] = {10: 0.01, 3: 0.003}
"""What so many strokes take off in section."""
AIM_MM = 0.26
"""The line that the program aims at, and the arc that a crown is measured by."""
WIDE_MM, ASIDE_MM = 0.6, 0.25
"""A line this wide, or so far from the middle, is worth nothing."""
LOW_MM, TOO_LOW_MM = 0.005, 0.02
"""A top that lost so much is low: all up to the first, nothing from the second on."""
ROUND_MM, ANGULAR_MM = 0.025, 0.08
"""Off the arc: all up to the first, nothing from the second on."""
READ_MM = 0.05
LINE_SHARE, ROUND_SHARE = 0.5, 0.3
FIRST_MM = 0.01
"""The first strokes at an angle may go so far under the arc, by the share that they may miss it by."""
MOST_DONE = 90

What = Literal["file", "read"]
SECONDS: Mapping[int, float] = {10: 8.0, 3: 4.0}
READING_S = 20.0
LEVELS: Mapping[int, str] = {
    1: "a line as wide all along",
    2: "a line of three widths",
    3: "a line of three widths, off the middle",
}


@dataclass(frozen=True, slots=True)
class Fret:
    """A fret in three zones, from the bass, each of them with the crown that it was levelled to."""

    zones: tuple[Crown, ...]


def in_zones(on: Fret) -> list[tuple[str, Crown]]:
    """A fret's crowns with the names of their zones."""
    return list(zip(LANES, on.zones, strict=True))


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: strokes on a side (-1 toward the nut), at an angle, in some zones; or a reading of each zone's
    line: its edges, and how far the shoulders lie under and stand over the arc.
    """

    what: What
    side: int = 1
    angle: int = 0
    strokes: int = 0
    zones: tuple[str, ...] = ()
    read: tuple[tuple[float, ...], ...] = ()

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return READING_S if self.what == "read" else SECONDS[self.strokes]


@dataclass(frozen=True, slots=True)
class LineScore:
    """Of 100: what the worst line and the worst shoulder are worth, from 0 to 1, and the time against the program's."""

    points: int
    line: float
    round: float
    seconds: float
    program_seconds: float


def fret(seed: int, level: int) -> Fret:
    """The fret of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 26)
    while True:
        made = _drawn(chance, level)
        done, end = by_program(made)
        if len(done) <= MOST_DONE and score(made, done, end, (done, end)).points >= WORTH_PLAYING:
            return made


def _drawn(chance: np.random.Generator, level: int) -> Fret:
    width = round(float(chance.uniform(2.0, 2.8)), 2)
    height = round(width * float(chance.uniform(0.43, 0.48)), 2)
    removed = chance.uniform(0.06, 0.13, 3) if level > 1 else [float(chance.uniform(0.07, 0.12))] * 3
    lean = float(chance.uniform(0.05, 0.08)) * (1 if chance.random() < 0.5 else -1) if level > 2 else 0.0
    return Fret(tuple(Crown(width, height, round(float(one), 3), round(lean, 3)) for one in removed))


def why_no_drill(truth: Fret) -> str:
    """Why a fret cannot be crowned; empty where it can."""
    if len({(one.width_mm, one.height_mm) for one in truth.zones}) > 1:
        return "it is one wire: the same width and height in every zone"
    if any(land(one.width_mm, one.height_mm, one.removed_mm) <= LAND_MM for one in truth.zones):
        return "one of its lines is thin enough already"
    if any(one != one.uncut for one in truth.zones):
        return "nobody has filed it yet: leave flats_mm out"
    done, end = by_program(truth)
    if score(truth, done, end, (done, end)).points < WORTH_PLAYING:
        return "the program itself cannot crown this fret well"
    return ""


def do(
    on: Fret, what: What, side: int = 1, angle: int = 0, strokes: int = 10, zones: Sequence[str] = LANES
) -> tuple[Fret, Done]:
    """Do one thing; the fret after it, and what it said. Raises ValueError where it cannot be done."""
    if what == "read":
        return on, Done("read", read=tuple(_looked_at(one) for one in on.zones))
    if not zones or any(zone not in LANES for zone in zones):
        raise ValueError(f"choose a zone: {', '.join(LANES)}")
    if strokes not in METAL_MM2:
        raise ValueError(f"strokes come by {' or '.join(map(str, METAL_MM2))}")
    after = [one.filed(side, angle, METAL_MM2[strokes]) if zone in zones else one for zone, one in in_zones(on)]
    return Fret(tuple(after)), Done("file", side, angle, strokes, tuple(zones))


def _looked_at(one: Crown) -> tuple[float, ...]:
    return (*(round(edge / READ_MM) * READ_MM for edge in one.line()), *one.off_round(AIM_MM))


def by_program(on: Fret) -> tuple[list[Done], Fret]:
    """What the program would do, and the fret after it: from the steepest angle to the flattest, on both sides, down to
    the arc that its line asks for, every zone at once as far as all of them want it.
    """
    done: list[Done] = []
    for angle in ANGLES:
        for side in SIDES:
            for strokes, near in ((10, 1.0), (3, 0.5)):
                while zones := [lane for lane, one in in_zones(on) if _wants(one, side, angle, strokes, near)]:
                    on, said = do(on, "file", side, angle, strokes, zones if len(zones) == len(LANES) else zones[:1])
                    done.append(said)
    return done, on


def _wants(one: Crown, side: int, angle: int, strokes: int, near: float) -> bool:
    """Whether so many strokes are wanted: a share of what they take lies over the arc; where nothing was filed at that
    angle yet, they leave the arc whole, or nearly so.
    """
    here, then = one.flat(side, angle), one.filed(side, angle, METAL_MM2[strokes]).flat(side, angle)
    wanted = one.flat_on(AIM_MM, side, angle)
    if here == UNCUT_MM:
        return then + (1 - near) * FIRST_MM >= wanted
    return here - wanted >= near * (here - then)


def line_worth(one: Crown) -> float:
    """From 0 to 1, what a crown's line is worth: how thin, in the middle, and not gone."""
    left, right = one.line()
    return min(
        fading(right - left, LAND_MM, WIDE_MM),
        fading(abs(left + right) / 2, LAND_OFF_CENTRE_MM, ASIDE_MM),
        fading(one.lost_mm, LOW_MM, TOO_LOW_MM),
    )


def score(truth: Fret, done: Sequence[Done], end: Fret, program: tuple[Sequence[Done], Fret]) -> LineScore:
    """What an attempt was worth that began on one fret and ended on another, against what `by_program` does."""
    seconds, theirs = took(done), took(program[0])
    line = min(map(line_worth, end.zones))
    shape = min(fading(max(one.off_round(AIM_MM)), ROUND_MM, ANGULAR_MM) for one in end.zones)
    spared = against(theirs, seconds)
    points = 100 * line * (LINE_SHARE + ROUND_SHARE * shape + (1 - LINE_SHARE - ROUND_SHARE) * spared)
    return LineScore(round(points), line, shape, seconds, theirs)


def fret_from(kept: Mapping[str, Any]) -> Fret:
    """A fret as it was kept."""
    return Fret(tuple(Crown(**fields_of(one)) for one in kept["zones"]))


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(**fields_of(kept))
