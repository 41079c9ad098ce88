"""Order of the day, at the bench: moving steps, handing the order in, what it breaks."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime

from deft_bench.bench.practice.attempts import begin, close, keep, of_drill, refused
from deft_bench.bench.sheet_state import catalogue
from deft_bench.core.practice.order import Breach, DayOrder, breaches, day_from, day_order, moved, points
from deft_bench.store import practice
from deft_bench.store.database import Connection
from deft_bench.store.practice import Attempt

DRILL = "order"


@dataclass(frozen=True, slots=True)
class InOrder:
    """An attempt with its steps and the order that they stand in now."""

    attempt: Attempt
    truth: DayOrder
    order: Sequence[str]
    moves: int

    @property
    def broken(self) -> list[Breach]:
        """What the order breaks."""
        return breaches(self.truth.rules, self.order)


def begin_order(db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
    """Start the drill; its id. Raises PracticeError."""
    book, _ = catalogue(db)
    return begin(db, now, DRILL, person, level, lambda seed, level: asdict(day_order(book, seed, level)), seed)


def in_order(db: Connection, attempt_id: int) -> InOrder:
    """An attempt as it stands; raises KeyError where there is none."""
    attempt = of_drill(db, attempt_id, DRILL)
    truth, moves = day_from(attempt.truth), practice.readings(db, attempt_id)
    order = attempt.named or (moves[-1] if moves else truth.shuffled)
    return InOrder(attempt, truth, tuple(order), len(moves))


def move(db: Connection, now: datetime, attempt_id: int, code: str, by: int) -> InOrder:
    """Take a step so many places later; the attempt with it. Raises KeyError, PracticeError."""
    found = in_order(db, attempt_id)
    with refused():
        order = moved(found.order, code, by)
    keep(db, now, attempt_id, order, found.moves)
    return replace(found, order=order, moves=found.moves + 1)


def hand_in(db: Connection, now: datetime, attempt_id: int) -> None:
    """Close the attempt with the order as it stands; raises KeyError, PracticeError."""
    found = in_order(db, attempt_id)
    close(db, now, attempt_id, list(found.order), points(found.truth.rules, found.order))
