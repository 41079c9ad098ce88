"""Notes and photographs pinned to a fret and lane."""

import hashlib
from dataclasses import dataclass
from typing import Any

from deft_bench.store.database import Connection, new_uid, transaction
from deft_bench.store.people import sign


@dataclass(frozen=True, slots=True)
class Note:
    """One note, with a photograph or without, at a place on the neck (fret 0 is the nut)."""

    id: int
    uid: str
    instrument_id: int
    job_id: int | None
    fret: int
    lane: str
    text: str
    photo_id: int | None
    at: str
    settled_at: str | None


@dataclass(frozen=True, slots=True)
class Photo:
    """A photograph as it is kept: re-encoded JPEG."""

    jpeg: bytes
    width: int
    height: int


_NOTE = "SELECT id, uid, instrument_id, job_id, fret, lane, note AS text, photo_id, at, settled_at FROM pin"


def add(
    db: Connection,
    instrument_id: int,
    job_id: int | None,
    fret: int,
    lane: str,
    note: str,
    photo: Photo | None,
    at: str,
    uid: str | None = None,
    settled_at: str | None = None,
) -> int:
    """Pin a note and return its id; the same photograph is kept once."""
    with transaction(db):
        photo_id = None
        if photo is not None:
            digest = hashlib.sha256(photo.jpeg).hexdigest()
            db.execute(
                "INSERT INTO photo (sha256, width, height, jpeg) VALUES (?, ?, ?, ?) ON CONFLICT (sha256) DO NOTHING",
                (digest, photo.width, photo.height, photo.jpeg),
            )
            photo_id = db.execute("SELECT id FROM photo WHERE sha256 = ?", (digest,)).fetchone()[0]
        cursor = db.execute(
            "INSERT INTO pin (uid, instrument_id, job_id, fret, lane, note, photo_id, at, settled_at)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (uid or new_uid(), instrument_id, job_id, fret, lane, note, photo_id, at, settled_at),
        )
        sign(db, "pin", cursor.lastrowid)
        return int(cursor.lastrowid or 0)


def settle(db: Connection, note_id: int, at: str | None) -> None:
    """Mark a pinned flaw as dealt with, or open again with None."""
    with transaction(db):
        db.execute("UPDATE pin SET settled_at = ? WHERE id = ?", (at, note_id))


def of_instrument(db: Connection, instrument_id: int, limit: int = 200) -> list[Note]:
    """An instrument's notes, newest first."""
    rows: Any = db.execute(f"{_NOTE} WHERE instrument_id = ? ORDER BY id DESC LIMIT ?", (instrument_id, limit))
    return [Note(*row) for row in rows]


def photo(db: Connection, photo_id: int) -> Photo:
    """A photograph; raises KeyError when there is none."""
    row = db.execute("SELECT jpeg, width, height FROM photo WHERE id = ?", (photo_id,)).fetchone()
    if row is None:
        raise KeyError(photo_id)
    return Photo(*row)
