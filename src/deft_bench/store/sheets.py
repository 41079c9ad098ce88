"""Run sheets: what each is made from, what happened to its steps, how long steps took, and the shop's own
operations.
"""

import json
from collections.abc import Collection, Mapping

from deft_bench.core.work.job_sheet import JOB_ROUTES, Event, Sample, SheetPlan, from_fields, records, to_fields
from deft_bench.store import stock
from deft_bench.store.database import Connection, transaction
from deft_bench.store.documents import SavedDocuments
from deft_bench.store.people import sign

PLANS = SavedDocuments("sheet_plan", "job_id", from_fields, to_fields)


def plan_of(db: Connection, job_id: int, job_kind: str) -> SheetPlan:
    """The job's saved sheet plan, or the one that its kind begins with."""
    return PLANS.last(db, job_id) or SheetPlan(JOB_ROUTES.get(job_kind, "setup"))


def events(db: Connection, job_id: int) -> list[Event]:
    """Everything that happened to a job's steps, in order."""
    rows = db.execute("SELECT step, kind, at, note FROM sheet_event WHERE job_id = ? ORDER BY id", (job_id,))
    return [Event(**dict(row)) for row in rows]


def events_of(db: Connection, job_ids: Collection[int]) -> dict[int, list[Event]]:
    """Everything that happened to the steps of each of some jobs, in order."""
    found: dict[int, list[Event]] = {job_id: [] for job_id in job_ids}
    rows = db.execute(
        "SELECT job_id, step, kind, at, note FROM sheet_event WHERE job_id IN (SELECT value FROM json_each(?))"
        " ORDER BY job_id, id",
        (json.dumps(sorted(found)),),
    )
    for job_id, *fields in rows:
        found[job_id].append(Event(*fields))
    return found


def event(db: Connection, event_id: int) -> tuple[int, Event]:
    """One event with its job; raises KeyError when there is none."""
    row = db.execute("SELECT job_id, step, kind, at, note FROM sheet_event WHERE id = ?", (event_id,)).fetchone()
    if row is None:
        raise KeyError(event_id)
    return row["job_id"], Event(row["step"], row["kind"], row["at"], row["note"])


def last_of_step(db: Connection, job_id: int, step: str) -> int | None:
    """The latest event of a step that was no note, by its id."""
    asked = "SELECT max(id) FROM sheet_event WHERE job_id = ? AND step = ? AND kind <> 'note'"
    found: int | None = db.execute(asked, (job_id, step)).fetchone()[0]
    return found


def add(db: Connection, job_id: int, event: Event) -> int:
    """Record an event; returns its id."""
    with transaction(db):
        cursor = db.execute(
            "INSERT INTO sheet_event (job_id, step, kind, at, note) VALUES (?, ?, ?, ?, ?)",
            (job_id, event.step, event.kind, event.at, event.note),
        )
        sign(db, "sheet_event", cursor.lastrowid)
        return int(cursor.lastrowid or 0)


def happened(db: Connection, job_id: int, event: Event, used: Mapping[str, float]) -> int:
    """Record an event with what it does to the stock, together or not at all: a finished step takes `used`, a
    reopened one puts it back. Returns the event's id.
    """
    with transaction(db):
        made = add(db, job_id, event)
        if event.kind == "finished":
            stock.use(db, job_id, event.step, used, event.at)
        elif event.kind == "reopened":
            stock.put_back(db, job_id, event.step, event.at)
        return made


def samples(db: Connection, steps: list[str], limit: int = 120) -> dict[str, list[Sample]]:
    """How long each of some operations took, from the latest jobs in which it was both started and finished."""
    by_step: dict[str, list[Sample]] = {step: [] for step in steps}
    schools: dict[int, Mapping[str, str]] = {}
    for step in steps:
        rows = db.execute(
            "SELECT e.job_id, e.step, e.kind, e.at, e.note, i.kind AS instrument FROM sheet_event e JOIN bench_job j"
            " ON j.id = e.job_id JOIN instrument i ON i.id = j.instrument_id WHERE e.step = ? AND e.kind <> 'note'"
            " AND j.withdrawn_at IS NULL ORDER BY e.job_id DESC, e.id LIMIT ?",
            (step, limit),
        )
        by_job: dict[int, tuple[str, list[Event]]] = {}
        for row in rows:
            by_job.setdefault(row["job_id"], (row["instrument"], []))[1].append(
                Event(row["step"], row["kind"], row["at"], row["note"])
            )
        for job_id, (kind, happened) in by_job.items():
            minutes = records(happened)[step].minutes
            if minutes is not None:
                if job_id not in schools:
                    schools[job_id] = plan_of(db, job_id, "").schools
                by_step[step].append(Sample(minutes, kind, schools[job_id], job_id))
    return by_step


def own_operations(db: Connection) -> str:
    """The shop's own operations as TOML text; empty when there are none."""
    row = db.execute("SELECT toml FROM shop_operations ORDER BY id DESC LIMIT 1").fetchone()
    return str(row["toml"]) if row else ""


def save_operations(db: Connection, text: str, at: str) -> None:
    """Keep the shop's own operations; the earlier text stays in the record."""
    with transaction(db):
        db.execute("INSERT INTO shop_operations (saved_at, toml) VALUES (?, ?)", (at, text))


def fret_ticks(db: Connection, job_id: int, step: str) -> dict[int, str]:
    """When each fret was ticked off within a step."""
    rows = db.execute("SELECT fret, at FROM sheet_tick WHERE job_id = ? AND step = ? ORDER BY fret", (job_id, step))
    return {row["fret"]: row["at"] for row in rows}


def all_ticks(db: Connection, job_id: int) -> list[tuple[str, int, str]]:
    """(step, fret, when) of every fret ticked off in a job."""
    rows = db.execute("SELECT step, fret, at FROM sheet_tick WHERE job_id = ? ORDER BY at, step, fret", (job_id,))
    return [tuple(row) for row in rows]


def keep_tick(db: Connection, job_id: int, step: str, fret: int, at: str) -> None:
    """Store one tick inside an open transaction."""
    db.execute("INSERT INTO sheet_tick (job_id, step, fret, at) VALUES (?, ?, ?, ?)", (job_id, step, fret, at))


def toggle_tick(db: Connection, job_id: int, step: str, fret: int, at: str) -> bool:
    """Tick a fret off within a step, or take the tick back; True when it is ticked now."""
    with transaction(db):
        gone = db.execute("DELETE FROM sheet_tick WHERE job_id = ? AND step = ? AND fret = ?", (job_id, step, fret))
        if not gone.rowcount:
            keep_tick(db, job_id, step, fret, at)
    return not gone.rowcount
