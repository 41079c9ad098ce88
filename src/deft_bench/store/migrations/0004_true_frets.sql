-- Turns of the truss rod, tighten positive, in sixty-fourths of a turn. What they did is read from the straightness surveys
-- before and after.

-- A turn of the truss rod; what it did is read from the straightness surveys around it.
CREATE TABLE rod_turn (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    at TEXT NOT NULL,
    turns_64 INTEGER NOT NULL CHECK (turns_64 BETWEEN -192 AND 192 AND turns_64 <> 0),
    slack INTEGER NOT NULL CHECK (slack IN (0, 1)),
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX turn_of ON rod_turn (instrument_id, at, id);

-- Steps of the polish ladder that are done across all frets.
CREATE TABLE polish_tick (
    job_id INTEGER NOT NULL REFERENCES job (id),
    kind TEXT NOT NULL CHECK (length(kind) BETWEEN 1 AND 20),
    grit REAL NOT NULL CHECK (grit > 0),
    at TEXT NOT NULL,
    PRIMARY KEY (job_id, kind, grit)
) STRICT;

-- Steps of a job's run order that are ticked off; a note says why one was done out of order.
CREATE TABLE order_tick (
    job_id INTEGER NOT NULL REFERENCES job (id),
    step TEXT NOT NULL CHECK (length(step) BETWEEN 1 AND 40),
    at TEXT NOT NULL,
    note TEXT NOT NULL,
    PRIMARY KEY (job_id, step)
) STRICT;
