"""How boards are made, and which frets are ticked off as marked."""

from collections.abc import Sequence
from functools import partial

from deft_bench.core.board.plan import BoardPlan, sound, starting_plan
from deft_bench.core.described import from_fields, to_fields
from deft_bench.core.instrument import Spec
from deft_bench.store import instruments
from deft_bench.store.database import Connection, transaction
from deft_bench.store.documents import SavedDocuments

PLANS = SavedDocuments("board_plan", "instrument_id", partial(from_fields, BoardPlan), to_fields)


def plan_of(db: Connection, instrument_id: int, spec: Spec) -> BoardPlan:
    """The board's saved plan, made to fit the specification as it is now; the starting one when none was saved."""
    return _in_force(PLANS.last(db, instrument_id), spec)


def plans_of(db: Connection, found: Sequence[instruments.Instrument]) -> dict[int, BoardPlan]:
    """The same of several instruments, by their numbers, in one question."""
    saved = PLANS.last_of(db, [one.id for one in found])
    return {one.id: _in_force(saved.get(one.id), one.spec) for one in found}


def _in_force(saved: BoardPlan | None, spec: Spec) -> BoardPlan:
    return starting_plan(spec) if saved is None else sound(saved, spec)


def save(db: Connection, instrument_id: int, spec: Spec, plan: BoardPlan, at: str) -> bool:
    """Save specification and plan together or neither, the earlier ones kept; returns whether anything changed.
    Raises KeyError.
    """
    with transaction(db):
        edited = instruments.edit(db, instrument_id, spec, at)
        return PLANS.save(db, instrument_id, plan, at) or edited


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
