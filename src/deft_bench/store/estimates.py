"""Accepted estimates of a job."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from deft_bench.store.database import Connection, transaction


@dataclass(frozen=True, slots=True)
class AcceptedEstimate:
    """An accepted estimate: what it was made from, and its sums."""

    accepted_at: str
    inputs: dict[str, Any]
    outcome: dict[str, Any]


def accepted(db: Connection, job_id: int) -> list[AcceptedEstimate]:
    """A job's accepted estimates, oldest first."""
    rows = db.execute("SELECT accepted_at, inputs, outcome FROM job_estimate WHERE job_id = ? ORDER BY id", (job_id,))
    return [AcceptedEstimate(row["accepted_at"], json.loads(row["inputs"]), json.loads(row["outcome"])) for row in rows]


def accept(db: Connection, job_id: int, at: str, inputs: Mapping[str, Any], outcome: Mapping[str, Any]) -> None:
    """Record which estimate was accepted."""
    with transaction(db):
        db.execute(
            "INSERT INTO job_estimate (job_id, accepted_at, inputs, outcome) VALUES (?, ?, ?, ?)",
            (job_id, at, json.dumps(inputs), json.dumps(outcome)),
        )
