"""Jobs, the plans accepted in them, and the metal that was taken."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from deft_bench.core.frets.metal import MetalTaken
from deft_bench.core.frets.plan_record import AcceptedLevel, accepted_level
from deft_bench.store.database import Connection, new_uid, transaction
from deft_bench.store.people import sign, signed_as


@dataclass(frozen=True, slots=True)
class Job:
    """One visit of an instrument to the bench. `nut` is in_place, out or protected; times are UTC ISO-8601. A
    withdrawn one was opened by mistake: it stays in the record and counts for nothing.
    """

    id: int
    uid: str
    instrument_id: int
    kind: str
    opened_at: str
    promised_on: str | None
    closed_at: str | None
    nut: str
    override_note: str
    note: str
    weight: int = 1
    withdrawn_at: str | None = None


@dataclass(frozen=True, slots=True)
class JobEvent:
    """What became of a job: `closed` (the note names the gates that were not met), `reopened`, `withdrawn`, `put_back`,
    or `taken_back` (the note says what); `signed_off` (the note says why) and `asked_again` name the `step`.
    """

    kind: str
    at: str
    note: str
    step: str = ""


@dataclass(frozen=True, slots=True)
class AcceptedPlan:
    """A plan as it was accepted, when it was carried out, and `inputs` and `outcome` as they are in the record."""

    id: int
    uid: str
    job_id: int
    survey_id: int
    accepted_at: str
    inputs: dict[str, Any]
    outcome: dict[str, Any]
    done_at: str | None
    withdrawn_at: str | None
    level: AcceptedLevel


_JOB = (
    "SELECT id, uid, instrument_id, kind, opened_at, promised_on, closed_at, nut, override_note, note, weight,"
    " withdrawn_at FROM job"
)
_BENCH_JOB = _JOB.replace(" FROM job", " FROM bench_job")
_PLAN = (
    "SELECT id, uid, job_id, survey_id, accepted_at, inputs, outcome, done_at, withdrawn_at FROM accepted_plan"
    " WHERE job_id = ?"
)
_IN_FORCE = f"{_PLAN} AND withdrawn_at IS NULL"
_REPLACED_BY = "SELECT fret FROM fret_replaced WHERE plan_id = ? AND taken_back_at IS NULL ORDER BY fret"


def _job(row: Any) -> Job:
    return Job(**dict(row))


def _plan(row: Any) -> AcceptedPlan:
    inputs, outcome = json.loads(row["inputs"]), json.loads(row["outcome"])
    found = {**dict(row), "inputs": inputs, "outcome": outcome}
    return AcceptedPlan(**found, level=accepted_level(inputs, outcome))


def open_job(db: Connection, instrument_id: int, kind: str, at: str, promised_on: str | None, note: str = "") -> int:
    """Open a job and return its id."""
    with transaction(db):
        cursor = db.execute(
            "INSERT INTO job (uid, instrument_id, kind, opened_at, promised_on, note) VALUES (?, ?, ?, ?, ?, ?)",
            (new_uid(), instrument_id, kind, at, promised_on, note),
        )
        sign(db, "job", cursor.lastrowid)
    return int(cursor.lastrowid or 0)


def keep(db: Connection, instrument_id: int, job: Mapping[str, Any]) -> int:
    """Store an imported job as it is; returns its id."""
    cursor = db.execute(
        "INSERT INTO job (uid, instrument_id, kind, opened_at, promised_on, closed_at, nut, override_note, note,"
        " weight, withdrawn_at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            job["uid"],
            instrument_id,
            job["kind"],
            job["opened_at"],
            job["promised_on"],
            job["closed_at"],
            job["nut"],
            job["override_note"],
            job["note"],
            job["weight"],
            job["withdrawn_at"],
        ),
    )
    job_id = int(cursor.lastrowid or 0)
    for event in job["events"]:
        with signed_as(db, event["by"]):
            keep_event(db, job_id, **{name: value for name, value in event.items() if name != "by"})
    return job_id


def events(db: Connection, job_id: int) -> list[JobEvent]:
    """What became of a job, oldest first."""
    rows = db.execute("SELECT kind, at, note, step FROM job_event WHERE job_id = ? ORDER BY id", (job_id,))
    return [JobEvent(**dict(row)) for row in rows]


def keep_event(db: Connection, job_id: int, kind: str, at: str, note: str = "", step: str = "") -> None:
    """Record what became of a job."""
    with transaction(db):
        cursor = db.execute(
            "INSERT INTO job_event (job_id, kind, at, note, step) VALUES (?, ?, ?, ?, ?)",
            (job_id, kind, at, note, step),
        )
        sign(db, "job_event", cursor.lastrowid)


def signed_off(db: Connection, job_id: int, since: str = "") -> dict[str, str]:
    """The steps of a job that are signed off since a moment, each with its reason."""
    signed: dict[str, str] = {}
    for event in events(db, job_id):
        if event.kind == "signed_off" and event.at >= since:
            signed[event.step] = event.note
        elif event.kind == "asked_again":
            signed.pop(event.step, None)
    return signed


def get(db: Connection, job_id: int) -> Job:
    """One job; raises KeyError when there is none."""
    row = db.execute(f"{_JOB} WHERE id = ?", (job_id,)).fetchone()
    if row is None:
        raise KeyError(job_id)
    return _job(row)


def of_instrument(db: Connection, instrument_id: int, *, withdrawn: bool = False) -> list[Job]:
    """An instrument's jobs, newest first; with `withdrawn` those opened by mistake too."""
    rows = db.execute(
        f"{_JOB} WHERE instrument_id = ? AND (withdrawn_at IS NULL OR ?) ORDER BY id DESC", (instrument_id, withdrawn)
    )
    return [_job(row) for row in rows]


def open_of(db: Connection, instrument_ids: Sequence[int]) -> dict[int, Job]:
    """The open job of each instrument that has one."""
    marks = ", ".join("?" * len(instrument_ids))
    rows = db.execute(
        f"{_JOB} WHERE instrument_id IN ({marks}) AND closed_at IS NULL AND withdrawn_at IS NULL ORDER BY id",
        list(instrument_ids),
    )
    return {row["instrument_id"]: _job(row) for row in rows}


def in_bench_order(db: Connection, limit: int = 30) -> list[Job]:
    """Open jobs on real instruments, the nearest promise first; those without a promised date last."""
    rows = db.execute(
        f"{_BENCH_JOB} WHERE closed_at IS NULL AND withdrawn_at IS NULL"
        " ORDER BY promised_on IS NULL, promised_on, id LIMIT ?",
        (limit,),
    )
    return [_job(row) for row in rows]


def promise(db: Connection, job_id: int, promised_on: str | None, weight: int) -> None:
    """Change when a job is promised and how much a day late counts."""
    with transaction(db):
        db.execute("UPDATE job SET promised_on = ?, weight = ? WHERE id = ?", (promised_on, weight, job_id))


def set_nut(db: Connection, job_id: int, nut: str) -> None:
    """Record whether the nut is in place, out or protected."""
    with transaction(db):
        db.execute("UPDATE job SET nut = ? WHERE id = ?", (nut, job_id))


def override(db: Connection, job_id: int, note: str) -> None:
    """Record why a gate was passed over."""
    with transaction(db):
        db.execute("UPDATE job SET override_note = ? WHERE id = ?", (note, job_id))


def close(db: Connection, job_id: int, at: str, note: str = "") -> None:
    """Close a job; the note names the gates that were not met."""
    with transaction(db):
        db.execute("UPDATE job SET closed_at = ? WHERE id = ?", (at, job_id))
        keep_event(db, job_id, "closed", at, note)


def reopen(db: Connection, job_id: int, at: str) -> None:
    """Open a closed job again."""
    with transaction(db):
        db.execute("UPDATE job SET closed_at = NULL WHERE id = ?", (job_id,))
        keep_event(db, job_id, "reopened", at)


def accept_plan(
    db: Connection, job_id: int, survey_id: int, at: str, inputs: Mapping[str, Any], outcome: Mapping[str, Any]
) -> int:
    """Store which plan was accepted with the inputs it was made from; the same plan again is not stored twice."""
    with transaction(db):
        latest = db.execute(f"{_IN_FORCE} ORDER BY id DESC LIMIT 1", (job_id,)).fetchone()
        if latest is not None and latest["done_at"] is None and json.loads(latest["inputs"]) == dict(inputs):
            return int(latest["id"])
        return keep_plan(db, job_id, survey_id, new_uid(), at, inputs, outcome, None)


def keep_plan(
    db: Connection,
    job_id: int,
    survey_id: int,
    uid: str,
    at: str,
    inputs: Mapping[str, Any],
    outcome: Mapping[str, Any],
    done_at: str | None,
) -> int:
    """Store a plan inside an open transaction; returns its id."""
    cursor = db.execute(
        "INSERT INTO accepted_plan (uid, job_id, survey_id, accepted_at, inputs, outcome, done_at) VALUES (?, ?, ?, ?,"
        " ?, ?, ?)",
        (uid, job_id, survey_id, at, json.dumps(inputs), json.dumps(outcome), done_at),
    )
    sign(db, "accepted_plan", cursor.lastrowid)
    return int(cursor.lastrowid or 0)


def plans(db: Connection, job_id: int, *, withdrawn: bool = False) -> list[AcceptedPlan]:
    """A job's accepted plans, oldest first; with `withdrawn` those accepted by mistake too."""
    return [_plan(row) for row in db.execute(f"{_PLAN if withdrawn else _IN_FORCE} ORDER BY id", (job_id,))]


def last_plan(db: Connection, job_id: int) -> AcceptedPlan | None:
    """A job's latest accepted plan."""
    row = db.execute(f"{_IN_FORCE} ORDER BY id DESC LIMIT 1", (job_id,)).fetchone()
    return _plan(row) if row else None


def mark_done(db: Connection, plan: AcceptedPlan, instrument_id: int, at: str) -> bool:
    """Record that a plan was carried out: metal taken off each fret, or frets replaced; False when recorded before."""
    replaced = plan.level.frets if plan.level.kind == "refret" else ()
    with transaction(db):
        cursor = db.execute("UPDATE accepted_plan SET done_at = ? WHERE id = ? AND done_at IS NULL", (at, plan.id))
        if not cursor.rowcount:
            return False
        keep_work(db, plan.id, instrument_id, at, plan.level.metal_taken(), replaced)
        sign(db, "plan_done", plan.id)
    return True


def keep_work(
    db: Connection, plan_id: int, instrument_id: int, at: str, removed_um: Mapping[int, int], replaced: Sequence[int]
) -> None:
    """Store what was done to each fret under a plan, inside an open transaction."""
    db.executemany(
        "INSERT INTO material_removed (plan_id, instrument_id, fret, removed_um, at) VALUES (?, ?, ?, ?, ?) ON CONFLICT"
        " (plan_id, fret) DO UPDATE SET removed_um = excluded.removed_um, at = excluded.at, taken_back_at = NULL",
        [(plan_id, instrument_id, fret, um, at) for fret, um in removed_um.items()],
    )
    db.executemany(
        "INSERT INTO fret_replaced (plan_id, instrument_id, fret, at) VALUES (?, ?, ?, ?) ON CONFLICT (plan_id, fret)"
        " DO UPDATE SET at = excluded.at, taken_back_at = NULL",
        [(plan_id, instrument_id, fret, at) for fret in replaced],
    )


def take_back_done(db: Connection, plan: AcceptedPlan, at: str) -> None:
    """Take back that a plan was carried out: the metal counts as there again. The rows stay."""
    with transaction(db):
        db.execute("UPDATE accepted_plan SET done_at = NULL WHERE id = ?", (plan.id,))
        for table in ("material_removed", "fret_replaced"):
            db.execute(
                f"UPDATE {table} SET taken_back_at = ? WHERE plan_id = ? AND taken_back_at IS NULL", (at, plan.id)
            )


def replaced_by(db: Connection, plan_id: int) -> list[int]:
    """Frets that were replaced under one plan."""
    return [row[0] for row in db.execute(_REPLACED_BY, (plan_id,))]


def removed_by(db: Connection, plan_id: int) -> dict[int, int]:
    """Micrometres taken off each fret under one plan."""
    rows = db.execute(
        "SELECT fret, removed_um FROM material_removed WHERE plan_id = ? AND taken_back_at IS NULL ORDER BY fret",
        (plan_id,),
    )
    return {row[0]: row[1] for row in rows}


_STILL_THERE = """FROM material_removed m WHERE m.instrument_id = ? AND m.taken_back_at IS NULL AND NOT EXISTS (
    SELECT 1 FROM fret_replaced f WHERE f.instrument_id = m.instrument_id AND f.fret = m.fret AND f.at >= m.at
        AND f.taken_back_at IS NULL)
    AND NOT EXISTS (
    SELECT 1 FROM fret_fitted f WHERE f.instrument_id = m.instrument_id AND f.fret = m.fret AND f.at >= m.at
        AND f.taken_back_at IS NULL)"""


def removed_from(db: Connection, instrument_id: int) -> dict[int, int]:
    """Micrometres taken off each fret that is in the board now."""
    rows = db.execute(f"SELECT m.fret, sum(m.removed_um) {_STILL_THERE} GROUP BY m.fret", (instrument_id,))
    return {row[0]: row[1] for row in rows}


def metal_taken(db: Connection, instrument_id: int) -> list[MetalTaken]:
    """Everything that was taken off the frets that are in the board now."""
    rows = db.execute(f"SELECT m.fret, m.removed_um, m.at {_STILL_THERE}", (instrument_id,))
    return [MetalTaken(*row) for row in rows]


def new_since(db: Connection, instrument_id: int) -> dict[int, str]:
    """When each fret that was ever replaced was put in last."""
    rows = db.execute(
        "SELECT fret, max(at) FROM ("
        "SELECT fret, at FROM fret_replaced WHERE instrument_id = :instrument AND taken_back_at IS NULL"
        " UNION ALL SELECT fret, at FROM fret_fitted WHERE instrument_id = :instrument AND taken_back_at IS NULL"
        ") GROUP BY fret",
        {"instrument": instrument_id},
    )
    return dict(tuple(row) for row in rows)


def past_levels(db: Connection, instrument_id: int) -> list[int]:
    """The most that each level of the present wire took off any one fret, micrometres, oldest first."""
    rows = db.execute(
        f"SELECT max(m.removed_um) {_STILL_THERE} GROUP BY m.plan_id ORDER BY min(m.at)",
        (instrument_id,),
    )
    return [row[0] for row in rows if row[0]]
