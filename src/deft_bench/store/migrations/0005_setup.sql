-- Setup. A survey may be read string by string: its lanes are then the strings' numbers, 1 the highest. Values are whole
-- micrometres; of intonation hundredths of a cent, of tests 1 (rocks, buzzes) or 0. Fret 0 is the open string.

ALTER TABLE survey ADD COLUMN strings INTEGER NOT NULL DEFAULT 0 CHECK (strings BETWEEN 0 AND 18);
ALTER TABLE survey ADD COLUMN at_frets TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(at_frets));

CREATE TABLE reading_new (
    id INTEGER PRIMARY KEY,
    survey_id INTEGER NOT NULL REFERENCES survey (id),
    lane TEXT NOT NULL CHECK (lane IN ('bass', 'middle', 'treble') OR CAST(lane AS INTEGER) BETWEEN 1 AND 18),
    fret INTEGER NOT NULL CHECK (fret BETWEEN 0 AND 60),
    value_um INTEGER CHECK (value_um BETWEEN -20000 AND 20000), -- null: withdrawn
    typed TEXT NOT NULL,
    at TEXT NOT NULL,
    replaces INTEGER UNIQUE REFERENCES reading (id),
    token TEXT UNIQUE
) STRICT;
INSERT INTO reading_new SELECT id, survey_id, lane, fret, value_um, typed, at, replaces, token FROM reading;
DROP TABLE reading;
ALTER TABLE reading_new RENAME TO reading;
CREATE UNIQUE INDEX first_reading ON reading (survey_id, lane, fret) WHERE replaces IS NULL;
CREATE INDEX reading_of ON reading (survey_id, id);

-- Notes as the microphone heard them: the cents of an intonation survey are worked out from these.
CREATE TABLE sounded (
    id INTEGER PRIMARY KEY,
    survey_id INTEGER NOT NULL REFERENCES survey (id),
    string INTEGER NOT NULL CHECK (string BETWEEN 1 AND 18),
    what TEXT NOT NULL CHECK (what IN ('open', 'harmonic', 'fretted')),
    fret INTEGER NOT NULL CHECK (fret BETWEEN 0 AND 60),
    hz REAL NOT NULL CHECK (hz > 0),
    confidence REAL NOT NULL CHECK (confidence BETWEEN 0 AND 1),
    at TEXT NOT NULL
) STRICT;
CREATE INDEX sounded_in ON sounded (survey_id, id);

-- The strings, the hand and the hardware that a setup is worked out with; every save is a row, the last one counts.
CREATE TABLE setup_plan (
    id INTEGER PRIMARY KEY,
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    saved_at TEXT NOT NULL,
    plan TEXT NOT NULL CHECK (json_valid(plan))
) STRICT;
CREATE INDEX setup_plan_of ON setup_plan (instrument_id, id);

-- Which setup was accepted in a job, with the inputs that it was solved from.
CREATE TABLE setup_target (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    accepted_at TEXT NOT NULL,
    inputs TEXT NOT NULL CHECK (json_valid(inputs)),
    target TEXT NOT NULL CHECK (json_valid(target))
) STRICT;
CREATE INDEX setup_target_of ON setup_target (job_id, id);
