"""Turns of an instrument's truss rod."""

from dataclasses import dataclass

from deft_bench.store.database import Connection, new_uid, transaction


@dataclass(frozen=True, slots=True)
class RodTurn:
    """One turn, tighten positive, in sixty-fourths; `slack` says that the nut turned free."""

    id: int
    uid: str
    at: str
    turns_64: int
    slack: bool
    note: str

    @property
    def turns(self) -> float:
        """The turn as a number of turns."""
        return self.turns_64 / 64


def of_instrument(db: Connection, instrument_id: int) -> list[RodTurn]:
    """All turns of an instrument's rod, oldest first."""
    rows = db.execute(
        "SELECT id, uid, at, turns_64, slack, note FROM rod_turn WHERE instrument_id = ? ORDER BY at, id",
        (instrument_id,),
    )
    return [RodTurn(**{**dict(row), "slack": bool(row["slack"])}) for row in rows]


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
        return int(cursor.lastrowid or 0)
