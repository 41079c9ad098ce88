"""Saw to a line: keep a kerf beside a line, on the waste side; a blade wanders, and a kerf leads it on.

The same seed and level are the same board. What pulls the blade aside lies in the board, place by place, and in its
teeth; the hand's turn comes into the kerf bit by bit (docs/methods/practice.md). Lengths mm; the waste side of the line
is positive.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import against, fading, took

STEPS, STEP_MM = 30, 10.0
"""A line so many times so long."""
START_MM, AIM_MM = 0.5, 0.3
"""Where the kerf begins, and where the program keeps it."""
TURN_MM, COMES = 0.18, 0.5
"""What each step of the hand's turn is worth over a step, and how much of a change comes in one."""
STONED = 0.15
"""What is left of the pull of its teeth once they are stoned."""
BACK = 3
OVER_MM, WIDE_MM, ASTRAY_MM = 0.4, 1.0, 3.0
"""So far over the line the part is worth nothing; in the waste it is worth all up to the second, nothing from the third
on.
"""
WOOD_SHARE, TIME_SHARE = 0.2, 0.2
MOST_DONE = 70

What = Literal["saw", "on", "back", "stone"]
SECONDS: Mapping[What, float] = {"saw": 6.0, "on": 22.0, "back": 20.0, "stone": 90.0}
MANY: Mapping[What, int] = {"saw": 1, "on": 5}
TURNS: Mapping[str, int] = {"well_off": 2, "off": 1, "straight": 0, "to": -1, "well_to": -2}
"""The hand's turn: away from the line, and to it."""
LEVELS: Mapping[int, str] = {
    1: "a good blade in even wood",
    2: "a blade with more set on one side",
    3: "a blade with more set on one side, and grain that changes",
}


@dataclass(frozen=True, slots=True)
class Kerf:
    """A kerf and its board: what the wood pulls the blade aside over each step, what its teeth pull it; where the kerf
    lies after each step, its lead over the last one, and how far it ever went over the line.
    """

    pulls_mm: tuple[float, ...]
    teeth_mm: float
    at_mm: tuple[float, ...] = ()
    lead_mm: float = 0.0
    over_mm: float = 0.0
    stoned: bool = False

    @property
    def now_mm(self) -> float:
        """Where it lies at its end."""
        return self.at_mm[-1] if self.at_mm else START_MM

    @property
    def left_mm(self) -> float:
        """What is left to plane off down to the line, on the mean of all steps sawn."""
        return float(np.mean(np.abs(self.at_mm))) if self.at_mm else 0.0

    @property
    def through(self) -> bool:
        """Whether it is sawn all along."""
        return len(self.at_mm) == STEPS


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: sawn on with the hand turned so far, backed out, or the teeth stoned."""

    what: What
    turn: int = 0

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what]


@dataclass(frozen=True, slots=True)
class SawScore:
    """Of 100: how far over the line and into the waste, what is left to plane and the time against the program's."""

    points: int
    over_mm: float
    most_mm: float
    left_mm: float
    program_mm: float
    seconds: float
    program_seconds: float


def kerf(seed: int, level: int) -> Kerf:
    """The board of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 28)
    while True:
        made = _drawn(chance, level)
        if not why_no_drill(made):
            return made


def _drawn(chance: np.random.Generator, level: int) -> Kerf:
    pulls = chance.normal(0, 0.03, STEPS)
    if level > 2:
        turns = sorted(chance.choice(np.arange(6, STEPS - 4), 2, replace=False))
        for part in np.split(np.arange(STEPS), turns):
            pulls[part] += chance.uniform(-0.2, 0.2)
    teeth = float(chance.uniform(0.1, 0.2)) * float(chance.choice([-1.0, 1.0])) if level > 1 else 0.0
    return Kerf(tuple(np.round(pulls, 3).tolist()), round(teeth, 3))


def why_no_drill(truth: Kerf) -> str:
    """Why a board cannot be practised on; empty where it can."""
    if truth != Kerf(truth.pulls_mm, truth.teeth_mm):
        return "nobody has sawn it yet: leave all but pulls_mm and teeth_mm out"
    done, end = by_program(truth)
    if len(done) > MOST_DONE or score(truth, done, end, (done, end)).points < WORTH_PLAYING:
        return "the program itself cannot keep this kerf by its line"
    return ""


def do(on: Kerf, what: What, turn: int = 0) -> tuple[Kerf, Done]:
    """Do one thing; the kerf after it, and what was done. Raises ValueError where it cannot be done."""
    if turn not in TURNS.values():
        raise ValueError(f"turn the hand by {min(TURNS.values())} to {max(TURNS.values())}")
    if what == "stone":
        return replace(on, stoned=True), Done(what)
    if what == "back":
        if not on.at_mm:
            raise ValueError("nothing is sawn yet: there is nothing to back out of")
        return replace(on, at_mm=on.at_mm[:-BACK], lead_mm=0.0), Done(what)
    if on.through:
        raise ValueError("it is sawn through")
    for _ in range(min(MANY[what], STEPS - len(on.at_mm))):
        on = _sawn(on, turn)
    return on, Done(what, turn)


def _sawn(on: Kerf, turn: int) -> Kerf:
    pull = on.pulls_mm[len(on.at_mm)] + on.teeth_mm * (STONED if on.stoned else 1.0)
    lead = on.lead_mm + COMES * (TURN_MM * turn + pull - on.lead_mm)
    at = on.now_mm + lead
    return replace(on, at_mm=(*on.at_mm, at), lead_mm=lead, over_mm=max(on.over_mm, -at))


def by_program(on: Kerf) -> tuple[list[Done], Kerf]:
    """What the program would do, and the kerf after it. It sees where the kerf lies, no more: what pulled it over the
    last step is what will pull it over the next, and it turns the hand so that two steps on it is nearest to its aim.
    """
    done: list[Done] = []
    pull = 0.0
    while not on.through:
        turn = min(TURNS.values(), key=lambda one: (abs(_foreseen(on, one, pull) - AIM_MM), abs(one)))
        before = on.lead_mm
        on, said = do(on, "saw", turn)
        pull += 0.5 * ((on.lead_mm - before) / COMES + before - TURN_MM * turn - pull)
        done.append(said)
    return done, on


def _foreseen(on: Kerf, turn: int, pull: float) -> float:
    first = on.lead_mm + COMES * (TURN_MM * turn + pull - on.lead_mm)
    return on.now_mm + first + first + COMES * (TURN_MM * turn + pull - first)


def score(truth: Kerf, done: Sequence[Done], end: Kerf, program: tuple[Sequence[Done], Kerf]) -> SawScore:
    """What an attempt was worth that ended in a kerf, against what `by_program` does."""
    seconds, theirs = took(done), took(program[0])
    most = max(end.at_mm, default=0.0)
    good = min(fading(end.over_mm, 0.0, OVER_MM), fading(most, WIDE_MM, ASTRAY_MM)) if end.through else 0.0
    wood = against(program[1].left_mm, end.left_mm, unspent=1.0)
    spared = against(theirs, seconds)
    points = round(100 * good * (1 - WOOD_SHARE - TIME_SHARE + WOOD_SHARE * wood + TIME_SHARE * spared))
    return SawScore(points, end.over_mm, most, end.left_mm, program[1].left_mm, seconds, theirs)


def kerf_from(kept: Mapping[str, Any]) -> Kerf:
    """A kerf as it was kept."""
    return Kerf(**fields_of(kept))


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(**fields_of(kept))
