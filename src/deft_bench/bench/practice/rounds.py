"""Drills in rounds, at the bench: one begun, answered round by round, and closed with the last."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime

from deft_bench.bench.practice.attempts import ANSWERED, PracticeError, begin, close, keep
from deft_bench.bench.sheet_state import catalogue
from deft_bench.core.practice import bench_sums
from deft_bench.core.practice.drills import IN_ROUNDS
from deft_bench.core.practice.level_or_lift import level_or_lift
from deft_bench.core.practice.mistakes import mistakes
from deft_bench.core.practice.read_light import read_light
from deft_bench.core.practice.rounds import Round, points, rounds_from
from deft_bench.core.practice.what_buzzes import what_buzzes
from deft_bench.store import practice
from deft_bench.store.database import Connection, transaction
from deft_bench.store.practice import Attempt

DRAWN: Mapping[str, Callable[[int, int], tuple[Round, ...]]] = {
    "light": read_light,
    "lift": level_or_lift,
    "buzzes": what_buzzes,
    "tape": bench_sums.tape_layers,
    "slot": bench_sums.slot_cuts,
    "saddle": bench_sums.saddle_cuts,
}
"""What draws the rounds of a drill by number and level; mistakes are drawn from the shop's own operations."""
MISTAKES = "mistakes"


@dataclass(frozen=True, slots=True)
class InRounds:
    """An attempt with its rounds and the answers so far."""

    attempt: Attempt
    rounds: Sequence[Round]
    answers: Sequence[float]

    @property
    def now(self) -> Round | None:
        """The round to answer; None after the last."""
        return self.rounds[len(self.answers)] if len(self.answers) < len(self.rounds) else None

    @property
    def last(self) -> tuple[Round, float] | None:
        """The round that was answered last, with its answer."""
        return (self.rounds[len(self.answers) - 1], self.answers[-1]) if self.answers else None


def begin_rounds(drill: str) -> Callable[[Connection, datetime, str, int, int | None], int]:
    """What starts a drill in rounds; it raises PracticeError."""

    def start(db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
        def draw(seed: int, level: int) -> dict[str, object]:
            if drill == MISTAKES:
                return {"rounds": [asdict(one) for one in mistakes(catalogue(db)[0], seed, level)]}
            return {"rounds": [asdict(one) for one in DRAWN[drill](seed, level)]}

        return begin(db, now, drill, person, level, draw, seed)

    return start


def in_rounds(db: Connection, attempt_id: int) -> InRounds:
    """An attempt as it stands; raises KeyError where there is none."""
    attempt = practice.get(db, attempt_id)
    if attempt.drill not in IN_ROUNDS:
        raise KeyError(attempt_id)
    return InRounds(attempt, rounds_from(attempt.truth), practice.readings(db, attempt_id))


def answer_round(db: Connection, now: datetime, attempt_id: int, number: int, given: float) -> InRounds:
    """Answer a round by its number, from 1; the last one closes the drill. Raises KeyError, PracticeError."""
    with transaction(db):
        found = in_rounds(db, attempt_id)
        if found.now is None or number != len(found.answers) + 1:
            raise PracticeError(ANSWERED if found.now is None else "That round was answered, in another window.")
        answers = [*found.answers, given]
        keep(db, now, attempt_id, given, len(found.answers))
        if len(answers) == len(found.rounds):
            close(db, now, attempt_id, answers, points(found.rounds, answers))
    return in_rounds(db, attempt_id)
