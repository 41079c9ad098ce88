"""Documents saved as JSON beside the thing that they belong to: every save is a row, the last one counts."""

import json
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from deft_bench.store.database import Connection, transaction
from deft_bench.store.people import sign

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class SavedDocuments(Generic[T]):
    """A table of documents: its name, the column that names whose they are, and how a document is read and written."""

    table: str
    owner: str
    read: Callable[[Mapping[str, Any]], T]
    write: Callable[[T], dict[str, Any]]

    def last(self, db: Connection, owner_id: int) -> T | None:
        """The document in force; None when none was saved."""
        row = db.execute(
            f"SELECT plan FROM {self.table} WHERE {self.owner} = ? ORDER BY id DESC LIMIT 1", (owner_id,)
        ).fetchone()
        return self.read(json.loads(row["plan"])) if row else None

    def last_of(self, db: Connection, owner_ids: Iterable[int]) -> dict[int, T]:
        """The documents in force of several, by whose they are, in one question; none where none was saved."""
        rows = db.execute(
            f"SELECT d.{self.owner} AS owner, d.plan FROM {self.table} d JOIN (SELECT max(id) AS id FROM {self.table}"
            f" WHERE {self.owner} IN (SELECT value FROM json_each(?)) GROUP BY {self.owner}) last ON last.id = d.id",
            (json.dumps(list(owner_ids)),),
        )
        return {row["owner"]: self.read(json.loads(row["plan"])) for row in rows}

    def every(self, db: Connection, owner_id: int) -> list[tuple[str, dict[str, Any]]]:
        """(saved at, fields) of every save, oldest first."""
        rows = db.execute(f"SELECT saved_at, plan FROM {self.table} WHERE {self.owner} = ? ORDER BY id", (owner_id,))
        return [(row["saved_at"], json.loads(row["plan"])) for row in rows]

    def save(self, db: Connection, owner_id: int, document: T, at: str) -> bool:
        """Save a document, the earlier ones kept; False when nothing has changed."""
        fields = self.write(document)
        with transaction(db):
            if [saved for _, saved in self.every(db, owner_id)[-1:]] == [json.loads(json.dumps(fields))]:
                return False
            self.keep(db, owner_id, at, fields)
        return True

    def keep(self, db: Connection, owner_id: int, at: str, fields: Mapping[str, Any]) -> None:
        """Store a document as it is."""
        with transaction(db):
            cursor = db.execute(
                f"INSERT INTO {self.table} ({self.owner}, saved_at, plan) VALUES (?, ?, ?)",
                (owner_id, at, json.dumps(fields)),
            )
            sign(db, self.table, cursor.lastrowid)


@dataclass(frozen=True, slots=True)
class Accepted:
    """Something that was accepted in a job: what it was made from, and what it came to."""

    accepted_at: str
    inputs: dict[str, Any]
    outcome: dict[str, Any]


@dataclass(frozen=True, slots=True)
class AcceptedDocuments:
    """A table of what was accepted in jobs; `outcome` is its column for what a document came to."""

    table: str
    outcome: str = "outcome"

    def of_job(self, db: Connection, job_id: int) -> list[Accepted]:
        """A job's accepted documents, oldest first."""
        rows = db.execute(
            f"SELECT accepted_at, inputs, {self.outcome} FROM {self.table} WHERE job_id = ? ORDER BY id", (job_id,)
        )
        return [Accepted(row[0], json.loads(row[1]), json.loads(row[2])) for row in rows]

    def keep(self, db: Connection, job_id: int, at: str, inputs: Mapping[str, Any], outcome: Mapping[str, Any]) -> None:
        """Record what was accepted."""
        with transaction(db):
            cursor = db.execute(
                f"INSERT INTO {self.table} (job_id, accepted_at, inputs, {self.outcome}) VALUES (?, ?, ?, ?)",
                (job_id, at, json.dumps(inputs), json.dumps(outcome)),
            )
            sign(db, self.table, cursor.lastrowid)
