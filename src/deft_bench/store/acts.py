"""What was done to an instrument's neck and frets, gathered from where each act is recorded."""

from deft_bench.core.acts import Act
from deft_bench.store.database import Connection

_ACTS = """
    SELECT 'rod' AS kind, at FROM rod_turn WHERE instrument_id = :instrument AND withdrawn_at IS NULL
    UNION ALL
    SELECT json_extract(p.outcome, '$.kind'), p.done_at FROM job j JOIN accepted_plan p ON p.job_id = j.id
        WHERE j.instrument_id = :instrument AND p.done_at IS NOT NULL AND j.withdrawn_at IS NULL
    UNION ALL
    SELECT DISTINCT 'refret', at FROM fret_fitted WHERE instrument_id = :instrument AND taken_back_at IS NULL
    UNION ALL
    SELECT 'reseat', e.at FROM job j JOIN sheet_event e ON e.job_id = j.id
        WHERE j.instrument_id = :instrument AND j.withdrawn_at IS NULL AND e.step = :reseat
        AND e.kind IN ('started', 'finished')
        AND NOT (e.kind = 'finished' AND EXISTS (
            SELECT 1 FROM sheet_event s
            WHERE s.job_id = e.job_id AND s.step = e.step AND s.kind = 'started' AND s.id < e.id))
"""
RESEAT = "reseat"
"""The operation by which frets are driven home. From when it was started what is read may be what it left, so its
start counts.
"""


def of_instrument(db: Connection, instrument_id: int) -> list[Act]:
    """Every recorded act that moves the neck or its frets, oldest first."""
    rows = db.execute(f"{_ACTS} ORDER BY 2", {"instrument": instrument_id, "reseat": RESEAT})
    return [Act(row["kind"], row["at"]) for row in rows]
