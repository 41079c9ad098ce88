"""File the ends: fret ends filed flush with the board's edge, and bevelled, and the edge itself left alone.

The same seed and level are the same board. A long file in its block takes metal where it bears, as a levelling beam
does (`core/frets/beam_contact.py`); between the frets it bears on the edge of the board. Lengths mm.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, Literal, cast

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.beam_contact import stroked
from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import against, fading, took

FRETS, SCALE_MM = 22, 640.0
POSITIONS: tuple[float, ...] = tuple(fret_positions(SCALE_MM, FRETS))
SIDES = ("bass", "treble")
LIGHT_MM, FIRM_MM, PASSES = 0.15, 1.0, 5
"""What ten strokes take off in all, gone through in so many passes."""
FLUSH_MM, OVER_MM = 0.03, 0.15
"""How far the worst end may stand over the edge: all up to the first, nothing from the second on."""
BEVEL_MM, SHORT_MM = (0.25, 0.45), 0.2
"""How wide every bevel is; so much more or less is worth nothing."""
EDGE_MM, BARE_MM = 0.01, 0.06
"""What may come off the board's edge: all up to the first, nothing from the second on."""
TIME_SHARE = 0.3
MOST_DONE = 120

What = Literal["flush", "flush_firm", "bevel", "bevel_firm", "feel"]
SECONDS: Mapping[What, float] = {"flush": 12.0, "flush_firm": 12.0, "bevel": 12.0, "bevel_firm": 12.0, "feel": 15.0}
TAKES: Mapping[What, float] = {"flush": LIGHT_MM, "bevel": LIGHT_MM, "flush_firm": FIRM_MM, "bevel_firm": FIRM_MM}
PLACES = 5
"""Where the hand bears along the file, from the nut."""
LEVELS: Mapping[int, str] = {
    1: "ends that all stand out alike",
    2: "ends cut off unevenly",
    3: "ends cut off unevenly, more toward the body",
}
_BETWEEN = [POSITIONS[0] / 2, *((a + b) / 2 for a, b in pairwise(POSITIONS))]
_BETWEEN += [POSITIONS[-1] + 6.0]
_X = np.sort([*POSITIONS, *_BETWEEN])
_IS_FRET = np.isin(_X, POSITIONS)
_HANDS = np.linspace(_X[0], _X[-1], PLACES + 2)[1:-1]

Row = tuple[float, ...]


@dataclass(frozen=True, slots=True)
class Edge:
    """One side of the board: how far each fret's end stands over the edge, how wide each is bevelled, and what came
    off the edge between the frets.
    """

    over_mm: Row
    bevel_mm: Row = (0.0,) * FRETS
    bare_mm: Row = (0.0,) * (FRETS + 1)

    def worth(self) -> float:
        """From 0 to 1: flush, evenly bevelled, and its edge left alone."""
        least, most = BEVEL_MM
        amiss = max(max(0.0, least - min(self.bevel_mm)), max(0.0, max(self.bevel_mm) - most))
        return min(
            fading(max(self.over_mm), FLUSH_MM, OVER_MM),
            fading(amiss, 0.0, SHORT_MM),
            fading(max(self.bare_mm), EDGE_MM, BARE_MM),
        )


@dataclass(frozen=True, slots=True)
class Ends:
    """A board's two sides, the bass first."""

    sides: tuple[Edge, Edge]


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done on a side: ten strokes with the hand at a place, flush or at the bevel; or a finger along it, with
    the end that stands furthest out, the narrowest and the widest bevel, and what came off the edge.
    """

    what: What
    side: str
    place: int = 0
    felt_mm: tuple[float, ...] = ()

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what]


@dataclass(frozen=True, slots=True)
class EndsScore:
    """Of 100: what the worse side is worth, from 0 to 1, and the time against the program's."""

    points: int
    side: float
    seconds: float
    program_seconds: float


def ends(seed: int, level: int) -> Ends:
    """The board of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 34)
    while True:
        made = Ends((_drawn(chance, level), _drawn(chance, level)))
        if not why_no_drill(made):
            return made


def _drawn(chance: np.random.Generator, level: int) -> Edge:
    spread = 0.02 if level == 1 else 0.09
    over = chance.uniform(0.2, 0.35) + chance.normal(0, spread, FRETS)
    if level > 2:
        over = over + np.linspace(0.0, float(chance.uniform(0.15, 0.3)), FRETS)
    return Edge(tuple(np.round(np.maximum(0.05, over), 3).tolist()))


def why_no_drill(truth: Ends) -> str:
    """Why a board cannot be practised on; empty where it can."""
    if any(one != Edge(one.over_mm) for one in truth.sides):
        return "nobody has filed it yet: leave bevel_mm and bare_mm out"
    done, end = by_program(truth)
    if len(done) > MOST_DONE or score(truth, done, end, (done, end)).points < WORTH_PLAYING:
        return "the program itself cannot file these ends"
    return ""


def do(on: Ends, what: What, side: str, place: int = 3) -> tuple[Ends, Done]:
    """Do one thing; the board after it, and what it told. Raises ValueError where it cannot be done."""
    if side not in SIDES:
        raise ValueError(f"choose a side: {', '.join(SIDES)}")
    if not 1 <= place <= PLACES:
        raise ValueError(f"there is no place {place}: 1 to {PLACES}")
    at = SIDES.index(side)
    edge = on.sides[at]
    if what == "feel":
        felt = (max(edge.over_mm), min(edge.bevel_mm), max(edge.bevel_mm), max(edge.bare_mm))
        return on, Done(what, side, felt_mm=tuple(round(mm, 2) for mm in felt))
    after = _filed(edge, what, place)
    return Ends((after, on.sides[1]) if at == 0 else (on.sides[0], after)), Done(what, side, place)


def _filed(edge: Edge, what: What, place: int) -> Edge:
    takes, hand = [TAKES[what] / PASSES] * PASSES, float(_HANDS[place - 1])
    if what.startswith("bevel"):
        # a corner stands out by what its end does, and comes down as it is bevelled
        corners = np.array(edge.over_mm) - np.array(edge.bevel_mm)
        off = corners - stroked(POSITIONS, corners, float(np.clip(hand, POSITIONS[0] + 1, POSITIONS[-1] - 1)), takes)
        return replace(edge, bevel_mm=tuple((np.array(edge.bevel_mm) + off).tolist()))
    heights = np.zeros_like(_X)
    heights[_IS_FRET], heights[~_IS_FRET] = edge.over_mm, -np.array(edge.bare_mm)
    left = stroked(_X.tolist(), heights.tolist(), hand, takes)
    return replace(edge, over_mm=tuple(left[_IS_FRET].tolist()), bare_mm=tuple((-left[~_IS_FRET]).tolist()))


def by_program(on: Ends) -> tuple[list[Done], Ends]:
    """What the program would do, and the board after it: on each side flush, firmly while much stands out, with the
    hand where most does; then the bevel, with the hand where it is narrowest; a finger along it now and then.
    """
    done: list[Done] = []
    for at, side in enumerate(SIDES):
        for what, much in (("flush", _much_over), ("bevel", _much_to_bevel)):
            for _ in range(MOST_DONE // 4):
                left, place = much(on.sides[at])
                if left <= 0:
                    break
                firm = left > 1.5 * FIRM_MM / FRETS
                on, said = do(on, cast("What", f"{what}_firm" if firm else what), side, place)
                done.append(said)
            on, said = do(on, "feel", side)
            done.append(said)
    return done, on


def _much_over(edge: Edge) -> tuple[float, int]:
    return max(edge.over_mm) - FLUSH_MM, _place_of(edge.over_mm)


def _much_to_bevel(edge: Edge) -> tuple[float, int]:
    wanted = BEVEL_MM[0] + 0.02
    return wanted - min(edge.bevel_mm), _place_of([wanted - mm for mm in edge.bevel_mm])


def _place_of(weights: Sequence[float]) -> int:
    """Where the middle of what should come off lies."""
    much = np.maximum(0.0, np.array(weights))
    middle = float(much @ np.array(POSITIONS) / much.sum()) if much.sum() else POSITIONS[FRETS // 2]
    return 1 + int(np.argmin(np.abs(_HANDS - middle)))


def score(truth: Ends, done: Sequence[Done], end: Ends, program: tuple[Sequence[Done], Ends]) -> EndsScore:
    """What an attempt was worth that ended in filed ends, against what `by_program` does."""
    seconds, theirs = took(done), took(program[0])
    side = min(one.worth() for one in end.sides)
    spared = against(theirs, seconds)
    return EndsScore(round(100 * side * (1 - TIME_SHARE + TIME_SHARE * spared)), side, seconds, theirs)


def ends_from(kept: Mapping[str, Any]) -> Ends:
    """A board as it was kept."""
    bass, treble = (Edge(**fields_of(one)) for one in kept["sides"])
    return Ends((bass, treble))


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(**fields_of(kept))
