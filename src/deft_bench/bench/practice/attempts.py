"""Attempts at any drill: how one begins, who has reached what, what was left half-way."""

import random
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from deft_bench.core.practice.drills import DRILLS
from deft_bench.core.practice.ladder import WELL, Rung, next_level, rungs
from deft_bench.core.times import moment, stamp
from deft_bench.store import practice
from deft_bench.store.database import Connection
from deft_bench.store.practice import Attempt

MOST_SEED = practice.BY_HAND
MOST_NAME, MOST_READINGS = 60, 500
HALF_WAY_DAYS = 30
MOST_SLIPS = 20
ANSWERED = "This was answered already, in another window: its debrief is here."


class PracticeError(ValueError):
    """What is asked for cannot be done; the message says why and what is accepted."""


def begin(
    db: Connection,
    now: datetime,
    drill: str,
    person: str,
    level: int,
    draw: Callable[[int, int], Any],
    seed: int | None = None,
) -> int:
    """Start a drill on a neck that nobody has seen, or on a number's; its id. `draw` makes the truth, as JSON, of a
    seed and a level. Raises PracticeError.
    """
    person = person_named(person)
    if level not in DRILLS[drill].levels:
        raise PracticeError(f"Choose a level from 1 to {max(DRILLS[drill].levels)}.")
    seed = seed_or_new(seed)
    return practice.start(db, drill, level, seed, person, draw(seed, level), stamp(now))


def begin_on(db: Connection, now: datetime, drill: str, person: str, level: int, number: int | None, truth: Any) -> int:
    """Start a drill on a truth that is given, JSON, and the number that draws it, None where it was made by hand; its
    id. Raises PracticeError.
    """
    seed = practice.BY_HAND if number is None else number
    return practice.start(db, drill, level, seed, person_named(person), truth, stamp(now))


def seed_or_new(seed: int | None) -> int:
    """A neck's number, or one at random; raises PracticeError for one that is none."""
    seed = random.randrange(MOST_SEED) if seed is None else seed
    if not 0 <= seed < MOST_SEED:
        raise PracticeError(f"The number is a whole one from 0 to {MOST_SEED - 1}.")
    return seed


def person_named(person: str) -> str:
    """Who practises, without spaces too many; raises PracticeError for nobody."""
    person = " ".join(person.split())
    if not 1 <= len(person) <= MOST_NAME:
        raise PracticeError(f"Say who practises, in 1 to {MOST_NAME} characters.")
    return person


def of_drill(db: Connection, attempt_id: int, drill: str) -> Attempt:
    """An attempt at a drill; raises KeyError where there is none."""
    attempt = practice.get(db, attempt_id)
    if attempt.drill != drill:
        raise KeyError(attempt_id)
    return attempt


def drill_of(db: Connection, attempt_id: int) -> str:
    """Which drill an attempt is of; raises KeyError where there is none."""
    return practice.get(db, attempt_id).drill


def level_words(attempt: Attempt) -> str:
    """What is said of an attempt's level."""
    return DRILLS[attempt.drill].levels[attempt.level]


@contextmanager
def refused() -> Iterator[None]:
    """Raise PracticeError for what the drill itself refuses."""
    try:
        yield
    except ValueError as error:
        text = str(error)
        raise PracticeError(f"{text[:1].upper()}{text[1:]}.") from error


def keep(db: Connection, now: datetime, attempt_id: int, said: Any, taken: int) -> None:
    """Keep a reading, a JSON value, of an attempt that has so many; raises PracticeError."""
    if taken >= MOST_READINGS:
        raise PracticeError(f"{MOST_READINGS} readings were taken: answer, or start another.")
    try:
        practice.add_reading(db, attempt_id, said, stamp(now))
    except KeyError as error:
        raise PracticeError(ANSWERED) from error


def close(db: Connection, now: datetime, attempt_id: int, named: Any, points: int) -> None:
    """Close an attempt with what was named, a JSON value; raises PracticeError."""
    try:
        practice.answer(db, attempt_id, named, points, stamp(now))
    except KeyError as error:
        raise PracticeError(ANSWERED) from error


@dataclass(frozen=True, slots=True)
class Reached:
    """What a person has reached in a drill, level by level, and the level that is asked next."""

    drill: str
    rungs: list[Rung]
    next: int

    @property
    def well(self) -> int:
        """The highest level that was last done well, 0 for none."""
        return max((one.level for one in self.rungs if one.points is not None and one.points >= WELL), default=0)

    @property
    def weak(self) -> list[int]:
        """The levels that went badly when they were last tried."""
        return [one.level for one in self.rungs if one.points is not None and one.points < WELL]

    @property
    def tried(self) -> int:
        """How often any was tried."""
        return sum(one.tried for one in self.rungs)


def progress(db: Connection, today: date) -> dict[str, list[Reached]]:
    """What every person has reached in every drill."""
    done: dict[str, dict[str, list[tuple[int, int, date]]]] = {}
    for one in practice.outcomes(db):
        day = moment(one.started_at).date()
        done.setdefault(one.person, {}).setdefault(one.drill, []).append((one.level, one.points, day))
    return {
        person: [
            Reached(code, reached, next_level(reached, today))
            for code, drill in DRILLS.items()
            for reached in [rungs(drills.get(code, []), max(drill.levels))]
        ]
        for person, drills in done.items()
    }


def slips(db: Connection) -> list[Attempt]:
    """What was done badly, the last first."""
    return practice.below(db, WELL, MOST_SLIPS)


def unanswered(db: Connection, now: datetime) -> list[Attempt]:
    """What was left half-way in the last month, the newest first."""
    return practice.unanswered(db, stamp(now - timedelta(days=HALF_WAY_DAYS)))
