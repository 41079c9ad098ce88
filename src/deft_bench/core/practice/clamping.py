"""Glue and clamp: a fretboard on wet glue slides while it is clamped; rounds, looks and the clock keep it in place.

The same seed and level are the same board. A clamp pushes it sideways where it is turned; the others hold it, more and
more, and the glue takes hold (docs/methods/practice.md). Lengths mm, times s.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, cast

import numpy as np

from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import against, fading, took

LENGTH_MM, CLAMPS, FULL = 450.0, 6, 8
"""A board so long under so many clamps, each of them hard after so many quarter turns."""
HOLDS, HOLDS_HAND = 0.6, 0.1
"""How much harder the board moves for each quarter turn of another clamp, under a clamp and under a hand."""
DRAG = 0.5
"""What wet glue holds under each clamp, in quarter turns."""
TRUE_MM, OFF_MM = 0.1, 0.6
"""How far an end may lie off its line: all up to the first, nothing from the second on."""
DRY, TOO_DRY = 0.02, 0.4
"""What share of the turning may come after the glue's time: all up to the first, nothing from the second on."""
SEEN_MM = 0.05
TIME_SHARE = 0.2
MOST_DONE = 120

What = Literal["quarter", "turn", "loosen", "look", "push", "wait"]
SECONDS: Mapping[What, float] = {"quarter": 4.0, "turn": 7.0, "loosen": 7.0, "look": 8.0, "push": 6.0, "wait": 60.0}
"""What each takes on a bench."""
QUARTERS: Mapping[What, int] = {"quarter": 1, "turn": 4}
ENDS = ("nut", "body")
LEVELS: Mapping[int, str] = {
    1: "clamps that all lean a little to one side",
    2: "clamps that lean to both sides",
    3: "clamps that lean to both sides, and a glue that leaves little time",
}
PLACES_MM: tuple[float, ...] = tuple(np.linspace(40.0, LENGTH_MM - 40.0, CLAMPS).tolist())
INWARD_OUT = (3, 4, 2, 5, 1, 6)
"""From the middle outward."""


@dataclass(frozen=True, slots=True)
class Gluing:
    """A board that is being clamped: what a quarter turn of each clamp pushes it to the treble side where nothing holds
    it; the glue's time, and how fast it takes hold; how far each end lies off; the clamps' quarter turns, and how many
    were made in time; the clock.
    """

    pushes_mm: tuple[float, ...]
    open_s: float
    hold_s: float
    nut_mm: float = 0.0
    body_mm: float = 0.0
    quarters: tuple[int, ...] = (0,) * CLAMPS
    in_time: tuple[int, ...] = (0,) * CLAMPS
    at_s: float = 0.0

    @property
    def slips(self) -> float:
        """How freely it moves on the glue: 1 fresh, 0 from the end of the glue's time on."""
        return math.exp(-self.at_s / self.hold_s) if self.at_s < self.open_s else 0.0

    @property
    def worst_mm(self) -> float:
        """How far the end that is further off lies off its line."""
        return max(abs(self.nut_mm), abs(self.body_mm))

    @property
    def dry(self) -> float:
        """The share of the turning that was not done in the glue's time."""
        return 1 - sum(self.in_time) / (FULL * CLAMPS)


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: at a clamp, by its number from the nut; at an end; or a look, with what each end lies off."""

    what: What
    clamp: int = 0
    end: str = ""
    seen_mm: tuple[float, ...] = ()

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what]


@dataclass(frozen=True, slots=True)
class GluingScore:
    """Of 100: how far the worse end lies off, the share that was pressed too late, the time against the program's."""

    points: int
    worst_mm: float
    dry: float
    seconds: float
    program_seconds: float


def gluing(seed: int, level: int) -> Gluing:
    """The board of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 27)
    while True:
        made = _drawn(chance, level)
        if not why_no_drill(made):
            return made


def _drawn(chance: np.random.Generator, level: int) -> Gluing:
    most = 0.14 if level == 1 else 0.22
    leans = chance.uniform(0.05, most, CLAMPS)
    sides = chance.choice([-1.0, 1.0], CLAMPS) if level > 1 else np.full(CLAMPS, chance.choice([-1.0, 1.0]))
    open_s = float(chance.choice([300.0, 360.0] if level > 2 else [480.0, 600.0, 720.0]))
    return Gluing(tuple(np.round(leans * sides, 3).tolist()), open_s, round(open_s * float(chance.uniform(0.5, 0.7))))


def why_no_drill(truth: Gluing) -> str:
    """Why a board cannot be practised on; empty where it can."""
    if truth != Gluing(truth.pushes_mm, truth.open_s, truth.hold_s):
        return "nobody has touched it yet: leave all but pushes_mm, open_s and hold_s out"
    done, end = by_program(truth)
    if len(done) > MOST_DONE or score(truth, done, end, (done, end)).points < WORTH_PLAYING:
        return "the program itself cannot clamp this board in place in the glue’s time"
    hasty = truth
    for clamp in range(1, CLAMPS + 1):
        for _ in range(FULL // QUARTERS["turn"]):
            hasty, _said = do(hasty, "turn", clamp)
    return "it stays in place however it is clamped" if hasty.worst_mm <= OFF_MM else ""


def do(on: Gluing, what: What, clamp: int = 0, end: str = "nut") -> tuple[Gluing, Done]:
    """Do one thing; the board after it, and what it said. Raises ValueError where it cannot be done."""
    if what in ("quarter", "turn", "loosen") and not 1 <= clamp <= CLAMPS:
        raise ValueError(f"there is no clamp {clamp}: 1 to {CLAMPS}")
    if end not in ENDS:
        raise ValueError(f"push at one of: {', '.join(ENDS)}")
    said = Done(what)
    if what in QUARTERS:
        if on.quarters[clamp - 1] >= FULL:
            raise ValueError(f"clamp {clamp} is hard already")
        on, said = _turned(on, clamp, QUARTERS[what]), Done(what, clamp)
    elif what == "loosen":
        on, said = _with(on, clamp, -on.quarters[clamp - 1]), Done(what, clamp)
    elif what == "look":
        said = Done(what, seen_mm=tuple(round(mm / SEEN_MM) * SEEN_MM for mm in (on.nut_mm, on.body_mm)))
    elif what == "push":
        left = 1 - on.slips / (1 + HOLDS_HAND * sum(on.quarters))
        on = replace(on, nut_mm=on.nut_mm * left) if end == "nut" else replace(on, body_mm=on.body_mm * left)
        said = Done(what, end=end)
    return replace(on, at_s=on.at_s + SECONDS[what]), said


def _with(on: Gluing, clamp: int, more: int) -> Gluing:
    def added(counts: Sequence[int], by: int) -> tuple[int, ...]:
        return tuple(max(0, count + (by if n == clamp else 0)) for n, count in enumerate(counts, 1))

    timely = more if on.at_s < on.open_s or more < 0 else 0
    return replace(on, quarters=added(on.quarters, more), in_time=added(on.in_time, timely))


def _turned(on: Gluing, clamp: int, quarters: int) -> Gluing:
    """With a clamp turned, quarter by quarter: it pushes where it stands, and the board moves as a whole so that what
    holds it is dragged along least.
    """
    for _ in range(min(quarters, FULL - on.quarters[clamp - 1])):
        others = np.array([0 if n == clamp else many for n, many in enumerate(on.quarters, 1)], dtype=float)
        push = on.pushes_mm[clamp - 1] * on.slips / (1 + HOLDS * float(others.sum()))
        nut, body = least_dragged(push, PLACES_MM[clamp - 1], others + DRAG)
        on = _with(replace(on, nut_mm=on.nut_mm + nut, body_mm=on.body_mm + body), clamp, 1)
    return on


def least_dragged(push_mm: float, at_mm: float, holds: Sequence[float] | np.ndarray[Any, Any]) -> tuple[float, float]:
    """How far each end of a stiff board moves that is pushed sideways at a place: y(x) = p + b(x − at), with b so that
    Σ hold · y² over the clamps is least.
    """
    arms = np.array(PLACES_MM) - at_mm
    weights = np.asarray(holds, dtype=float)
    turn = -push_mm * float(weights @ arms) / float(weights @ arms**2)
    return push_mm - turn * at_mm, push_mm + turn * (LENGTH_MM - at_mm)


def by_program(on: Gluing) -> tuple[list[Done], Gluing]:
    """What the program would do, and the board after it: from the middle outward in rounds, a quarter turn each at
    first, with a look after every clamp while it still moves freely, and each end pushed back where it is off.
    """
    done: list[Done] = []

    def act(what: What, clamp: int = 0, end: str = "nut") -> Done:
        nonlocal on
        on, said = do(on, what, clamp, end)
        done.append(said)
        return said

    def look() -> None:
        for end, off in zip(ENDS, act("look").seen_mm, strict=True):
            if abs(off) >= SEEN_MM:
                act("push", end=end)

    for number, what in enumerate(("quarter", "quarter", "quarter", "quarter", "turn")):
        for clamp in INWARD_OUT:
            if on.quarters[clamp - 1] < FULL:
                act(cast("What", what), clamp)
            if number == 0:
                look()
        look()
    return done, on


def score(truth: Gluing, done: Sequence[Done], end: Gluing, program: tuple[Sequence[Done], Gluing]) -> GluingScore:
    """What an attempt was worth that began on one board and ended on another, against what `by_program` does."""
    seconds, theirs = took(done), took(program[0])
    good = min(fading(end.worst_mm, TRUE_MM, OFF_MM), fading(end.dry, DRY, TOO_DRY))
    spared = against(theirs, seconds)
    return GluingScore(
        round(100 * good * (1 - TIME_SHARE + TIME_SHARE * spared)), end.worst_mm, end.dry, seconds, theirs
    )


def gluing_from(kept: Mapping[str, Any]) -> Gluing:
    """A board as it was kept."""
    return Gluing(**fields_of(kept))


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(**fields_of(kept))
