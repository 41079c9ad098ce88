"""Attempts at drills: the hidden truth, the readings taken, and what was named; kept apart from all instruments."""

import json
from dataclasses import dataclass
from typing import Any

from deft_bench.store.database import Connection, new_uid, transaction

BY_HAND = 10**9
"""The seed of a truth that no number draws: all that do are below it."""


@dataclass(frozen=True, slots=True)
class Attempt:
    """One attempt by a person; `truth` and `named` are JSON values, `named` and `points` None until it is answered."""

    id: int
    uid: str
    drill: str
    level: int
    seed: int
    person: str
    truth: Any
    started_at: str
    answered_at: str | None
    named: Any
    points: int | None

    @property
    def by_hand(self) -> bool:
        """Whether its truth was made by hand, so that no number draws it again."""
        return self.seed == BY_HAND


def start(db: Connection, drill: str, level: int, seed: int, person: str, truth: Any, at: str) -> int:
    """Begin an attempt; its id."""
    with transaction(db):
        row = db.execute(
            "INSERT INTO practice_attempt (uid, drill, level, seed, person, truth, started_at)"
            " VALUES (?, ?, ?, ?, ?, ?, ?)",
            (new_uid(), drill, level, seed, person, json.dumps(truth), at),
        )
    return int(row.lastrowid or 0)


def get(db: Connection, attempt_id: int) -> Attempt:
    """One attempt; raises KeyError where there is none."""
    row = db.execute("SELECT * FROM practice_attempt WHERE id = ?", (attempt_id,)).fetchone()
    if row is None:
        raise KeyError(attempt_id)
    return _attempt(row)


def unanswered(db: Connection, since: str, most: int = 50) -> list[Attempt]:
    """Attempts begun after a time, UTC ISO-8601, that were left half-way, the newest first."""
    rows = db.execute(
        "SELECT * FROM practice_attempt WHERE answered_at IS NULL AND started_at >= ? ORDER BY id DESC LIMIT ?",
        (since, most),
    )
    return [_attempt(row) for row in rows]


def below(db: Connection, points: int, most: int) -> list[Attempt]:
    """Attempts that were worth less than so many points, the last answered first."""
    rows = db.execute(
        "SELECT * FROM practice_attempt WHERE points < ? ORDER BY answered_at DESC, id DESC LIMIT ?", (points, most)
    )
    return [_attempt(row) for row in rows]


@dataclass(frozen=True, slots=True)
class Outcome:
    """What an attempt that was answered came to."""

    person: str
    drill: str
    level: int
    points: int
    started_at: str


def outcomes(db: Connection) -> list[Outcome]:
    """Of every attempt that was answered and every whole job that was handed in, by person and drill, each in order of
    time.
    """
    rows = db.execute(
        "SELECT person, drill, level, points, started_at FROM practice_attempt WHERE answered_at IS NOT NULL"
        # drills.WHOLE, WHOLE_SETUP
        " UNION ALL SELECT p.person, CASE j.kind WHEN 'setup' THEN 'whole_setup' ELSE 'whole' END, p.level,"
        " json_extract(p.outcome, '$.score.points'), p.started_at FROM practice_neck p JOIN job j ON j.id = p.job_id"
        " WHERE p.handed_in_at IS NOT NULL ORDER BY 1, 2, 5"
    )
    return [Outcome(**row) for row in rows]


def add_reading(db: Connection, attempt_id: int, said: Any, at: str) -> None:
    """Keep what a tool said, a JSON value; raises KeyError where there is no open attempt."""
    with transaction(db):
        row = db.execute(
            "INSERT INTO practice_reading (attempt_id, said, at)"
            " SELECT id, ?, ? FROM practice_attempt WHERE id = ? AND answered_at IS NULL",
            (json.dumps(said), at, attempt_id),
        )
        if row.rowcount != 1:
            raise KeyError(attempt_id)


def readings(db: Connection, attempt_id: int) -> list[Any]:
    """What tools said, in order, as JSON values."""
    rows = db.execute("SELECT said FROM practice_reading WHERE attempt_id = ? ORDER BY id", (attempt_id,))
    return [json.loads(row["said"]) for row in rows]


def answer(db: Connection, attempt_id: int, named: Any, points: int, at: str) -> None:
    """Close an attempt with what was named; raises KeyError where there is no open one."""
    with transaction(db):
        row = db.execute(
            "UPDATE practice_attempt SET answered_at = ?, named = ?, points = ? WHERE id = ? AND answered_at IS NULL",
            (at, json.dumps(named), points, attempt_id),
        )
        if row.rowcount != 1:
            raise KeyError(attempt_id)


def _attempt(row: Any) -> Attempt:
    found = dict(row)
    named = None if found["named"] is None else json.loads(found["named"])
    return Attempt(**(found | {"truth": json.loads(found["truth"]), "named": named}))
