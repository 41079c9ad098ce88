"""Steps of a job's run order that are ticked off."""

from deft_bench.store.database import Connection, transaction


def ticks(db: Connection, job_id: int) -> dict[str, tuple[str, str]]:
    """(when, note) of every step ticked off."""
    rows = db.execute("SELECT step, at, note FROM order_tick WHERE job_id = ? ORDER BY at, step", (job_id,))
    return {row["step"]: (row["at"], row["note"]) for row in rows}


def keep(db: Connection, job_id: int, step: str, at: str, note: str) -> None:
    """Tick a step off; the first tick stands."""
    with transaction(db):
        db.execute(
            "INSERT OR IGNORE INTO order_tick (job_id, step, at, note) VALUES (?, ?, ?, ?)", (job_id, step, at, note)
        )


def take_back(db: Connection, job_id: int, step: str) -> None:
    """Take a tick back."""
    with transaction(db):
        db.execute("DELETE FROM order_tick WHERE job_id = ? AND step = ?", (job_id, step))
