"""Which abrasives of a job's polish ladder have been gone through."""

from deft_bench.store.database import Connection, transaction


def done(db: Connection, job_id: int) -> dict[tuple[str, float], str]:
    """When each abrasive (kind, grit) was ticked off."""
    rows = db.execute("SELECT kind, grit, at FROM polish_tick WHERE job_id = ? ORDER BY at, kind, grit", (job_id,))
    return {(row["kind"], row["grit"]): row["at"] for row in rows}


def keep(db: Connection, job_id: int, kind: str, grit: float, at: str) -> None:
    """Store an imported tick inside an open transaction."""
    db.execute("INSERT INTO polish_tick (job_id, kind, grit, at) VALUES (?, ?, ?, ?)", (job_id, kind, grit, at))


def toggle(db: Connection, job_id: int, kind: str, grit: float, at: str) -> None:
    """Tick an abrasive off across all frets, or take the tick back."""
    with transaction(db):
        cursor = db.execute("DELETE FROM polish_tick WHERE job_id = ? AND kind = ? AND grit = ?", (job_id, kind, grit))
        if not cursor.rowcount:
            keep(db, job_id, kind, grit, at)
