"""Who may come in over the local network. Tokens and codes are kept as hashes only."""

from dataclasses import dataclass
from hashlib import sha256

from deft_bench.store.database import Connection, transaction


@dataclass(frozen=True, slots=True)
class Entry:
    """A device that was let in, and until when."""

    id: int
    name: str
    address: str
    entered_at: str
    seen_at: str
    until: str


_ENTRY = "SELECT id, name, address, entered_at, seen_at, until FROM entry WHERE ended_at IS NULL AND until > ?"


def passphrase_hash(db: Connection) -> str | None:
    """The hash of the passphrase; None where none is set."""
    row = db.execute("SELECT hash FROM passphrase").fetchone()
    return None if row is None else str(row["hash"])


def set_passphrase_hash(db: Connection, hashed: str, at: str) -> None:
    """Set the passphrase; whoever was let in by the one before is sent out, and no code holds any more."""
    with transaction(db):
        db.execute(
            "INSERT INTO passphrase (id, hash, set_at) VALUES (1, ?, ?)"
            " ON CONFLICT (id) DO UPDATE SET hash = excluded.hash, set_at = excluded.set_at",
            (hashed, at),
        )
        db.execute("UPDATE entry SET ended_at = ? WHERE ended_at IS NULL", (at,))
        db.execute("UPDATE pairing_code SET used_at = ? WHERE used_at IS NULL", (at,))


def enter(db: Connection, token: str, name: str, address: str, at: str, until: str) -> int:
    """Let a device in until a time; returns the entry's id."""
    with transaction(db):
        cursor = db.execute(
            "INSERT INTO entry (token_hash, name, address, entered_at, seen_at, until) VALUES (?, ?, ?, ?, ?, ?)",
            (_hash(token), name, address, at, at, until),
        )
        return int(cursor.lastrowid or 0)


def entry_of(db: Connection, token: str, at: str) -> Entry | None:
    """The entry that a token stands for at a time; None where it is none, has ended or is over."""
    row = db.execute(f"{_ENTRY} AND token_hash = ?", (at, _hash(token))).fetchone()
    return None if row is None else Entry(*row)


def entries(db: Connection, at: str) -> list[Entry]:
    """Every device that is let in at a time, the one seen last first."""
    return [Entry(*row) for row in db.execute(f"{_ENTRY} ORDER BY seen_at DESC, id DESC", (at,))]


def seen(db: Connection, entry_id: int, address: str, at: str) -> None:
    """Note that a device was here."""
    with transaction(db):
        db.execute("UPDATE entry SET seen_at = ?, address = ? WHERE id = ?", (at, address, entry_id))


def end(db: Connection, entry_id: int, at: str) -> None:
    """Send a device out; raises KeyError when there is none."""
    with transaction(db):
        if not db.execute("UPDATE entry SET ended_at = ? WHERE id = ? AND ended_at IS NULL", (at, entry_id)).rowcount:
            raise KeyError(entry_id)


def make_code(db: Connection, code: str, hours: int, at: str, until: str) -> None:
    """A code lets one device in for so many hours, once, until a time; those made before hold no longer."""
    with transaction(db):
        db.execute("UPDATE pairing_code SET used_at = ? WHERE used_at IS NULL", (at,))
        db.execute("INSERT INTO pairing_code (code_hash, hours, until) VALUES (?, ?, ?)", (_hash(code), hours, until))


def use_code(db: Connection, code: str, at: str) -> int | None:
    """Use a code up: for how many hours it lets in; None where it holds no longer or never did."""
    with transaction(db):
        row = db.execute(
            "UPDATE pairing_code SET used_at = ? WHERE code_hash = ? AND used_at IS NULL AND until > ? RETURNING hours",
            (at, _hash(code), at),
        ).fetchone()
        return None if row is None else int(row["hours"])


def spoil_codes(db: Connection, at: str) -> None:
    """No code holds any more: too many were guessed."""
    with transaction(db):
        db.execute("UPDATE pairing_code SET used_at = ? WHERE used_at IS NULL", (at,))


def _hash(secret: str) -> str:
    return sha256(secret.encode()).hexdigest()
