-- What was recorded by a slip of the finger is withdrawn: it stays in the record, and nothing counts it.
ALTER TABLE job ADD COLUMN withdrawn_at TEXT;
ALTER TABLE survey ADD COLUMN withdrawn_at TEXT;
ALTER TABLE rod_turn ADD COLUMN withdrawn_at TEXT;
ALTER TABLE accepted_plan ADD COLUMN withdrawn_at TEXT;
ALTER TABLE material_removed ADD COLUMN taken_back_at TEXT;
ALTER TABLE fret_replaced ADD COLUMN taken_back_at TEXT;
ALTER TABLE fret_fitted ADD COLUMN taken_back_at TEXT;

-- What became of a job: closed (with the gates that were not met), opened again, and what was taken back.
CREATE TABLE job_event (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    kind TEXT NOT NULL CHECK (kind IN ('closed', 'reopened', 'withdrawn', 'put_back', 'taken_back')),
    at TEXT NOT NULL,
    note TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE INDEX job_event_of ON job_event (job_id, id);
