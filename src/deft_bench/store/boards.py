"""How boards are made, and which frets are ticked off as marked."""

import json
from typing import Any

from deft_bench.core.board.plan import BoardPlan, from_fields, sound, starting_plan, to_fields
from deft_bench.core.instrument import Spec
from deft_bench.store import instruments
from deft_bench.store.database import Connection, transaction


def plan_of(db: Connection, instrument_id: int, spec: Spec) -> BoardPlan:
    """The board's saved plan, made to fit the specification as it is now; the starting one when none was saved."""
    row = db.execute(
        "SELECT plan FROM board_plan WHERE instrument_id = ? ORDER BY id DESC LIMIT 1", (instrument_id,)
    ).fetchone()
    return sound(from_fields(json.loads(row["plan"])), spec) if row else starting_plan(spec)


def plans(db: Connection, instrument_id: int) -> list[tuple[str, dict[str, Any]]]:
    """(saved at, plan) of every save, oldest first."""
    rows = db.execute("SELECT saved_at, plan FROM board_plan WHERE instrument_id = ? ORDER BY id", (instrument_id,))
    return [(row["saved_at"], json.loads(row["plan"])) for row in rows]


def save(db: Connection, instrument_id: int, spec: Spec, plan: BoardPlan, at: str) -> bool:
    """Save specification and plan together or neither, the earlier ones kept; returns whether anything changed.
    Raises KeyError.
    """
    with transaction(db):
        changed = instruments.edit(db, instrument_id, spec, at)
        latest = plans(db, instrument_id)[-1:]
        if latest and latest[0][1] == to_fields(plan):
            return changed
        keep_plan(db, instrument_id, at, to_fields(plan))
    return True


def keep_plan(db: Connection, instrument_id: int, at: str, plan: dict[str, Any]) -> None:
    """Store one saved plan inside an open transaction."""
    db.execute(
        "INSERT INTO board_plan (instrument_id, saved_at, plan) VALUES (?, ?, ?)", (instrument_id, at, json.dumps(plan))
    )


def ticks(db: Connection, instrument_id: int) -> dict[tuple[str, int], tuple[int, str]]:
    """(place in µm, when) of every fret ticked off, by (marking line, fret)."""
    rows = db.execute(
        "SELECT line, fret, place_um, at FROM board_tick WHERE instrument_id = ? ORDER BY line, fret", (instrument_id,)
    )
    return {(row["line"], row["fret"]): (row["place_um"], row["at"]) for row in rows}


def tick(db: Connection, instrument_id: int, line: str, fret: int, place_um: int, at: str) -> None:
    """Tick a fret off as marked at a place, again where the place has moved."""
    with transaction(db):
        db.execute(
            "INSERT INTO board_tick (instrument_id, line, fret, place_um, at) VALUES (?, ?, ?, ?, ?)"
            " ON CONFLICT DO UPDATE SET place_um = excluded.place_um, at = excluded.at",
            (instrument_id, line, fret, place_um, at),
        )


def untick(db: Connection, instrument_id: int, line: str, fret: int) -> None:
    """Take a tick back."""
    with transaction(db):
        db.execute(
            "DELETE FROM board_tick WHERE instrument_id = ? AND line = ? AND fret = ?", (instrument_id, line, fret)
        )
