"""The bench's hours, the schedules made from them, and pins."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from deft_bench.core.work.schedule.bench import Placed
from deft_bench.core.work.schedule.hours import BenchHours, from_fields, to_fields, usual_hours
from deft_bench.store.database import Connection, transaction

KEPT = 20
"""Schedules before the one in force."""


@dataclass(frozen=True, slots=True)
class SavedSchedule:
    """A schedule as it was made: when, from what (its key), where the steps stand, and what it came to."""

    made_at: str
    key: str
    placed: tuple[Placed, ...]
    outcome: dict[str, Any]


@dataclass(frozen=True, slots=True)
class SavedPin:
    """A pin in force, with what it was said to cost."""

    id: int
    job_id: int
    step: str
    at: str
    technician: str
    cost: str


def hours(db: Connection) -> BenchHours:
    """The bench's hours as last saved, or the usual ones."""
    row = db.execute("SELECT hours FROM bench_hours ORDER BY id DESC LIMIT 1").fetchone()
    return from_fields(json.loads(row["hours"])) if row else usual_hours()


def save_hours(db: Connection, wanted: BenchHours, at: str) -> None:
    """Keep the bench's hours; the earlier ones stay in the record."""
    with transaction(db):
        db.execute("INSERT INTO bench_hours (saved_at, hours) VALUES (?, ?)", (at, json.dumps(to_fields(wanted))))


def latest(db: Connection) -> SavedSchedule | None:
    """The schedule in force."""
    last = db.execute("SELECT id, made_at FROM schedule ORDER BY id DESC LIMIT 1").fetchone()
    if last is None:
        return None
    if db.keeper is None:
        return _schedule(db, last["id"])
    return db.keeper.given(db, "schedule", (), tuple(last), lambda: _schedule(db, last["id"]))


def _schedule(db: Connection, schedule_id: int) -> SavedSchedule:
    row = db.execute("SELECT made_at, key, placed, outcome FROM schedule WHERE id = ?", (schedule_id,)).fetchone()
    placed = tuple(
        Placed(load[0], load[1], load[2], load[3], load[4], *(datetime.fromisoformat(text) for text in load[5:]))
        for load in json.loads(row["placed"])
    )
    return SavedSchedule(row["made_at"], row["key"], placed, json.loads(row["outcome"]))


def save(db: Connection, made_at: str, key: str, placed: Sequence[Placed], outcome: Mapping[str, Any]) -> None:
    """Put a schedule in force; the `KEPT` before it stay, older ones go: they are made from what is kept anyway."""
    rows = [
        [step.job, step.step, step.part, step.parts, step.technician]
        + [moment.isoformat() for moment in (step.start, step.end, step.free_at)]
        for step in placed
    ]
    with transaction(db):
        db.execute(
            "INSERT INTO schedule (made_at, key, placed, outcome) VALUES (?, ?, ?, ?)",
            (made_at, key, json.dumps(rows), json.dumps(dict(outcome))),
        )
        db.execute("DELETE FROM schedule WHERE id <= (SELECT max(id) FROM schedule) - ?", (KEPT + 1,))


def pins(db: Connection) -> list[SavedPin]:
    """Pins in force of jobs that are open."""
    rows = db.execute(
        "SELECT p.id, p.job_id, p.step, p.at, p.technician, p.cost FROM schedule_pin p JOIN job j ON j.id = p.job_id"
        " WHERE p.taken_out_at IS NULL AND j.closed_at IS NULL AND j.withdrawn_at IS NULL ORDER BY p.at, p.id"
    )
    return [SavedPin(**dict(row)) for row in rows]


def pin(db: Connection, job_id: int, step: str, at: str, technician: str, cost: str, made_at: str) -> None:
    """Pin a step to a moment, instead of where it was pinned before."""
    with transaction(db):
        take_out(db, job_id, step, made_at)
        db.execute(
            "INSERT INTO schedule_pin (job_id, step, at, technician, cost, made_at) VALUES (?, ?, ?, ?, ?, ?)",
            (job_id, step, at, technician, cost, made_at),
        )


def take_out(db: Connection, job_id: int, step: str, at: str) -> bool:
    """Take a step's pin out; False when it had none."""
    with transaction(db):
        cursor = db.execute(
            "UPDATE schedule_pin SET taken_out_at = ? WHERE job_id = ? AND step = ? AND taken_out_at IS NULL",
            (at, job_id, step),
        )
        return bool(cursor.rowcount)


def key(db: Connection) -> str:
    """What a schedule depends on, as one text that changes when any of it does."""
    parts = []
    for sql in (
        "SELECT max(id) FROM sheet_event",
        "SELECT max(id) FROM sheet_plan",
        "SELECT max(id) FROM bench_hours",
        "SELECT max(id) FROM shop_operations",
        "SELECT max(id) FROM tool_event",
        "SELECT group_concat(id || ' ' || step || ' ' || at, ';') FROM schedule_pin WHERE taken_out_at IS NULL",
        "SELECT group_concat(id || ' ' || due_on, ';') FROM stock_order WHERE arrived_at IS NULL",
        (
            "SELECT group_concat(id || ' ' || coalesce(promised_on, '') || ' ' || weight, ';') FROM"
            " (SELECT * FROM bench_job WHERE closed_at IS NULL AND withdrawn_at IS NULL ORDER BY id)"
        ),
    ):
        parts.append(str(db.execute(sql).fetchone()[0] or ""))
    return "|".join(parts)
