-- Boards and refrets. A board project is an instrument in the making: it has a specification, jobs and surveys like any other.
-- The kinds of jobs and surveys grow with the screens, so their names are checked by the program and no longer here.

ALTER TABLE instrument ADD COLUMN project INTEGER NOT NULL DEFAULT 0 CHECK (project IN (0, 1));
DROP INDEX instrument_by_name;
CREATE INDEX instrument_by_name ON instrument (project, retired_at IS NOT NULL, name COLLATE NOCASE, id);

CREATE TABLE job_new (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    kind TEXT NOT NULL CHECK (length(kind) BETWEEN 1 AND 40),
    opened_at TEXT NOT NULL,
    promised_on TEXT CHECK (promised_on GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]'),
    closed_at TEXT,
    nut TEXT NOT NULL DEFAULT 'in_place' CHECK (nut IN ('in_place', 'out', 'protected')),
    seated INTEGER NOT NULL DEFAULT 0 CHECK (seated IN (0, 1)),
    override_note TEXT NOT NULL DEFAULT '',
    note TEXT NOT NULL DEFAULT ''
) STRICT;
INSERT INTO job_new SELECT id, uid, instrument_id, kind, opened_at, promised_on, closed_at, nut, seated, override_note, note FROM job;
DROP TABLE job;
ALTER TABLE job_new RENAME TO job;
CREATE INDEX job_of ON job (instrument_id, id);
CREATE INDEX open_job ON job (promised_on IS NULL, promised_on, id) WHERE closed_at IS NULL;

CREATE TABLE survey_new (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    job_id INTEGER REFERENCES job (id),
    kind TEXT NOT NULL CHECK (length(kind) BETWEEN 1 AND 40),
    stage TEXT NOT NULL CHECK (stage IN ('before', 'between', 'after')),
    method TEXT NOT NULL CHECK (length(method) BETWEEN 1 AND 40),
    surface TEXT NOT NULL CHECK (surface IN ('board', 'fret_tops')),
    tool TEXT NOT NULL,
    resolution_um INTEGER NOT NULL CHECK (resolution_um BETWEEN 1 AND 500),
    string_state TEXT NOT NULL CHECK (string_state IN ('off', 'slack', 'tuned', 'simulated')),
    temperature_c REAL,
    humidity REAL CHECK (humidity BETWEEN 0 AND 100),
    reading_order TEXT NOT NULL CHECK (reading_order IN ('lane_by_lane', 'fret_by_fret')),
    frets INTEGER NOT NULL CHECK (frets BETWEEN 1 AND 60),
    note TEXT NOT NULL DEFAULT '',
    taken_at TEXT NOT NULL
) STRICT;
INSERT INTO survey_new SELECT id, uid, instrument_id, job_id, kind, stage, method, surface, tool, resolution_um, string_state,
    temperature_c, humidity, reading_order, frets, note, taken_at FROM survey;
DROP TABLE survey;
ALTER TABLE survey_new RENAME TO survey;
CREATE INDEX survey_of_instrument ON survey (instrument_id, kind, taken_at, id);
CREATE INDEX survey_in_time ON survey (instrument_id, taken_at, id);
CREATE INDEX survey_of_job ON survey (job_id, id);

-- How a board is made; every save is a row, the last one counts.
CREATE TABLE board_plan (
    id INTEGER PRIMARY KEY,
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    saved_at TEXT NOT NULL,
    plan TEXT NOT NULL CHECK (json_valid(plan))
) STRICT;
CREATE INDEX board_plan_of ON board_plan (instrument_id, id);

-- Frets ticked off as marked, with the place they were marked at: when the layout moves, the tick no longer holds.
CREATE TABLE board_tick (
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    line TEXT NOT NULL,
    fret INTEGER NOT NULL CHECK (fret BETWEEN 0 AND 60),
    place_um INTEGER NOT NULL,
    at TEXT NOT NULL,
    PRIMARY KEY (instrument_id, line, fret)
) STRICT;

-- Fret wire in stock; the radius is that of the bend it has now, null when straight.
CREATE TABLE wire (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE CHECK (length(name) BETWEEN 1 AND 80),
    crown_width_um INTEGER NOT NULL CHECK (crown_width_um > 0),
    fret_height_um INTEGER NOT NULL CHECK (fret_height_um > 0),
    tang_depth_um INTEGER NOT NULL CHECK (tang_depth_um > 0),
    tang_width_um INTEGER NOT NULL CHECK (tang_width_um > 0),
    barb_width_um INTEGER NOT NULL CHECK (barb_width_um > 0),
    radius_um INTEGER CHECK (radius_um > 0)
) STRICT;

CREATE TABLE wire_piece (
    id INTEGER PRIMARY KEY,
    wire_id INTEGER NOT NULL REFERENCES wire (id),
    length_um INTEGER NOT NULL CHECK (length_um > 0),
    count INTEGER NOT NULL CHECK (count > 0)
) STRICT;
CREATE INDEX piece_of ON wire_piece (wire_id, id);

-- What a refret is to be and how far it has come; every save is a row, the last one counts.
CREATE TABLE refret_plan (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    saved_at TEXT NOT NULL,
    plan TEXT NOT NULL CHECK (json_valid(plan))
) STRICT;
CREATE INDEX refret_plan_of ON refret_plan (job_id, id);

-- Frets that a refret fitted: their metal budget starts there.
CREATE TABLE fret_fitted (
    job_id INTEGER NOT NULL REFERENCES job (id),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    fret INTEGER NOT NULL CHECK (fret BETWEEN 1 AND 60),
    at TEXT NOT NULL,
    PRIMARY KEY (job_id, fret)
) STRICT;
CREATE INDEX fitted_on ON fret_fitted (instrument_id, fret, at);
