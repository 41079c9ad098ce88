"""Intonate by ear, at the bench: listening, moving the saddle, how it is left, the debrief."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime

from deft_bench.bench.practice.attempts import PracticeError, begin, close, keep, of_drill, refused
from deft_bench.core.practice.intonate import (
    Done,
    IntonateScore,
    SaddleString,
    What,
    after,
    by_program,
    do,
    saddle_string,
    score,
    seconds_of,
)
from deft_bench.store import practice
from deft_bench.store.database import Connection
from deft_bench.store.practice import Attempt

DRILL = "intonate"
RIGHT = "right"
"""What is named when it is left."""


@dataclass(frozen=True, slots=True)
class AtTheSaddle:
    """An attempt with its truth before anything was done, and what was done so far."""

    attempt: Attempt
    truth: SaddleString
    done: Sequence[Done]

    @property
    def string(self) -> SaddleString:
        """The string as it stands."""
        return after(self.truth, self.done)

    @property
    def seconds(self) -> float:
        """What all that was done takes on a bench."""
        return seconds_of(self.done)

    @property
    def moved_mm(self) -> float:
        """How far the saddle was moved in all, back positive."""
        return self.string.saddle_mm - self.truth.saddle_mm


@dataclass(frozen=True, slots=True)
class IntonateDebrief:
    """What an attempt was worth, what was done with the true cents after each, and the program's way."""

    score: IntonateScore
    steps: Sequence[tuple[Done, SaddleString]]
    program: Sequence[Done]


def begin_intonate(db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
    """Start the drill; its id. Raises PracticeError."""
    return begin(db, now, DRILL, person, level, lambda seed, level: asdict(saddle_string(seed, level)), seed)


def at_the_saddle(db: Connection, attempt_id: int) -> AtTheSaddle:
    """An attempt as it stands; raises KeyError where there is none."""
    attempt = of_drill(db, attempt_id, DRILL)
    return AtTheSaddle(
        attempt, SaddleString(**attempt.truth), [Done(**one) for one in practice.readings(db, attempt_id)]
    )


def listen_or_turn(db: Connection, now: datetime, attempt_id: int, what: What, mm: float = 0.0) -> AtTheSaddle:
    """Listen, or move the saddle, and keep it; the attempt with it. Raises KeyError, PracticeError."""
    found = at_the_saddle(db, attempt_id)
    with refused():
        _, said = do(found.string, what, mm, found.attempt.level)
    keep(db, now, attempt_id, asdict(said), len(found.done))
    return replace(found, done=[*found.done, said])


def call_right(db: Connection, now: datetime, attempt_id: int) -> None:
    """Say that it is right; raises KeyError, PracticeError."""
    found = at_the_saddle(db, attempt_id)
    close(db, now, attempt_id, RIGHT, score(found.truth, found.done).points)


def debrief_intonate(found: AtTheSaddle) -> IntonateDebrief:
    """An answered attempt, with the truth; raises PracticeError where it is not answered yet."""
    if found.attempt.named is None:
        raise PracticeError("Say that it is right first: the truth is shown after that.")
    steps = [(one, after(found.truth, found.done[: k + 1])) for k, one in enumerate(found.done)]
    return IntonateDebrief(score(found.truth, found.done), steps, by_program(found.truth))
