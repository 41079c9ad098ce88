"""Attempts at any drill: how one begins, who has reached what, what was left half-way."""

import random
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from deft_bench.core.practice import culprit, order, straight
from deft_bench.core.practice.ladder import Rung, rungs
from deft_bench.core.times import moment, stamp
from deft_bench.store import practice
from deft_bench.store.database import Connection
from deft_bench.store.practice import Attempt

MOST_SEED = 10**9
MOST_NAME, MOST_READINGS = 60, 500
HALF_WAY_DAYS = 30
ANSWERED = "This neck was answered already, in another window: its debrief is here."


class PracticeError(ValueError):
    """What is asked for cannot be done; the message says why and what is accepted."""


@dataclass(frozen=True, slots=True)
class Drill:
    """A drill: its title, what it asks and teaches, and what is said of each of its levels."""

    title: str
    aim: str
    levels: Mapping[int, str]


DRILLS: Mapping[str, Drill] = {
    "culprit": Drill(
        "Find the culprit",
        "A straight neck, and a fret or a few that stand proud or low. Find them with a rocker and a straightedge,"
        " as at the bench; then the truth is shown. About three minutes.",
        {level: words for level, (words, _) in culprit.LEVELS.items()},
    ),
    "straight": Drill(
        "Straight in three turns",
        "A bowed neck and its rod. Read it with an edge and blades, turn, let it settle, read again, and leave it"
        " straight or say that its rod gives no more. About four minutes.",
        straight.LEVELS,
    ),
    "order": Drill(
        "Order of the day",
        "Steps of a job, shuffled. Put them in an order that spoils nothing; what each breach spoils is said. About two"
        " minutes.",
        order.LEVELS,
    ),
}


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
    person = " ".join(person.split())
    if not 1 <= len(person) <= MOST_NAME:
        raise PracticeError(f"Say who practises, in 1 to {MOST_NAME} characters.")
    if level not in DRILLS[drill].levels:
        raise PracticeError(f"Choose a level from 1 to {max(DRILLS[drill].levels)}.")
    seed = random.randrange(MOST_SEED) if seed is None else seed
    if not 0 <= seed < MOST_SEED:
        raise PracticeError(f"The number is a whole one from 0 to {MOST_SEED - 1}.")
    return practice.start(db, drill, level, seed, person, draw(seed, level), stamp(now))


def of_drill(db: Connection, attempt_id: int, drill: str) -> Attempt:
    """An attempt at a drill; raises KeyError where there is none."""
    attempt = practice.get(db, attempt_id)
    if attempt.drill != drill:
        raise KeyError(attempt_id)
    return attempt


@contextmanager
def still_open() -> Iterator[None]:
    """Say it where an attempt was answered meanwhile."""
    try:
        yield
    except KeyError as error:
        raise PracticeError(ANSWERED) from error


def progress(db: Connection) -> dict[str, dict[str, list[Rung]]]:
    """By person and drill what was reached at each level and when it is asked again."""
    done: dict[str, dict[str, list[tuple[int, int, date]]]] = {}
    for one in practice.outcomes(db):
        day = moment(one.started_at).date()
        done.setdefault(one.person, {}).setdefault(one.drill, []).append((one.level, one.points, day))
    return {
        person: {drill: rungs(drills.get(drill, []), max(DRILLS[drill].levels)) for drill in DRILLS}
        for person, drills in done.items()
    }


def unanswered(db: Connection, now: datetime) -> list[Attempt]:
    """What was left half-way in the last month, the newest first."""
    return practice.unanswered(db, stamp(now - timedelta(days=HALF_WAY_DAYS)))
