"""What was felt of a practice neck so far, and its job moment by moment: what was done and read, and the neck then."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from deft_bench.bench.practice.whole import AnyJob
from deft_bench.bench.survey_results import moved_since_read
from deft_bench.core.acts import MOVES_TOPS
from deft_bench.core.survey_kinds import Place
from deft_bench.store import surveys
from deft_bench.store.database import Connection


@dataclass(frozen=True, slots=True)
class Moment:
    """One moment of a job: what was done, or a survey of a kind that was read, and the neck after it."""

    at: str
    neck: Any
    deed: Any = None
    kind: str = ""
    readings: int = 0


def felt_so_far(db: Connection, found: AnyJob) -> Mapping[Place, int]:
    """What the rocker said of each place, 1 rocks and 0 sits, as far as it holds."""
    rocked = [one for one in surveys.of_job(db, found.job.id) if one.head.kind == "rocker" and one.head.reach == 1]
    if not rocked or moved_since_read(db, rocked[-1], MOVES_TOPS) is not None:
        return {}
    return {place: um for place, um in surveys.values(db, rocked[-1].id).items() if um is not None}


def moments(db: Connection, found: AnyJob) -> list[Moment]:
    """The job from its first moment to its last; of a survey its last reading counts."""
    told = [Moment(step.at, step.neck, step.deed) for step in found.steps]
    for survey in surveys.of_job(db, found.job.id):
        until = found.kept.handed_in_at
        history = [one for one in surveys.history(db, survey.id) if until is None or one.at <= until]
        if history and survey.head.kind in found.kind.reading_seconds:
            at = max(reading.at for reading in history)
            before = [step.neck for step in found.steps if step.at <= at]
            told.append(Moment(at, before[-1] if before else found.truth, None, survey.head.kind, len(history)))
    return sorted(told, key=lambda one: one.at)
