"""Tools with their record: what was done to each, and how long it has worked since."""

from dataclasses import dataclass

from deft_bench.core.work.job_sheet import Event, records
from deft_bench.core.work.tools import Tool, Worked
from deft_bench.store.database import Connection, transaction


@dataclass(frozen=True, slots=True)
class Care:
    """When a tool was seen to."""

    at: str
    note: str


def tools(db: Connection) -> list[Tool]:
    """Every tool with the time at which it was last seen to."""
    rows = db.execute(
        "SELECT t.id, t.name, t.care, t.lasts_min, t.note, (SELECT max(at) FROM tool_event e WHERE e.tool_id = t.id) AS"
        " since FROM tool t WHERE t.retired_at IS NULL ORDER BY t.name COLLATE NOCASE"
    )
    return [Tool(**dict(row)) for row in rows]


def put(db: Connection, name: str, care: str, lasts_min: int | None, note: str = "") -> int:
    """Enter a tool, or change the one of that name; returns its id."""
    with transaction(db):
        row = db.execute(
            "INSERT INTO tool (name, care, lasts_min, note) VALUES (?, ?, ?, ?) ON CONFLICT (name) DO UPDATE SET care ="
            " excluded.care, lasts_min = excluded.lasts_min, note = excluded.note, retired_at = NULL RETURNING id",
            (name, care, lasts_min, note),
        ).fetchone()
    return int(row["id"])


def seen_to(db: Connection, tool_id: int, at: str, note: str = "") -> bool:
    """Record that a tool was sharpened, its paper or blade changed, or it was trued; False when there is no such
    tool.
    """
    with transaction(db):
        if db.execute("SELECT 1 FROM tool WHERE id = ?", (tool_id,)).fetchone() is None:
            return False
        db.execute("INSERT INTO tool_event (tool_id, at, note) VALUES (?, ?, ?)", (tool_id, at, note))
    return True


def cares(db: Connection, tool_id: int, limit: int = 8) -> list[Care]:
    """When a tool was seen to, the latest first."""
    rows = db.execute("SELECT at, note FROM tool_event WHERE tool_id = ? ORDER BY id DESC LIMIT ?", (tool_id, limit))
    return [Care(row["at"], row["note"]) for row in rows]


def worked_since(db: Connection, since: str, limit: int = 2000) -> list[Worked]:
    """Steps finished since a moment with the minutes that they took (None where no start was kept), the latest of
    them.
    """
    rows = db.execute(
        "SELECT f.step, f.at, (SELECT s.at FROM sheet_event s WHERE s.job_id = f.job_id AND s.step = f.step"
        " AND s.kind = 'started' AND s.at <= f.at ORDER BY s.id DESC LIMIT 1) AS started FROM sheet_event f"
        " WHERE f.kind = 'finished' AND f.at >= ? AND EXISTS (SELECT 1 FROM bench_job j WHERE j.id = f.job_id)"
        " ORDER BY f.at DESC LIMIT ?",
        (since, limit),
    )
    worked = []
    for step, at, started in rows:
        events = [Event(step, "started", started)] if started else []
        minutes = records([*events, Event(step, "finished", at)])[step].minutes
        worked.append(Worked(step, at, minutes))
    return worked
