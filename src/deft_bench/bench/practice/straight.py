"""Straight in three turns, at the bench: blades, wrench and waiting on a hidden neck, how it is left, the debrief."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime

from deft_bench.bench.practice.attempts import PracticeError, begin, close, keep, of_drill, refused
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
    seconds_of,
    turns_in,
)
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

    @property
    def seconds(self) -> float:
        """What all that was done takes on a bench."""
        return seconds_of(self.done)

    @property
    def turns(self) -> int:
        """How often the wrench was turned."""
        return turns_in(self.done)

    @property
    def last_read(self) -> Done | None:
        """The last reading; None before any."""
        return next((one for one in reversed(self.done) if one.what == "read"), None)


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


def act(db: Connection, now: datetime, attempt_id: int, what: What, eighths: int = 0) -> AtTheRod:
    """Read, turn or wait, and keep what it said; the attempt with it. Raises KeyError, PracticeError."""
    found = at_the_rod(db, attempt_id)
    neck = after(found.truth, found.done)
    if neck.forced:
        raise PracticeError("The rod was forced: say how you leave it.")
    with refused():
        _, said = do(neck, what, eighths)
    keep(db, now, attempt_id, asdict(said), len(found.done))
    return replace(found, done=[*found.done, said])


def leave(db: Connection, now: datetime, attempt_id: int, said: Said) -> None:
    """Say how it is left; raises KeyError, PracticeError."""
    found = at_the_rod(db, attempt_id)
    close(db, now, attempt_id, said, score(found.truth, found.done, said).points)


def debrief_rod(found: AtTheRod) -> RodDebrief:
    """An answered attempt, with the truth; raises PracticeError where it is not answered yet."""
    said: Said | None = found.attempt.named
    if said is None:
        raise PracticeError("Say how you leave it first: the truth is shown after that.")
    steps = [(one, after(found.truth, found.done[: k + 1])) for k, one in enumerate(found.done)]
    return RodDebrief(score(found.truth, found.done, said), said, steps, *by_program(found.truth))
