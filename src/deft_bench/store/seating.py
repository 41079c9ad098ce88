"""Which frets were checked and found home in a job."""

import json
from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.store.database import Connection, transaction
from deft_bench.store.people import sign


@dataclass(frozen=True, slots=True)
class FoundHome:
    """Frets that were checked and found home, said of the heights of one survey; `taken_back_at` when withdrawn."""

    survey_id: int
    frets: tuple[int, ...]
    at: str
    taken_back_at: str | None


def every(db: Connection, job_id: int) -> list[FoundHome]:
    """All that was said of a job's seating, oldest first, what was taken back too."""
    rows = db.execute(
        "SELECT survey_id, frets, at, taken_back_at FROM seating_checked WHERE job_id = ? ORDER BY id", (job_id,)
    )
    return [FoundHome(**{**dict(row), "frets": tuple(json.loads(row["frets"]))}) for row in rows]


def in_force(db: Connection, job_id: int) -> list[FoundHome]:
    """What was said of a job's seating and not taken back, oldest first."""
    return [found for found in every(db, job_id) if found.taken_back_at is None]


def keep(
    db: Connection, job_id: int, survey_id: int, frets: Sequence[int], at: str, back_at: str | None = None
) -> None:
    """Record that frets were checked and found home."""
    with transaction(db):
        cursor = db.execute(
            "INSERT INTO seating_checked (job_id, survey_id, frets, at, taken_back_at) VALUES (?, ?, ?, ?, ?)",
            (job_id, survey_id, json.dumps(sorted(set(frets))), at, back_at),
        )
        sign(db, "seating_checked", cursor.lastrowid)


def take_back(db: Connection, job_id: int, at: str) -> None:
    """Withdraw all that is said of a job's seating; the rows stay."""
    with transaction(db):
        db.execute(
            "UPDATE seating_checked SET taken_back_at = ? WHERE job_id = ? AND taken_back_at IS NULL", (at, job_id)
        )
