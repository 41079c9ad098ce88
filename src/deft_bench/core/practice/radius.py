"""Radius by scribble: sand a blank to a radius with a radius block, by the pencil that it leaves.

The same seed and level are the same blank. The block is stiff and true; it takes wood where it bears, as a levelling
beam does (`core/frets/beam_contact.py`), here over a surface: docs/methods/radius-block.md. Lengths mm.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, cast

import numpy as np

from deft_bench.core.board.block_contact import half_band, resting, sanded
from deft_bench.core.practice.level_work import work_points
from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.worth import fading, took
from deft_bench.core.strings.frame import Array

LENGTH_MM, NUT_MM, END_MM, BLOCK_MM = 450.0, 43.0, 56.0, 200.0
PLACES, ACROSS = 9, 7
"""Places along the blank, and points across it at each."""
RADII_MM = (184.0, 241.0, 254.0, 305.0, 356.0)
ALONG = 0
"""Strokes along the whole blank are over no place."""
STROKES, PASSES, LIGHT_MM, FIRM_MM = 10, 3, 0.15, 0.8
"""So many strokes at once, gone through in so many passes, and what they take in all, off whatever bears."""
THIN_MM, GONE_MM = 0.004, 0.015
"""Pencil is thin where so much came off, and gone where so much did."""
TRUE_MM, OFF_MM = 0.025, 0.08
"""Half the width of the band about the radius: up to the first it is true, from the second on worth nothing."""
EVEN_MM, HUMP_MM, TWIST_MM = 0.006, (0.06, 0.11), (0.05, 0.1)
READ_MM = 0.01
MOST_ROUNDS, MOST_DONE = 80, 40
"""The program gives up after so many strokes; a blank that takes it more than so many acts is no drill."""

What = Literal["sand", "scribble", "gauge"]
Lean = Literal["bass", "even", "treble"]
LEANS: Mapping[Lean, float] = {"bass": -0.5, "even": 0.0, "treble": 0.5}
"""Where the hand bears across, as a share of half the width."""
SECONDS: Mapping[What, float] = {"sand": 20.0, "scribble": 25.0, "gauge": 8.0}
"""What each takes on a bench."""
LEVELS: Mapping[int, str] = {
    1: "another radius, the same all along",
    2: "another radius, and a hump or a hollow along it",
    3: "another radius, a hump or a hollow, and it winds",
}

WIDTHS_MM: tuple[float, ...] = tuple(np.linspace(NUT_MM, END_MM, PLACES).tolist())
"""How wide the blank is at each place."""

_X = np.repeat(np.linspace(0.0, LENGTH_MM, PLACES), ACROSS)
_HALF = np.repeat(WIDTHS_MM, ACROSS) / 2
_Y = np.tile(np.linspace(-1.0, 1.0, ACROSS), PLACES) * _HALF
_HANDS = range(2, PLACES)
"""Where the hand goes in strokes along the whole: the block runs over an end by less than a third."""
_PLANE = np.stack([np.ones_like(_X), _X / LENGTH_MM, _Y / END_MM], axis=1)

Rows = tuple[tuple[float, ...], ...]
"""A figure for each point: by place, from the nut, and across it from the bass."""


@dataclass(frozen=True, slots=True)
class Blank:
    """A blank and the radius wanted: its top by place and across, over its glue face; what came off since it was
    scribbled on, and in all. Empty rows are none.
    """

    radius_mm: float
    tops: Rows
    since_scribble: Rows = ()
    taken: Rows = ()

    @property
    def over(self) -> Array:
        """The top with the radius wanted taken off: plane where the radius is true."""
        found: Array = np.array(self.tops).ravel() + _Y**2 / (2 * self.radius_mm)
        return found

    @property
    def band_mm(self) -> float:
        """Half the width of the band about the radius that holds the top."""
        return half_band(_PLANE, self.over)

    @property
    def taken_mm(self) -> float:
        """All that came off, over all points."""
        return sum(map(sum, self.taken))

    def to_come_off(self) -> Rows:
        """The least that comes off each point where the radius lies wholly in the wood."""
        return _rows(np.maximum(self.over + resting(_PLANE, -self.over), 0.0))

    def pencil(self) -> tuple[tuple[int, ...], ...]:
        """The pencil at each point: 2 whole, 1 thin, 0 gone."""
        off = self.since_scribble or _NONE
        return tuple(tuple(2 if mm < THIN_MM else 1 if mm < GONE_MM else 0 for mm in row) for row in off)


_NONE: Rows = ((0.0,) * ACROSS,) * PLACES


def _rows(flat: Array) -> Rows:
    return tuple(tuple(row) for row in flat.reshape(PLACES, ACROSS).tolist())


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: strokes with the block over a place, the hand to one side or even, light or firm; pencil put on
    again; or a radius gauge laid across at a place, with the gaps under it from the bass.
    """

    what: What
    place: int = 0
    lean: Lean = "even"
    firm: bool = False
    gaps_mm: tuple[float, ...] = ()

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what]


@dataclass(frozen=True, slots=True)
class RadiusScore:
    """Of 100: how true it ends (half the width of its band), the wood and the seconds against the program's, and the
    least wood that the radius asks for; wood on the mean of all points.
    """

    points: int
    band_mm: float
    taken_mm: float
    program_mm: float
    least_mm: float
    seconds: float
    program_seconds: float


def blank(seed: int, level: int) -> Blank:
    """The blank of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 25)
    while True:
        made = _drawn(chance, level)
        done, end = by_program(made)
        if end.band_mm <= TRUE_MM and len(done) <= MOST_DONE:
            return made


def _drawn(chance: np.random.Generator, level: int) -> Blank:
    radius = float(chance.choice(RADII_MM))
    has = radius * float(chance.uniform(0.75, 0.85) if chance.random() < 0.5 else chance.uniform(1.2, 1.35))
    top = -(_Y**2) / (2 * has) + chance.normal(0, EVEN_MM, len(_X))
    if level > 1:
        middle, size = float(chance.uniform(100, 350)), float(chance.uniform(*HUMP_MM))
        top += (1 if chance.random() < 0.5 else -1) * size * np.maximum(0.0, 1 - ((_X - middle) / 150) ** 2)
    if level > 2:
        wind = float(chance.uniform(*TWIST_MM)) * (1 if chance.random() < 0.5 else -1)
        top += wind * (_Y / _HALF) * (2 * _X / LENGTH_MM - 1)
    return Blank(radius, _rows(top))


def why_no_drill(truth: Blank) -> str:
    """Why a blank cannot be practised on; empty where it can."""
    if truth.taken or truth.since_scribble:
        return "nothing has come off a blank that nobody has touched: leave taken and since_scribble empty"
    if truth.band_mm <= TRUE_MM:
        return "its radius is true already"
    if by_program(truth)[1].band_mm > TRUE_MM:
        return "the program itself cannot bring this blank to its radius"
    return ""


def do(on: Blank, what: What, place: int = 0, lean: Lean = "even", *, firm: bool = False) -> tuple[Blank, Done]:
    """Do one thing; the blank after it, and what it said. Raises ValueError where it cannot be done."""
    if what == "scribble":
        return Blank(on.radius_mm, on.tops, (), on.taken), Done("scribble")
    if not (1 <= place <= PLACES or (place == ALONG and what == "sand")):
        raise ValueError(f"there is no place {place}: 1 to {PLACES}")
    if what == "gauge":
        here = slice((place - 1) * ACROSS, place * ACROSS)
        over = on.over[here]
        gaps = resting(_PLANE[here][:, [0, 2]], over) - over
        return on, Done("gauge", place, gaps_mm=tuple((np.round(gaps / READ_MM) * READ_MM).tolist()))
    if lean not in LEANS:
        raise ValueError(f"lean to one of: {', '.join(LEANS)}")
    over, hands = on.over, _HANDS if place == ALONG else [max(1, place - 1), place, min(PLACES, place + 1)]
    for hand in hands:
        over = over - _stroked(over, hand, LEANS[lean], (FIRM_MM if firm else LIGHT_MM) / len(hands))
    more = _rows(on.over - over)
    after = Blank(
        on.radius_mm,
        _added(on.tops, _rows(over - on.over)),
        _added(on.since_scribble or _NONE, more),
        _added(on.taken or _NONE, more),
    )
    return after, Done("sand", place, lean, firm)


def _stroked(over: Array, place: int, lean: float, take: float) -> Array:
    """What comes off with the block over a place."""
    hand = (place - 1) * LENGTH_MM / (PLACES - 1)
    under = np.abs(_X - hand) <= BLOCK_MM / 2
    at = np.array([1.0, hand / LENGTH_MM, lean * float(_HALF[(place - 1) * ACROSS]) / END_MM])
    off = np.zeros_like(_X)
    off[under] = sanded(_PLANE[under], over[under], at, [take / PASSES] * PASSES)
    return off


def _added(sums: Rows, more: Rows) -> Rows:
    return tuple(tuple(a + b for a, b in zip(row, other, strict=True)) for row, other in zip(sums, more, strict=True))


def by_program(on: Blank) -> tuple[list[Done], Blank]:
    """What the program would do, and the blank after it: gauge every place, then sand along the whole or where most
    should come off, even or leaning, whichever leaves least; firmly while there is much, until it is true.
    """
    done = [do(on, "gauge", place)[1] for place in range(1, PLACES + 1)]
    for _ in range(MOST_ROUNDS):
        if on.band_mm <= TRUE_MM:
            break
        tried = [do(on, "sand", place, lean, firm=_much(on)) for place, lean in _worth_trying(on)]
        on, said = min(tried, key=lambda one: sum(map(sum, one[0].to_come_off())))
        done.append(said)
    return done, on


def _much(on: Blank) -> bool:
    return sum(map(sum, on.to_come_off())) > 3 * FIRM_MM


def _worth_trying(on: Blank) -> list[tuple[int, Lean]]:
    """Along the whole blank, or where most should come off; even, or to the side where more should."""
    off = np.array(on.to_come_off()).ravel()
    hands = np.linspace(0.0, LENGTH_MM, PLACES)
    place = 2 + int(np.argmax([float(off[np.abs(_X - hand) <= BLOCK_MM / 2].sum()) for hand in hands[1:-1]]))
    found: list[tuple[int, Lean]] = []
    for at, under in ((ALONG, off >= 0), (place, np.abs(_X - hands[place - 1]) <= BLOCK_MM / 2)):
        side: Lean = "bass" if float(off[under] @ (_Y / _HALF)[under]) < 0 else "treble"
        found += [(at, "even"), (at, side)]
    return found


def score(truth: Blank, done: Sequence[Done], end: Blank, program: tuple[Sequence[Done], Blank]) -> RadiusScore:
    """What an attempt was worth that began on one blank and ended on another, against what `by_program` does."""
    theirs, their_end = program
    seconds, their_seconds = took(done), took(theirs)
    flat = fading(end.band_mm, TRUE_MM, OFF_MM)
    return RadiusScore(
        work_points(flat, end.taken_mm, their_end.taken_mm, seconds, their_seconds),
        end.band_mm,
        end.taken_mm / len(_X),
        their_end.taken_mm / len(_X),
        sum(map(sum, truth.to_come_off())) / len(_X),
        seconds,
        their_seconds,
    )


def blank_from(kept: Mapping[str, Any]) -> Blank:
    """A blank as it was kept."""
    rows = {name: tuple(map(tuple, kept.get(name, ()))) for name in ("tops", "since_scribble", "taken")}
    return Blank(kept["radius_mm"], **rows)


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(cast("What", kept["what"]), kept["place"], kept["lean"], kept["firm"], tuple(kept["gaps_mm"]))
