-- Run sheets: what a job's sheet is made from (every save is a row, the last one counts), and what happened to its steps. Events
-- are never changed. Ticks of the earlier order of work become events under the operations' names.

-- What a job's run sheet is made from; every save is a row, the last one counts.
CREATE TABLE sheet_plan (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    saved_at TEXT NOT NULL,
    plan TEXT NOT NULL CHECK (json_valid(plan))
) STRICT;
CREATE INDEX sheet_plan_of ON sheet_plan (job_id, id);

-- What happened to a step of a run sheet. Never changed.
CREATE TABLE sheet_event (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    step TEXT NOT NULL CHECK (length(step) BETWEEN 1 AND 40),
    kind TEXT NOT NULL CHECK (kind IN ('started', 'finished', 'reopened', 'skipped', 'note')),
    at TEXT NOT NULL,
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX event_of ON sheet_event (job_id, id);
CREATE INDEX event_of_step ON sheet_event (step, job_id, id);

INSERT INTO sheet_event (job_id, step, kind, at, note)
SELECT job_id, CASE step
    WHEN 'rest' THEN 'climate_rest' WHEN 'intake' THEN 'before_survey' WHEN 'after' THEN 'resurvey' WHEN 'cover' THEN 'cover_pickups'
    WHEN 'nut' THEN 'nut_depth' ELSE step END, 'finished', at, note
FROM order_tick WHERE step NOT LIKE 'end %' ORDER BY at;
DELETE FROM order_tick WHERE step NOT LIKE 'end %';

-- The shop's own operations, rules and routes as it wrote them; the last row counts.
CREATE TABLE shop_operations (
    id INTEGER PRIMARY KEY,
    saved_at TEXT NOT NULL,
    toml TEXT NOT NULL
) STRICT;

-- Accepted estimates, with what they were made from; the last row of a job counts.
CREATE TABLE job_estimate (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    accepted_at TEXT NOT NULL,
    inputs TEXT NOT NULL CHECK (json_valid(inputs)),
    outcome TEXT NOT NULL CHECK (json_valid(outcome))
) STRICT;
CREATE INDEX estimate_of ON job_estimate (job_id, id);
