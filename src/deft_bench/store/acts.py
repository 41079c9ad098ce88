"""What was done to an instrument's neck and frets, from where each act is recorded; and acts on single frets."""

import json
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from deft_bench.core.acts import Act, ActKind
from deft_bench.core.frets.plan_record import accepted_level
from deft_bench.store.database import Connection, transaction
from deft_bench.store.people import sign

_ACTS = """
    SELECT 'rod' AS kind, at, NULL AS frets FROM rod_turn WHERE instrument_id = :instrument AND withdrawn_at IS NULL
    UNION ALL
    SELECT 'refret', at, json_group_array(fret) FROM fret_fitted
        WHERE instrument_id = :instrument AND taken_back_at IS NULL GROUP BY job_id, at
    UNION ALL
    SELECT a.kind, a.at, a.frets FROM job j JOIN neck_act a ON a.job_id = j.id
        WHERE j.instrument_id = :instrument AND j.withdrawn_at IS NULL AND a.taken_back_at IS NULL
    UNION ALL
    SELECT 'reseat', e.at, NULL FROM job j JOIN sheet_event e ON e.job_id = j.id
        WHERE j.instrument_id = :instrument AND j.withdrawn_at IS NULL AND e.step = :reseat
        AND e.kind IN ('started', 'finished')
        AND NOT (e.kind = 'finished' AND EXISTS (
            SELECT 1 FROM sheet_event s
            WHERE s.job_id = e.job_id AND s.step = e.step AND s.kind = 'started' AND s.id < e.id))
        AND NOT (e.kind = 'started' AND 'reopened' = (
            SELECT r.kind FROM sheet_event r
            WHERE r.job_id = e.job_id AND r.step = e.step AND r.id > e.id AND r.kind <> 'note' ORDER BY r.id LIMIT 1))
        AND NOT EXISTS (SELECT 1 FROM neck_act a WHERE a.job_id = e.job_id AND a.kind = 'reseat' AND a.at = e.at)
"""
_PLANS = """
    SELECT p.inputs, p.outcome, p.done_at FROM job j JOIN accepted_plan p ON p.job_id = j.id
    WHERE j.instrument_id = ? AND p.done_at IS NOT NULL AND j.withdrawn_at IS NULL
"""
RESEAT = "reseat"
"""The operation by which frets are driven home. From when it was started what is read may be what it left, so its
start counts, but one that was taken back at once. On the run sheet it names no frets: then all may have moved.
"""


@dataclass(frozen=True, slots=True)
class FretAct:
    """Something done to named frets of a job: `reseat`, `lift`, `shim` or `spot`; `taken_back_at` when withdrawn."""

    kind: ActKind
    frets: tuple[int, ...]
    at: str
    taken_back_at: str | None = None


def of_instrument(db: Connection, instrument_id: int) -> list[Act]:
    """Every recorded act that moves the neck or its frets, oldest first."""
    rows = db.execute(_ACTS, {"instrument": instrument_id, "reseat": RESEAT})
    found = [Act(row["kind"], row["at"], _frets(row["frets"])) for row in rows]
    found += [_planned(row) for row in db.execute(_PLANS, (instrument_id,))]
    return sorted(found, key=lambda act: act.at)


def _frets(kept: str | None) -> tuple[int, ...]:
    return () if kept is None else tuple(json.loads(kept))


def _planned(row: Any) -> Act:
    level = accepted_level(json.loads(row["inputs"]), json.loads(row["outcome"]))
    return Act(level.kind, row["done_at"], level.touched())


def of_job(db: Connection, job_id: int) -> list[FretAct]:
    """What was done to single frets in a job, oldest first, what was taken back too."""
    rows = db.execute("SELECT kind, frets, at, taken_back_at FROM neck_act WHERE job_id = ? ORDER BY id", (job_id,))
    return [FretAct(**{**dict(row), "frets": _frets(row["frets"])}) for row in rows]


def keep(
    db: Connection, job_id: int, kind: ActKind, frets: Sequence[int], at: str, taken_back_at: str | None = None
) -> None:
    """Record what was done to frets."""
    with transaction(db):
        cursor = db.execute(
            "INSERT INTO neck_act (job_id, kind, frets, at, taken_back_at) VALUES (?, ?, ?, ?, ?)",
            (job_id, kind, json.dumps(sorted(set(frets))), at, taken_back_at),
        )
        sign(db, "neck_act", cursor.lastrowid)


def take_back_last(db: Connection, job_id: int, at: str) -> FretAct | None:
    """Withdraw the last act on single frets of a job; the row stays. None when there is none."""
    with transaction(db):
        row = db.execute(
            "SELECT id, kind, frets, at FROM neck_act WHERE job_id = ? AND taken_back_at IS NULL ORDER BY id DESC"
            " LIMIT 1",
            (job_id,),
        ).fetchone()
        if row is None:
            return None
        db.execute("UPDATE neck_act SET taken_back_at = ? WHERE id = ?", (at, row["id"]))
    return FretAct(row["kind"], _frets(row["frets"]), row["at"], at)
