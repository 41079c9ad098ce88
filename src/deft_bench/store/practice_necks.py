"""Practice necks: instruments that are none, with their hidden truth and what was done to them by hand."""

import json
from dataclasses import dataclass
from typing import Any

from deft_bench.store.database import Connection, new_uid, transaction

_NECK = "SELECT p.*, j.kind AS job_kind FROM practice_neck p JOIN job j ON j.id = p.job_id"
NOT_PRACTICE = "NOT EXISTS (SELECT 1 FROM practice_neck p WHERE p.instrument_id = i.id)"
"""A condition on an instrument `i`: that it is a real one."""


@dataclass(frozen=True, slots=True)
class Kept:
    """A practice neck: `job_kind` its job's; `truth` and `outcome` are JSON values, the latter None until it is handed
    in; with `calls` the program says its calls.
    """

    id: int
    uid: str
    instrument_id: int
    job_id: int
    level: int
    seed: int
    person: str
    calls: bool
    truth: Any
    started_at: str
    handed_in_at: str | None
    outcome: Any
    job_kind: str


@dataclass(frozen=True, slots=True)
class KeptDeed:
    """What was done and the neck after it, JSON values (None: not asked for); `act` is the kind of act that the book
    has of it, empty for none.
    """

    deed: Any
    neck: Any
    act: str
    at: str


def start(
    db: Connection,
    instrument_id: int,
    job_id: int,
    level: int,
    seed: int,
    person: str,
    calls: bool,
    truth: Any,
    at: str,
) -> int:
    """Mark an instrument and its job as practice; the practice neck's id."""
    with transaction(db):
        row = db.execute(
            "INSERT INTO practice_neck (uid, instrument_id, job_id, level, seed, person, calls, truth, started_at)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (new_uid(), instrument_id, job_id, level, seed, person, int(calls), json.dumps(truth), at),
        )
    return int(row.lastrowid or 0)


def get(db: Connection, neck_id: int) -> Kept:
    """One practice neck; raises KeyError where there is none."""
    row = db.execute(f"{_NECK} WHERE p.id = ?", (neck_id,)).fetchone()
    if row is None:
        raise KeyError(neck_id)
    return _kept(row)


def of_instrument(db: Connection, instrument_id: int) -> Kept | None:
    """The practice neck that an instrument is; None for a real one."""
    row = db.execute(f"{_NECK} WHERE p.instrument_id = ?", (instrument_id,)).fetchone()
    return None if row is None else _kept(row)


def is_practice(db: Connection, job_id: int) -> bool:
    """Whether a job is done on a practice neck."""
    found = db.execute(
        "SELECT 1 FROM job j JOIN practice_neck p ON p.instrument_id = j.instrument_id WHERE j.id = ?", (job_id,)
    )
    return found.fetchone() is not None


def latest(db: Connection, most: int = 30) -> list[Kept]:
    """Practice necks, the newest first."""
    return [_kept(row) for row in db.execute(f"{_NECK} ORDER BY p.id DESC LIMIT ?", (most,))]


def hand_in(db: Connection, neck_id: int, outcome: Any, at: str) -> None:
    """Keep what the job was worth; raises KeyError where it is handed in already."""
    with transaction(db):
        row = db.execute(
            "UPDATE practice_neck SET handed_in_at = ?, outcome = ? WHERE id = ? AND handed_in_at IS NULL",
            (at, json.dumps(outcome), neck_id),
        )
        if row.rowcount != 1:
            raise KeyError(neck_id)


def add_deed(db: Connection, neck_id: int, deed: Any, neck: Any, act: str, at: str) -> None:
    """Keep what was done."""
    with transaction(db):
        db.execute(
            "INSERT INTO practice_deed (neck_id, deed, neck, act, at) VALUES (?, ?, ?, ?, ?)",
            (neck_id, json.dumps(deed), json.dumps(neck), act or None, at),
        )


def deeds(db: Connection, neck_id: int, *, every_neck: bool = False) -> list[KeptDeed]:
    """What was done, in order; the neck after the last of it, or after each."""
    rows = db.execute(
        "SELECT deed, act, at, iif(? OR id = (SELECT max(id) FROM practice_deed WHERE neck_id = ?), neck, NULL) AS neck"
        " FROM practice_deed WHERE neck_id = ? ORDER BY id",
        (every_neck, neck_id, neck_id),
    )
    return [
        KeptDeed(json.loads(row["deed"]), row["neck"] and json.loads(row["neck"]), row["act"] or "", row["at"])
        for row in rows
    ]


def read_counts(db: Connection, job_id: int) -> dict[str, int]:
    """How many readings were taken in a job, by kind of survey, corrected ones too."""
    rows = db.execute(
        "SELECT s.kind, count(*) AS many FROM survey s JOIN reading r ON r.survey_id = s.id"
        " WHERE s.job_id = ? AND r.value_um IS NOT NULL GROUP BY s.kind",
        (job_id,),
    )
    return {row["kind"]: row["many"] for row in rows}


def read_last(db: Connection, job_id: int) -> str:
    """When the last reading of a job was taken; empty before any."""
    found = db.execute(
        "SELECT max(r.at) FROM survey s JOIN reading r ON r.survey_id = s.id WHERE s.job_id = ?", (job_id,)
    ).fetchone()[0]
    return str(found or "")


def _kept(row: Any) -> Kept:
    found = dict(row)
    outcome = None if found["outcome"] is None else json.loads(found["outcome"])
    return Kept(**(found | {"calls": bool(found["calls"]), "truth": json.loads(found["truth"]), "outcome": outcome}))
