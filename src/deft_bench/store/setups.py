"""What a setup is worked out with, and which setups were accepted."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from deft_bench.core.instrument import Spec
from deft_bench.core.strings.setup_plan import SetupPlan, from_fields, sound, starting_setup, to_fields
from deft_bench.store.database import Connection, transaction


@dataclass(frozen=True, slots=True)
class AcceptedSetup:
    """An accepted setup: the inputs it was solved from, and the target in µm (relief, action and nut gap by string)."""

    accepted_at: str
    inputs: dict[str, Any]
    target: dict[str, Any]


def plan_of(db: Connection, instrument_id: int, spec: Spec) -> SetupPlan:
    """The instrument's saved setup numbers, made to fit the specification as it is now; the starting ones when none
    were saved.
    """
    row = db.execute(
        "SELECT plan FROM setup_plan WHERE instrument_id = ? ORDER BY id DESC LIMIT 1", (instrument_id,)
    ).fetchone()
    return sound(from_fields(json.loads(row["plan"])), spec) if row else starting_setup(spec)


def plans(db: Connection, instrument_id: int) -> list[tuple[str, dict[str, Any]]]:
    """(saved at, plan) of every save, oldest first."""
    rows = db.execute("SELECT saved_at, plan FROM setup_plan WHERE instrument_id = ? ORDER BY id", (instrument_id,))
    return [(row["saved_at"], json.loads(row["plan"])) for row in rows]


def save(db: Connection, instrument_id: int, plan: SetupPlan, at: str) -> bool:
    """Save a plan, the earlier ones kept; returns whether anything changed."""
    latest = plans(db, instrument_id)[-1:]
    if latest and latest[0][1] == to_fields(plan):
        return False
    with transaction(db):
        keep_plan(db, instrument_id, at, to_fields(plan))
    return True


def keep_plan(db: Connection, instrument_id: int, at: str, plan: Mapping[str, Any]) -> None:
    """Store one saved plan inside an open transaction."""
    db.execute(
        "INSERT INTO setup_plan (instrument_id, saved_at, plan) VALUES (?, ?, ?)", (instrument_id, at, json.dumps(plan))
    )


def accepted(db: Connection, job_id: int) -> list[AcceptedSetup]:
    """A job's accepted setups, oldest first."""
    rows = db.execute("SELECT accepted_at, inputs, target FROM setup_target WHERE job_id = ? ORDER BY id", (job_id,))
    return [AcceptedSetup(row["accepted_at"], json.loads(row["inputs"]), json.loads(row["target"])) for row in rows]


def accept(db: Connection, job_id: int, at: str, inputs: Mapping[str, Any], target: Mapping[str, Any]) -> None:
    """Record which setup was accepted; the same again is not stored twice."""
    with transaction(db):
        latest = accepted(db, job_id)[-1:]
        if not latest or latest[0].target != dict(target):
            keep_accepted(db, job_id, at, inputs, target)


def keep_accepted(db: Connection, job_id: int, at: str, inputs: Mapping[str, Any], target: Mapping[str, Any]) -> None:
    """Store an accepted setup as it is."""
    with transaction(db):
        db.execute(
            "INSERT INTO setup_target (job_id, accepted_at, inputs, target) VALUES (?, ?, ?, ?)",
            (job_id, at, json.dumps(inputs), json.dumps(target)),
        )
