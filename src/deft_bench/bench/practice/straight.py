"""Straight in three turns, at the bench: blades, wrench and waiting on a hidden neck, how it is left, the debrief."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime

from deft_bench.bench.practice.attempts import MOST_READINGS, PracticeError, begin, of_drill, still_open
from deft_bench.core.practice.straight import (
    GIVES_NO_MORE,
    STRAIGHT,
    Done,
    RodNeck,
    RodScore,
    Said,
    What,
    after,
    by_program,
    do,
    rod_neck,
    score,
)
from deft_bench.core.times import stamp
from deft_bench.store import practice
from deft_bench.store.database import Connection
from deft_bench.store.practice import Attempt

DRILL = "straight"
SAYINGS: dict[Said, str] = {STRAIGHT: "it is straight", GIVES_NO_MORE: "its rod gives no more"}


@dataclass(frozen=True, slots=True)
class AtTheRod:
    """An attempt with its truth before anything was done, and what was done so far."""

    attempt: Attempt
    truth: RodNeck
    done: Sequence[Done]


@dataclass(frozen=True, slots=True)
class RodDebrief:
    """What an attempt was worth, how it was left, what was done, the true neck after each; the program's way."""

    score: RodScore
    said: Said
    steps: Sequence[tuple[Done, RodNeck]]
    program: Sequence[Done]
    program_said: Said


def begin_straight(db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
    """Start the drill; its id. Raises PracticeError."""
    return begin(db, now, DRILL, person, level, lambda seed, level: asdict(rod_neck(seed, level)), seed)


def at_the_rod(db: Connection, attempt_id: int) -> AtTheRod:
    """An attempt as it stands; raises KeyError where there is none."""
    attempt = of_drill(db, attempt_id, DRILL)
    return AtTheRod(attempt, RodNeck(**attempt.truth), [Done(**one) for one in practice.readings(db, attempt_id)])


def act(db: Connection, now: datetime, attempt_id: int, what: What, eighths: int = 0) -> Done:
    """Read, turn or wait, and keep what it said; raises KeyError where there is no such attempt, PracticeError."""
    found = at_the_rod(db, attempt_id)
    if len(found.done) >= MOST_READINGS:
        raise PracticeError(f"{MOST_READINGS} things were done: say how you leave it, or start another neck.")
    neck = after(found.truth, found.done)
    if neck.forced:
        raise PracticeError("The rod was forced: say how you leave it.")
    try:
        _, said = do(neck, what, eighths)
    except ValueError as error:
        raise PracticeError(f"{str(error).capitalize()}.") from error
    with still_open():
        practice.add_reading(db, attempt_id, asdict(said), stamp(now))
    return said


def leave(db: Connection, now: datetime, attempt_id: int, said: Said) -> None:
    """Say how it is left; raises KeyError, PracticeError."""
    found = at_the_rod(db, attempt_id)
    got = score(found.truth, found.done, said)
    with still_open():
        practice.answer(db, attempt_id, said, got.points, stamp(now))


def debrief_rod(found: AtTheRod) -> RodDebrief:
    """An answered attempt, with the truth; raises PracticeError where it is not answered yet."""
    said: Said | None = found.attempt.named
    if said is None:
        raise PracticeError("Say how you leave it first: the truth is shown after that.")
    steps = [(one, after(found.truth, found.done[: k + 1])) for k, one in enumerate(found.done)]
    return RodDebrief(score(found.truth, found.done, said), said, steps, *by_program(found.truth))
