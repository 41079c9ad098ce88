"""Withdrawing what was recorded by mistake, and putting it back: the rows stay, and nothing counts them meanwhile."""

from deft_bench.store.database import Connection, transaction

TABLES = ("job", "survey", "rod_turn", "accepted_plan")


def set_withdrawn(db: Connection, table: str, row_id: int, at: str | None) -> None:
    """Withdraw a row of one of `TABLES`, or put it back with None. With a job go its surveys, and come back with it
    those that went with it.
    """
    if table not in TABLES:
        raise ValueError(table)
    with transaction(db):
        if table == "job":
            was = db.execute("SELECT withdrawn_at FROM job WHERE id = ?", (row_id,)).fetchone()["withdrawn_at"]
            db.execute("UPDATE survey SET withdrawn_at = ? WHERE job_id = ? AND withdrawn_at IS ?", (at, row_id, was))
        db.execute(f"UPDATE {table} SET withdrawn_at = ? WHERE id = ?", (at, row_id))
