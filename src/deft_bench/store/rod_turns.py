"""Turns of an instrument's truss rod."""

from dataclasses import dataclass

from deft_bench.store.database import Connection, new_uid, transaction
from deft_bench.store.people import sign


@dataclass(frozen=True, slots=True)
class RodTurn:
    """One turn, tighten positive, in sixty-fourths; `slack` says that the nut turned free."""

    id: int
    uid: str
    at: str
    turns_64: int
    slack: bool
    note: str
    withdrawn_at: str | None = None

    @property
    def turns(self) -> float:
        """The turn as a number of turns."""
        return self.turns_64 / 64


def of_instrument(db: Connection, instrument_id: int, *, withdrawn: bool = False) -> list[RodTurn]:
    """All turns of an instrument's rod, oldest first; with `withdrawn` those recorded by mistake too."""
    rows = db.execute(
        "SELECT id, uid, at, turns_64, slack, note, withdrawn_at FROM rod_turn WHERE instrument_id = ?"
        " AND (withdrawn_at IS NULL OR ?) ORDER BY at, id",
        (instrument_id, withdrawn),
    )
    return [RodTurn(**{**dict(row), "slack": bool(row["slack"])}) for row in rows]


def instrument_of(db: Connection, turn_id: int) -> int:
    """Whose rod was turned; raises KeyError when there is no such turn."""
    row = db.execute("SELECT instrument_id FROM rod_turn WHERE id = ?", (turn_id,)).fetchone()
    if row is None:
        raise KeyError(turn_id)
    return int(row["instrument_id"])


def add(
    db: Connection,
    instrument_id: int,
    at: str,
    turns_64: int,
    slack: bool = False,
    note: str = "",
    uid: str | None = None,
) -> int:
    """Record a turn."""
    with transaction(db):
        cursor = db.execute(
            "INSERT INTO rod_turn (uid, instrument_id, at, turns_64, slack, note) VALUES (?, ?, ?, ?, ?, ?)",
            (uid or new_uid(), instrument_id, at, turns_64, int(slack), note),
        )
        sign(db, "rod_turn", cursor.lastrowid)
        return int(cursor.lastrowid or 0)
