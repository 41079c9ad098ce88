"""Find the culprit, at the bench: a rocker and a straightedge on a hidden neck, the answer, the debrief."""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from typing import Any

from deft_bench.bench.practice.attempts import PracticeError, begin, close, keep, of_drill, refused
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.rocker import Explanation, Signed
from deft_bench.core.practice.culprit import (
    FRETS,
    LEVELS,
    Believed,
    CulpritNeck,
    Reading,
    Score,
    Tool,
    as_json,
    believed,
    culprit_neck,
    explained,
    neck_from,
    read,
    score,
    seconds_of,
)
from deft_bench.core.practice.culprit_ways import many_ways, ways_left
from deft_bench.store import practice
from deft_bench.store.database import Connection
from deft_bench.store.practice import Attempt

DRILL = "culprit"


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

    @property
    def seconds(self) -> float:
        """What the readings take on a bench."""
        return seconds_of(self.readings)

    @property
    def ways(self) -> list[tuple[str, tuple[Explanation, ...]]]:
        """What explains the readings, lane by lane, where something rocks."""
        return [(lane, ways) for lane in LANES if (ways := explained(self.readings, lane))]


@dataclass(frozen=True, slots=True)
class Debrief:
    """What an attempt was worth, what was named, and reading by reading what could be believed, and in how many ways
    the neck could still be; `first` is how many there were before any.
    """

    score: Score
    named: frozenset[Signed]
    steps: Sequence[Believed]
    ways: Sequence[int]
    first: int

    @property
    def idle(self) -> int:
        """How many readings with the rocker left as many ways as there were before."""
        told = zip(self.steps, [self.first, *self.ways], self.ways, strict=False)
        return sum(one.reading.tool == "rocker" and before == after for one, before, after in told)


def begin_culprit(db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
    """Start the drill; its id. Raises PracticeError."""
    return begin(db, now, DRILL, person, level, lambda seed, level: as_json(culprit_neck(seed, level)), seed)


def practising(db: Connection, attempt_id: int) -> Practising:
    """An attempt as it stands; raises KeyError where there is none."""
    attempt = of_drill(db, attempt_id, DRILL)
    readings = [_reading(one) for one in practice.readings(db, attempt_id)]
    return Practising(attempt, neck_from(attempt.truth), readings)


def take(db: Connection, now: datetime, attempt_id: int, tool: Tool, lane: str, fret: int = 0) -> Practising:
    """Set a tool down and keep what it says; the attempt with it. Raises KeyError, PracticeError."""
    found = practising(db, attempt_id)
    with refused():
        said = read(found.truth, tool, lane, fret)
    keep(db, now, attempt_id, asdict(said), len(found.readings))
    return replace(found, readings=[*found.readings, said])


def answer(db: Connection, now: datetime, attempt_id: int, named: frozenset[Signed]) -> None:
    """Name the frets that are out; raises KeyError, and PracticeError where it is no answer."""
    found = practising(db, attempt_id)
    if not named:
        raise PracticeError("Mark the frets first: proud or low, as many as are out.")
    if len({fret for fret, _ in named}) != len(named) or any(not 1 <= fret <= FRETS for fret, _ in named):
        raise PracticeError(f"A fret, 1 to {FRETS}, is proud or low, not both.")
    got = score(found.truth, found.attempt.level, found.readings, named)
    close(db, now, attempt_id, sorted(named), got.points)


def debrief(found: Practising) -> Debrief:
    """An answered attempt, with the truth; raises PracticeError where it is not answered yet."""
    if found.attempt.named is None:
        raise PracticeError("Name the frets first: the truth is shown after that.")
    named = frozenset((int(fret), int(sign)) for fret, sign in found.attempt.named)
    level, readings = found.attempt.level, found.readings
    got = score(found.truth, level, readings, named)
    return Debrief(got, named, believed(readings), ways_left(readings, level), many_ways(level))


def _reading(said: Any) -> Reading:
    return Reading(**(said | {"light": tuple(said["light"])}))
