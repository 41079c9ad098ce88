CREATE TEMPORARY TABLE job_event_was AS SELECT id, job_id, kind, at, note FROM job_event;

DROP TABLE job_event;

-- What became of a job: closed (with the gates that were not met), opened again, and what was taken back; steps that
-- were signed off with a reason where their gate was not met, and those asked for again.
CREATE TABLE job_event (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    kind TEXT NOT NULL CHECK (
        kind IN ('closed', 'reopened', 'withdrawn', 'put_back', 'taken_back', 'signed_off', 'asked_again')
    ),
    at TEXT NOT NULL,
    note TEXT NOT NULL DEFAULT '',
    step TEXT NOT NULL DEFAULT '' -- of a step that was signed off or asked for again
) STRICT;

INSERT INTO job_event (id, job_id, kind, at, note) SELECT id, job_id, kind, at, note FROM job_event_was;

DROP TABLE job_event_was;

CREATE INDEX job_event_of ON job_event (job_id, id);

-- A preset by name, of a player or a style, beside the shop's own of each kind of strings.
CREATE TABLE preset (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (length(name) BETWEEN 1 AND 60),
    kind TEXT NOT NULL,
    relief_um INTEGER NOT NULL,
    treble_um INTEGER NOT NULL,
    bass_um INTEGER NOT NULL,
    gap_um INTEGER, -- over fret 1; empty: by the strings
    force_percent INTEGER NOT NULL DEFAULT 100 CHECK (force_percent BETWEEN 20 AND 300),
    pickup_um INTEGER, -- from the pickup to the string; empty: as it is planned
    retired_at TEXT
) STRICT;
