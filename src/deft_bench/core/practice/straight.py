"""Straight in three turns: bring a neck straight with its rod, by straightedge and blades, turn, wait and read again.

The same seed and level are the same neck. Its rod takes out so much relief a turn, follows a turn at once by a share
and creeps the rest while the neck settles, has slack between tightening and loosening, and comes to its end, where the
wrench stops; who turns on there forces it, and it is spoiled.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from deft_bench.core.neck.truss_rod import Turn, truss_rod
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of

BLADES_MM = (0.03, 0.05, 0.08, 0.10, 0.13, 0.15, 0.18, 0.20, 0.25, 0.30, 0.35, 0.40, 0.50)
EIGHTHS = (-2, -1, 1, 2)
"""What the wrench may be turned at once, eighths of a turn, tightening positive: never more than a quarter."""
SECONDS: Mapping["What", float] = {"read": 40.0, "turn": 30.0, "wait": 600.0}
"""What each takes on a bench."""
TURNS_WANTED = 3
NEAR_MM, OFF_MM = 0.05, 0.2
"""A neck within the first is straight, as far as these blades tell; one as far off as the second is worth nothing."""
FIRM, HARD = 0.5, 0.2
"""Turns left before the rod's end from which the wrench goes firmly, and hard."""
RIGHT_SHARE, TURN_SHARE = 0.6, 0.2
MOST_TURNS = 12

What = Literal["read", "turn", "wait"]
Feel = Literal["easy", "firm", "hard", "stops", "forced", ""]
Said = Literal["straight", "no_more"]
STRAIGHT: Said = "straight"
GIVES_NO_MORE: Said = "no_more"
LEVELS: Mapping[int, str] = {
    1: "forward bow, a rod that answers",
    2: "either bow, with slack and creep",
    3: "a rod that may have come to its end",
}


@dataclass(frozen=True, slots=True)
class RodNeck:
    """A neck as it stands: `bow_mm` of relief it shows, `coming_mm` that will still creep (both forward positive); how
    its rod answers, mm a turn, the slack between directions and the turns left to its end; whether the wrench stopped
    and whether it was forced. `taken_up` is how much of the slack is taken up toward tightening.
    """

    bow_mm: float
    mm_a_turn: float
    creep: float
    slack: float
    left: float
    coming_mm: float = 0.0
    taken_up: float = 0.0
    stopped: bool = False
    forced: bool = False

    @property
    def settled_mm(self) -> float:
        """The relief once it has settled."""
        return self.bow_mm + self.coming_mm

    @property
    def can_be_straight(self) -> bool:
        """Whether the turns that are left are enough."""
        return self.settled_mm <= NEAR_MM or self.settled_mm - self.left * self.mm_a_turn <= NEAR_MM

    def turned(self, turns: float) -> tuple["RodNeck", Feel]:
        """Turn the wrench, tightening positive; and how that felt."""
        if turns > self.left + 1e-9:
            return replace(self, stopped=True, forced=self.stopped), "forced" if self.stopped else "stops"
        taken = min(self.slack, max(0.0, self.taken_up + turns))
        acts = turns - (taken - self.taken_up)
        change = -acts * self.mm_a_turn
        left = self.left - turns
        feel: Feel = "easy" if turns < 0 or left > FIRM else "firm" if left > HARD else "hard"
        moved = replace(
            self,
            bow_mm=self.bow_mm + (1 - self.creep) * change,
            coming_mm=self.coming_mm + self.creep * change,
            left=left,
            taken_up=taken,
        )
        return moved, feel

    def waited(self) -> "RodNeck":
        """Let it settle, strings at pitch."""
        return replace(self, bow_mm=self.settled_mm, coming_mm=0.0)


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done, with what was felt or read: the thickest blade that passes and the next that stops, mm (None:
    none does), under the middle of an edge on the ends, or, of a back-bow, under its ends.
    """

    what: What
    eighths: int = 0
    feel: Feel = ""
    passes_mm: float | None = None
    stops_mm: float | None = None
    back: bool = False

    @property
    def relief_mm(self) -> float:
        """What the blades say the relief is: half-way between the one that passes and the one that stops."""
        size = ((self.passes_mm or 0.0) + (self.stops_mm or (self.passes_mm or 0.0) + 0.1)) / 2
        return -size if self.back else size


@dataclass(frozen=True, slots=True)
class RodScore:
    """Of 100: how straight it is in the end or how rightly it was left, the turns and the seconds against what the
    program takes.
    """

    points: int
    settled_mm: float
    turns: int
    seconds: float
    program_turns: int
    program_seconds: float


def rod_neck(seed: int, level: int) -> RodNeck:
    """The neck of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 8)
    while True:
        made = _drawn(chance, level)
        if not why_no_drill(made):
            return made


def why_no_rod(truth: RodNeck) -> str:
    """Why a rod cannot be as it is said before anybody turned it; empty where it can."""
    if truth.taken_up > truth.slack:
        return "taken_up: more slack is taken up than there is"
    if truth.stopped or truth.forced:
        return "a rod that stopped or was forced is no drill"
    return ""


def why_no_drill(truth: RodNeck) -> str:
    """Why a neck cannot be practised on; empty where it can."""
    if why := why_no_rod(truth):
        return why
    if score(truth, *by_program(truth)).points < WORTH_PLAYING:
        return "the program itself cannot bring this neck straight, nor tell that its rod gives no more"
    return ""


def _drawn(chance: np.random.Generator, level: int) -> RodNeck:
    bow = float(chance.uniform(0.2, 0.28))
    if level == 1:
        return RodNeck(bow, float(chance.uniform(0.35, 0.5)), 0.1, 0.0, 2.0)
    if level == 3 and chance.random() < 0.6:
        rate, left = float(chance.uniform(0.3, 0.42)), float(chance.uniform(0.05, 0.25))
        return RodNeck(max(bow, 0.24), rate, float(chance.uniform(0.2, 0.5)), 0.0, left)
    back = level == 2 and bool(chance.random() < 0.5)
    slack = float(chance.choice([0.0, 0.125]))
    rate, creep = float(chance.uniform(0.3, 0.5)), float(chance.uniform(0.2, 0.5))
    return RodNeck(-bow if back else bow, rate, creep, slack, 2.0, taken_up=slack if back else 0.0)


def do(neck: RodNeck, what: What, eighths: int = 0) -> tuple[RodNeck, Done]:
    """Do one thing; the neck after it, and what it said. Raises ValueError where it cannot be done."""
    if what == "turn":
        if eighths not in EIGHTHS:
            raise ValueError("turn an eighth or a quarter either way: never more at once")
        after, feel = neck.turned(eighths / 8)
        return after, Done("turn", eighths, feel)
    if what == "wait":
        return neck.waited(), Done("wait")
    size = abs(neck.bow_mm)
    passes = max((blade for blade in BLADES_MM if blade <= size), default=None)
    stops = min((blade for blade in BLADES_MM if blade > size), default=None)
    return neck, Done("read", passes_mm=passes, stops_mm=stops, back=neck.bow_mm < 0)


def after(neck: RodNeck, done: Iterable[Done]) -> RodNeck:
    """The neck after what was done to it."""
    for one in done:
        neck, _ = do(neck, one.what, one.eighths)
    return neck


def seconds_of(done: Iterable[Done]) -> float:
    """What all that was done takes on a bench."""
    return sum(SECONDS[one.what] for one in done)


def turns_in(done: Iterable[Done]) -> int:
    """How often the wrench was turned."""
    return sum(one.what == "turn" for one in done)


def by_program(neck: RodNeck) -> tuple[list[Done], Said]:
    """What the program would do: read, turn as the rod's call says, wait, read again; and how it would leave it."""
    done: list[Done] = []
    turns: list[Turn] = []

    def step(what: What, eighths: int = 0) -> Done:
        nonlocal neck
        neck, said = do(neck, what, eighths)
        done.append(said)
        return said

    now = step("read")
    while len(turns) < MOST_TURNS:
        advice = truss_rod(now.relief_mm, 0.0, "dual", turns)
        eighths = round(8 * advice.next_turn)
        if advice.turn == "stop":
            return done, GIVES_NO_MORE
        if advice.turn == "none" or not eighths:
            break
        if step("turn", eighths).feel == "stops":
            return done, GIVES_NO_MORE
        step("wait")
        later = step("read")
        turns.append(Turn(eighths / 8, now.relief_mm, later.relief_mm))
        now = later
    return done, STRAIGHT


def score(truth: RodNeck, done: Sequence[Done], said: Said) -> RodScore:
    """What an attempt was worth. A forced rod is worth nothing, nor is an end that the wrench did not tell of."""
    end = after(truth, done)
    theirs, _ = by_program(truth)
    turns, program_turns = turns_in(done), turns_in(theirs)
    seconds, program_seconds = seconds_of(done), seconds_of(theirs)
    off = abs(end.settled_mm)
    near = min(1.0, max(0.0, (OFF_MM - off) / (OFF_MM - NEAR_MM)))
    at_its_end = not end.can_be_straight and any(one.feel in ("hard", "stops") for one in done)
    right = near if said == STRAIGHT else float(at_its_end)
    if end.forced:
        right = 0.0
    spared = TURN_SHARE * min(1.0, max(TURNS_WANTED, program_turns) / max(1, turns))
    spared += (1 - RIGHT_SHARE - TURN_SHARE) * min(1.0, program_seconds / max(1.0, seconds))
    return RodScore(
        round(100 * right * (RIGHT_SHARE + spared)), end.settled_mm, turns, seconds, program_turns, program_seconds
    )
