"""Instruments, what their specification said before, and finding them."""

import json
import re
from collections.abc import Collection, Sequence
from dataclasses import dataclass, fields
from typing import Any

from deft_bench.core.instrument import KINDS, Spec, changes, to_fields
from deft_bench.store.database import Connection, new_uid, transaction
from deft_bench.store.people import sign
from deft_bench.store.practice_necks import NOT_PRACTICE

_FIELDS = [field.name for field in fields(Spec)]
_FLAGS = ("left_handed", "bound", "nibs")
_INSTRUMENT = (
    f"i.id, i.uid, i.created_at, i.retired_at, i.project, NOT {NOT_PRACTICE} AS practice,"
    f" {', '.join(f'i.{name}' for name in _FIELDS)}"
)


@dataclass(frozen=True, slots=True)
class Instrument:
    """A stored instrument: its identity, specification and when it came and was retired (UTC ISO-8601).

    A `project` is a board in the making that is to become an instrument; `practice` is a practice neck: what goes over
    the whole bench leaves it out.
    """

    id: int
    uid: str
    spec: Spec
    created_at: str
    retired_at: str | None
    project: bool = False
    practice: bool = False


def _instrument(row: Any) -> Instrument:
    values = {name: row[name] for name in _FIELDS}
    values |= {flag: bool(values[flag]) for flag in _FLAGS} | {"unknown": values["unknown"].split()}
    return Instrument(
        row["id"],
        row["uid"],
        Spec(**values),
        row["created_at"],
        row["retired_at"],
        bool(row["project"]),
        bool(row["practice"]),
    )


def words_of(spec: Spec) -> str:
    """What an instrument is found by."""
    hand = " left-handed" if spec.left_handed else ""
    return f"{spec.name} {KINDS.get(spec.kind, spec.kind)}{hand} {spec.note}"


def add(
    db: Connection, spec: Spec, at: str, uid: str | None = None, retired_at: str | None = None, *, project: bool = False
) -> int:
    """Store a new instrument or board project; returns its id."""
    with transaction(db):
        names = ["uid", "created_at", "retired_at", "project", *_FIELDS]
        values = [uid or new_uid(), at, retired_at, int(project), *(_column(spec, name) for name in _FIELDS)]
        cursor = db.execute(
            f"INSERT INTO instrument ({', '.join(names)}) VALUES ({', '.join('?' * len(names))})",
            values,
        )
        db.execute("INSERT INTO instrument_words (rowid, words) VALUES (?, ?)", (cursor.lastrowid, words_of(spec)))
        return int(cursor.lastrowid or 0)


def _column(spec: Spec, name: str) -> Any:
    value = getattr(spec, name)
    if name == "unknown":
        return " ".join(value)
    return int(value) if name in _FLAGS else value


def edit(db: Connection, instrument_id: int, spec: Spec, at: str) -> bool:
    """Replace the specification and keep the earlier one; returns whether anything changed. Raises KeyError."""
    with transaction(db):
        before = get(db, instrument_id).spec
        if not list(changes(before, spec)):
            return False
        keep_revision(db, instrument_id, at, to_fields(before))
        db.execute(
            f"UPDATE instrument SET {', '.join(f'{name} = ?' for name in _FIELDS)} WHERE id = ?",
            [*(_column(spec, name) for name in _FIELDS), instrument_id],
        )
        db.execute("UPDATE instrument_words SET words = ? WHERE rowid = ?", (words_of(spec), instrument_id))
        return True


def keep_revision(db: Connection, instrument_id: int, at: str, spec: dict[str, Any]) -> None:
    """Record what a specification said until a time."""
    cursor = db.execute(
        "INSERT INTO instrument_revision (instrument_id, replaced_at, spec) VALUES (?, ?, ?)",
        (instrument_id, at, json.dumps(spec)),
    )
    sign(db, "instrument_revision", cursor.lastrowid)


def revisions(db: Connection, instrument_id: int) -> list[tuple[str, dict[str, Any]]]:
    """(replaced at, specification then) of every edit, oldest first."""
    rows = db.execute(
        "SELECT replaced_at, spec FROM instrument_revision WHERE instrument_id = ? ORDER BY id", (instrument_id,)
    )
    return [(row["replaced_at"], json.loads(row["spec"])) for row in rows]


def get(db: Connection, instrument_id: int) -> Instrument:
    """One instrument; raises KeyError when there is none."""
    row = db.execute(
        f"SELECT {_INSTRUMENT} FROM instrument i WHERE i.id = ?",
        (instrument_id,),
    ).fetchone()
    if row is None:
        raise KeyError(instrument_id)
    return _instrument(row)


def of_ids(db: Connection, wanted: Collection[int]) -> dict[int, Instrument]:
    """Instruments by their ids; those that are not there are left out."""
    rows = db.execute(
        f"SELECT {_INSTRUMENT} FROM instrument i WHERE i.id IN (SELECT value FROM json_each(?))",
        (json.dumps(sorted(wanted)),),
    )
    return {row["id"]: _instrument(row) for row in rows}


def first_entered(db: Connection) -> str | None:
    """When the first instrument was entered; None where there is none."""
    row = db.execute("SELECT created_at FROM instrument ORDER BY id LIMIT 1").fetchone()
    return None if row is None else str(row[0])


def id_of(db: Connection, uid: str) -> int | None:
    """The id of the instrument with this identity, or None."""
    row = db.execute("SELECT id FROM instrument WHERE uid = ?", (uid,)).fetchone()
    return row["id"] if row else None


def named(db: Connection, name: str) -> list[int]:
    """Ids of the instruments with this name, retired ones too, practice necks not."""
    rows = db.execute(f"SELECT i.id FROM instrument i WHERE i.name = ? COLLATE NOCASE AND {NOT_PRACTICE}", (name,))
    return [row["id"] for row in rows]


def uids_here(db: Connection, table: str, uids: Sequence[str]) -> list[str]:
    """Which of these identities a table (job, survey, accepted_plan, pin or rod_turn) holds already."""
    if table not in ("job", "survey", "accepted_plan", "pin", "rod_turn"):
        raise KeyError(table)
    return [uid for uid in uids if db.execute(f"SELECT 1 FROM {table} WHERE uid = ?", (uid,)).fetchone()]


def set_retired(db: Connection, instrument_id: int, at: str | None) -> None:
    """Retire an instrument (its history stays) or, with None, take it back."""
    with transaction(db):
        db.execute("UPDATE instrument SET retired_at = ? WHERE id = ?", (at, instrument_id))


def set_made(db: Connection, instrument_id: int) -> None:
    """A board project has become an instrument."""
    with transaction(db):
        db.execute("UPDATE instrument SET project = 0 WHERE id = ?", (instrument_id,))


def page(
    db: Connection,
    after: tuple[str, int] | None = None,
    limit: int = 20,
    retired: bool = False,
    *,
    project: bool = False,
) -> Sequence[Instrument]:
    """Instruments, or board projects, by name, starting after a (name, id); a page never scans what comes before it."""
    name, last = after or ("", 0)
    rows = db.execute(
        f"SELECT {_INSTRUMENT} FROM instrument i "
        "WHERE i.project = ? AND (i.retired_at IS NOT NULL) = ? AND i.name COLLATE NOCASE >= ?"
        f" AND (i.name COLLATE NOCASE > ? OR i.id > ?) AND {NOT_PRACTICE} "
        "ORDER BY i.name COLLATE NOCASE, i.id LIMIT ?",
        (int(project), int(retired), name, name, last, limit),
    )
    return [_instrument(row) for row in rows]


def find(db: Connection, typed: str, limit: int = 20, retired: bool = False) -> Sequence[Instrument]:
    """Instruments whose name, kind or note has words that begin as typed, newest first."""
    words = re.findall(r"\w+", typed)[:8]
    if not words:
        return page(db, limit=limit, retired=retired)
    rows = db.execute(
        f"SELECT {_INSTRUMENT} "
        "FROM instrument_words w JOIN instrument i ON i.id = w.rowid "
        "WHERE instrument_words MATCH ? AND (i.retired_at IS NOT NULL) = ?"
        f" AND {NOT_PRACTICE} ORDER BY w.rowid DESC LIMIT ?",
        (" ".join(f'"{word}"*' for word in words), int(retired), limit),
    )
    return [_instrument(row) for row in rows]
