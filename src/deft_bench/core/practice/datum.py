"""Mark from one datum: fret lines on a blank, read off a rule that lies at the nut, or stepped off from the last mark.

The same seed and level are the same blank. The rule may have a worn end and may slip; dividers carry each step's error
on to all marks after it (docs/methods/practice.md). Lengths mm from the nut.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal, cast

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import against, fading, took

FRETS = 12
SCALES_MM = (610.0, 628.0, 640.0, 648.0, 660.0)
LINE_MM = 10.0
"""The rule's line that is laid at the nut where its end is not."""
KNIFE_MM = 0.1
"""The knife goes along the rule in such steps."""
WINDOW_MM = 8.0
PLACES = round(WINDOW_MM / KNIFE_MM) + 1
"""So much of the rule is seen about a mark, and so many places of the knife."""
TRUE_MM, OFF_MM = 0.1, 0.5
"""How far the worst mark may lie off: all up to the first, nothing from the second on."""
SEEN_MM = 0.05
TIME_SHARE = 0.2

What = Literal["lay_end", "lay_line", "clamp", "check", "mark", "step"]
SECONDS: Mapping[What, float] = {
    "lay_end": 15.0,
    "lay_line": 20.0,
    "clamp": 15.0,
    "check": 10.0,
    "mark": 8.0,
    "step": 4.0,
}
LEVELS: Mapping[int, str] = {
    1: "a good rule",
    2: "a rule whose end may be worn",
    3: "a rule whose end may be worn, and that may slip",
}


@dataclass(frozen=True, slots=True)
class Marking:
    """A blank that is being marked. The rule: how much is worn off its end, after which mark it slips and how far where
    nothing holds it; what each step of the dividers is off. The rule's line that lies at the nut (None before it is
    laid) and how far past the nut; whether it is clamped, whether it slipped; each mark, fret 1 first.
    """

    scale_mm: float
    worn_mm: float
    slips_after: int
    slip_mm: float
    steps_mm: tuple[float, ...]
    at_line_mm: float | None = None
    past_mm: float = 0.0
    clamped: bool = False
    slipped: bool = False
    marks_mm: tuple[float, ...] = ()

    @property
    def wanted_mm(self) -> tuple[float, ...]:
        """Where each fret's line belongs."""
        return tuple(fret_positions(self.scale_mm, FRETS))

    @property
    def off_mm(self) -> tuple[float, ...]:
        """How far each mark lies off, toward the bridge positive."""
        return tuple(at - wanted for at, wanted in zip(self.marks_mm, self.wanted_mm, strict=False))

    @property
    def fret(self) -> int:
        """The fret to be marked; one past the last once all are."""
        return len(self.marks_mm) + 1

    @property
    def seen_from_mm(self) -> float:
        """What the rule reads, as it lies, where the piece of it begins that is seen about the next mark."""
        wanted = self.wanted_mm[min(self.fret, FRETS) - 1] + (self.at_line_mm or 0.0)
        return float(round(wanted - WINDOW_MM / 2))

    def reading_at(self, place: int) -> float:
        """What the knife reads at one of its places on that piece, from 1."""
        return nearest_step(self.seen_from_mm + KNIFE_MM * (place - 1))

    @property
    def ready(self) -> bool:
        """Whether every fret is marked."""
        return self.fret > FRETS


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: the rule laid, clamped or checked (`seen_mm`: past the nut), or a fret marked, by the reading of
    the knife on the rule or by a step.
    """

    what: What
    fret: int = 0
    reading_mm: float = 0.0
    seen_mm: float = 0.0

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what]


@dataclass(frozen=True, slots=True)
class MarkingScore:
    """Of 100: how far the worst mark lies off, and the time against the program's."""

    points: int
    worst_mm: float
    seconds: float
    program_seconds: float


def marking(seed: int, level: int) -> Marking:
    """The blank of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 29)
    # dividers that are set by eye are off to one side as well as at random
    steps = np.round(chance.normal(float(chance.choice([-1.0, 1.0])) * 0.04, 0.05, FRETS), 3)
    worn = round(float(chance.uniform(0.2, 0.6)), 2) if level > 1 and chance.random() < 0.7 else 0.0
    slip = round(float(chance.uniform(0.25, 0.6)) * float(chance.choice([-1.0, 1.0])), 2) if level > 2 else 0.0
    after = int(chance.integers(3, FRETS - 2)) if level > 2 else FRETS
    return Marking(float(chance.choice(SCALES_MM)), worn, after, slip, tuple(steps.tolist()))


def why_no_drill(truth: Marking) -> str:
    """Why a blank cannot be practised on; empty where it can."""
    if truth != Marking(truth.scale_mm, truth.worn_mm, truth.slips_after, truth.slip_mm, truth.steps_mm):
        return "nobody has marked it yet: leave at_line_mm and what follows out"
    done, end = by_program(truth)
    if score(truth, done, end, (done, end)).points < WORTH_PLAYING:
        return "the program itself cannot mark this blank"
    return ""


def do(on: Marking, what: What, reading_mm: float = 0.0) -> tuple[Marking, Done]:
    """Do one thing; the blank after it, and what it said. Raises ValueError where it cannot be done."""
    if what in ("lay_end", "lay_line"):
        line = LINE_MM if what == "lay_line" else 0.0
        past = 0.0 if line else -on.worn_mm
        return replace(on, at_line_mm=line, past_mm=past, clamped=False, slipped=False), Done(what)
    if what == "step":
        return _stepped(on)
    if on.at_line_mm is None:
        raise ValueError("lay the rule first")
    if what == "clamp":
        return replace(on, clamped=True), Done(what)
    if what == "check":
        # a worn end that lies at the nut looks right: only what slipped is seen
        seen = on.past_mm if on.at_line_mm else on.past_mm + on.worn_mm
        return on, Done(what, seen_mm=round(seen / SEEN_MM) * SEEN_MM)
    return _marked(on, reading_mm)


def _stepped(on: Marking) -> tuple[Marking, Done]:
    if on.ready:
        raise ValueError("every fret is marked")
    before, wanted = (on.marks_mm[-1] if on.marks_mm else 0.0), (0.0, *on.wanted_mm)
    at = before + wanted[on.fret] - wanted[on.fret - 1] + on.steps_mm[on.fret - 1]
    return replace(on, marks_mm=(*on.marks_mm, at)), Done("step", on.fret)


def _marked(on: Marking, reading_mm: float) -> tuple[Marking, Done]:
    if on.ready:
        raise ValueError("every fret is marked")
    at = reading_mm - cast("float", on.at_line_mm) + on.past_mm
    if abs(at - on.wanted_mm[on.fret - 1]) > WINDOW_MM:
        raise ValueError(f"the knife is not near fret {on.fret}")
    said = Done("mark", on.fret, reading_mm)
    on = replace(on, marks_mm=(*on.marks_mm, at))
    if on.fret > on.slips_after and not (on.clamped or on.slipped):
        on = replace(on, past_mm=on.past_mm + on.slip_mm, slipped=True)
    return on, said


def by_program(on: Marking) -> tuple[list[Done], Marking]:
    """What the program would do, and the blank after it: the rule's 10 mm line at the nut, clamped; every mark from
    there, to the knife's nearest step.
    """
    done: list[Done] = []
    begins: tuple[What, ...] = ("lay_line", "clamp")
    for what in begins:
        on, said = do(on, what)
        done.append(said)
    for wanted in on.wanted_mm:
        on, said = do(on, "mark", nearest_step(wanted + LINE_MM))
        done.append(said)
    return done, on


def nearest_step(reading_mm: float) -> float:
    """The knife's step on the rule that is nearest to a reading."""
    return round(round(reading_mm / KNIFE_MM) * KNIFE_MM, 6)


def score(truth: Marking, done: Sequence[Done], end: Marking, program: tuple[Sequence[Done], Marking]) -> MarkingScore:
    """What an attempt was worth that ended in a marked blank, against what `by_program` does."""
    seconds, theirs = took(done), took(program[0])
    worst = max((abs(off) for off in end.off_mm), default=0.0)
    good = fading(worst, TRUE_MM, OFF_MM) if end.ready else 0.0
    spared = against(theirs, seconds)
    return MarkingScore(round(100 * good * (1 - TIME_SHARE + TIME_SHARE * spared)), worst, seconds, theirs)


def marking_from(kept: Mapping[str, Any]) -> Marking:
    """A blank as it was kept."""
    return Marking(**fields_of(kept))


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(**kept)
