-- What each note as heard has of a buzz, and what was confirmed of it, with the log odds that it had then: it teaches the
-- ear where it was asked about alone, and not where all that sounded clean was kept so at once.
ALTER TABLE sounded ADD COLUMN ear TEXT;
CREATE TABLE ear_confirmed (
    id INTEGER PRIMARY KEY,
    sounded_id INTEGER NOT NULL REFERENCES sounded (id),
    buzzes INTEGER NOT NULL CHECK (buzzes IN (0, 1)),
    log_odds REAL NOT NULL,
    alone INTEGER NOT NULL CHECK (alone IN (0, 1)),
    at TEXT NOT NULL
) STRICT;
CREATE INDEX ear_confirmed_of ON ear_confirmed (sounded_id, id);
