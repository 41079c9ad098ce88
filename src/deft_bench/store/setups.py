"""What a setup is worked out with, and which setups were accepted."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

from deft_bench.core.described import from_fields, to_fields
from deft_bench.core.instrument import Spec
from deft_bench.core.strings.assembled import target_from
from deft_bench.core.strings.setup_job import SetupTarget
from deft_bench.core.strings.setup_plan import SetupPlan, sound, starting_setup
from deft_bench.store.database import Connection, transaction
from deft_bench.store.documents import AcceptedDocuments, SavedDocuments

PLANS = SavedDocuments("setup_plan", "instrument_id", partial(from_fields, SetupPlan), to_fields)
TARGETS = AcceptedDocuments("setup_target", "target")
"""Accepted setups; the target in µm: relief, action and nut gap by string."""


def plan_of(db: Connection, instrument_id: int, spec: Spec) -> SetupPlan:
    """The instrument's saved setup numbers, made to fit the specification as it is now; the starting ones when none
    were saved.
    """
    saved = PLANS.last(db, instrument_id)
    return starting_setup(spec) if saved is None else sound(saved, spec)


@dataclass(frozen=True, slots=True)
class AcceptedSetup:
    """The setup that a job works toward, and when it was accepted."""

    accepted_at: str
    target: SetupTarget


def last_accepted(db: Connection, job_id: int) -> AcceptedSetup | None:
    """The last setup that was accepted in a job."""
    accepted = TARGETS.of_job(db, job_id)
    return AcceptedSetup(accepted[-1].accepted_at, target_from(accepted[-1].outcome)) if accepted else None


def accept(db: Connection, job_id: int, at: str, inputs: Mapping[str, Any], target: Mapping[str, Any]) -> None:
    """Record which setup was accepted; the same again is not stored twice."""
    with transaction(db):
        if [accepted.outcome for accepted in TARGETS.of_job(db, job_id)[-1:]] != [dict(target)]:
            TARGETS.keep(db, job_id, at, inputs, target)
