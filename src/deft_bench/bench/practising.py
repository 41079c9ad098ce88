"""Practice at the bench: starting a drill, taking a reading on its hidden neck, answering, and what is asked next."""

import random
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import datetime, timedelta
from typing import Any

from deft_bench.core.frets.rocker import Signed
from deft_bench.core.practice.culprit import (
    FRETS,
    LEVELS,
    SCALE_MM,
    Believed,
    CulpritNeck,
    Reading,
    Score,
    Tool,
    believed,
    culprit_neck,
    read,
    score,
)
from deft_bench.core.practice.ladder import Rung, rungs
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.core.times import moment, stamp
from deft_bench.store import practice
from deft_bench.store.database import Connection
from deft_bench.store.practice import Attempt

CULPRIT = "culprit"
MOST_SEED = 10**9
MOST_NAME, MOST_READINGS = 60, 500


class PracticeError(ValueError):
    """What is asked for cannot be done; the message says why and what is accepted."""


@dataclass(frozen=True, slots=True)
class Practising:
    """An attempt with its truth and the readings so far."""

    attempt: Attempt
    truth: CulpritNeck
    readings: Sequence[Reading]

    @property
    def out(self) -> int:
        """How many frets are out."""
        return LEVELS[self.attempt.level][1]


@dataclass(frozen=True, slots=True)
class Debrief:
    """What an attempt was worth, what was named, and reading by reading what could be believed."""

    score: Score
    named: frozenset[Signed]
    steps: Sequence[Believed]


def begin(db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
    """Start a drill on a neck that nobody has seen, or on a seed's; its id. Raises PracticeError."""
    person = " ".join(person.split())
    if not 1 <= len(person) <= MOST_NAME:
        raise PracticeError(f"Say who practises, in 1 to {MOST_NAME} characters.")
    if level not in LEVELS:
        raise PracticeError(f"Choose a level from 1 to {max(LEVELS)}.")
    seed = random.randrange(MOST_SEED) if seed is None else seed
    if not 0 <= seed < MOST_SEED:
        raise PracticeError(f"A neck number is a whole number from 0 to {MOST_SEED - 1}.")
    truth = culprit_neck(seed, level)
    kept = {"tops": truth.neck.tops, "out_mm": truth.out_mm}
    return practice.start(db, CULPRIT, level, seed, person, kept, stamp(now))


def practising(db: Connection, attempt_id: int) -> Practising:
    """An attempt as it stands; raises KeyError where there is none."""
    attempt = practice.get(db, attempt_id)
    return Practising(attempt, _truth(attempt.truth), [_reading(one) for one in practice.readings(db, attempt_id)])


def take(db: Connection, now: datetime, attempt_id: int, tool: Tool, lane: str, fret: int = 0) -> Reading:
    """Set a tool down and keep what it says; raises KeyError where there is no such attempt, PracticeError."""
    found = practising(db, attempt_id)
    if len(found.readings) >= MOST_READINGS:
        raise PracticeError(
            f"{MOST_READINGS} readings were taken: name the frets, or leave this neck and start another."
        )
    try:
        said = read(found.truth, tool, lane, fret)
    except ValueError as error:
        raise PracticeError(f"{str(error).capitalize()}.") from error
    try:
        practice.add_reading(db, attempt_id, asdict(said), stamp(now))
    except KeyError as error:
        raise PracticeError("This neck was answered already, in another window: its debrief is here.") from error
    return said


def answer(db: Connection, now: datetime, attempt_id: int, named: frozenset[Signed]) -> None:
    """Name the frets that are out; raises KeyError, and PracticeError where it is no answer."""
    found = practising(db, attempt_id)
    if not named:
        raise PracticeError("Mark the frets first: proud or low, as many as are out.")
    if len({fret for fret, _ in named}) != len(named) or any(not 1 <= fret <= FRETS for fret, _ in named):
        raise PracticeError(f"A fret, 1 to {FRETS}, is proud or low, not both.")
    got = score(found.truth, found.attempt.level, found.readings, named)
    try:
        practice.answer(db, attempt_id, sorted(named), got.points, stamp(now))
    except KeyError as error:
        raise PracticeError("This neck was answered already, in another window: its debrief is here.") from error


def debrief(found: Practising) -> Debrief:
    """An answered attempt, with the truth; raises PracticeError where it is not answered yet."""
    if found.attempt.named is None:
        raise PracticeError("Name the frets first: the truth is shown after that.")
    named = frozenset((int(fret), int(sign)) for fret, sign in found.attempt.named)
    return Debrief(score(found.truth, found.attempt.level, found.readings, named), named, believed(found.readings))


def progress(db: Connection, now: datetime) -> dict[str, list[Rung]]:
    """By person what was reached at each level and when it is asked again."""
    by_person: dict[str, list[Attempt]] = {}
    for one in reversed(practice.latest(db)):
        if one.points is not None:
            by_person.setdefault(one.person, []).append(one)
    return {
        person: rungs([(one.level, one.points or 0, moment(one.started_at).date()) for one in done], max(LEVELS))
        for person, done in sorted(by_person.items())
    }


def unanswered(db: Connection, now: datetime) -> list[Attempt]:
    """What was left half-way in the last month, the newest first."""
    since = stamp(now - timedelta(days=30))
    return [one for one in practice.latest(db) if one.answered_at is None and one.started_at >= since]


def _truth(kept: Any) -> CulpritNeck:
    tops = {lane: tuple(map(float, mm)) for lane, mm in kept["tops"].items()}
    out = {int(fret): float(mm) for fret, mm in kept["out_mm"].items()}
    return CulpritNeck(SimulatedNeck(SCALE_MM, tops, {}), out)


def _reading(said: Any) -> Reading:
    return Reading(**(said | {"light": tuple(said["light"])}))
