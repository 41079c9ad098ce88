-- Lengths are whole micrometres, times UTC ISO-8601 text. Readings are never overwritten: a correction names the row it
-- replaces.

-- An instrument as it is specified now; what it was before stands in instrument_revision.
CREATE TABLE instrument (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 80),
    kind TEXT NOT NULL,
    strings INTEGER NOT NULL CHECK (strings BETWEEN 1 AND 18),
    left_handed INTEGER NOT NULL CHECK (left_handed IN (0, 1)),
    bass_scale_um INTEGER NOT NULL CHECK (bass_scale_um > 0),
    treble_scale_um INTEGER NOT NULL CHECK (treble_scale_um > 0),
    perpendicular_fret REAL NOT NULL CHECK (perpendicular_fret >= 0),
    frets INTEGER NOT NULL CHECK (frets BETWEEN 1 AND 60),
    nut_width_um INTEGER NOT NULL CHECK (nut_width_um > 0),
    last_fret_width_um INTEGER NOT NULL CHECK (last_fret_width_um > 0),
    spread_nut_um INTEGER NOT NULL CHECK (spread_nut_um > 0),
    spread_saddle_um INTEGER NOT NULL CHECK (spread_saddle_um > 0),
    radius_kind TEXT NOT NULL CHECK (radius_kind IN ('single', 'compound', 'flat')),
    nut_radius_um INTEGER CHECK (nut_radius_um > 0),
    end_radius_um INTEGER CHECK (end_radius_um > 0),
    board_thickness_um INTEGER NOT NULL CHECK (board_thickness_um > 0),
    bound INTEGER NOT NULL CHECK (bound IN (0, 1)),
    nibs INTEGER NOT NULL CHECK (nibs IN (0, 1)),
    crown_width_um INTEGER NOT NULL CHECK (crown_width_um > 0),
    fret_height_um INTEGER NOT NULL CHECK (fret_height_um > 0),
    tang_depth_um INTEGER NOT NULL CHECK (tang_depth_um > 0),
    barb_width_um INTEGER NOT NULL CHECK (barb_width_um > 0),
    rod TEXT NOT NULL CHECK (rod IN ('none', 'single', 'dual')),
    rod_end TEXT NOT NULL,
    joint TEXT NOT NULL,
    joint_fret INTEGER NOT NULL,
    bridge TEXT NOT NULL,
    string_set TEXT NOT NULL,
    tuning TEXT NOT NULL,
    hand TEXT NOT NULL CHECK (hand IN ('light', 'medium', 'heavy')),
    note TEXT NOT NULL,
    created_at TEXT NOT NULL,
    retired_at TEXT,
    CHECK ((radius_kind = 'flat') = (nut_radius_um IS NULL)),
    CHECK ((nut_radius_um IS NULL) = (end_radius_um IS NULL))
) STRICT;

CREATE INDEX instrument_by_name ON instrument (retired_at IS NOT NULL, name COLLATE NOCASE, id);

-- What a specification said before it was edited.
CREATE TABLE instrument_revision (
    id INTEGER PRIMARY KEY,
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    replaced_at TEXT NOT NULL,
    spec TEXT NOT NULL CHECK (json_valid(spec))
) STRICT;

CREATE INDEX revision_of ON instrument_revision (instrument_id, id);

-- Find as you type: every word of the name, kind and note by its first letters.
CREATE VIRTUAL TABLE instrument_words USING fts5 (words, prefix = '1 2 3');

-- A job on an instrument, from opening to closing, with what was said of the neck, the seating and the nut.
CREATE TABLE job (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    kind TEXT NOT NULL CHECK (kind IN ('level_and_dress', 'inspection')),
    opened_at TEXT NOT NULL,
    promised_on TEXT CHECK (promised_on GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]'),
    closed_at TEXT,
    nut TEXT NOT NULL DEFAULT 'in_place' CHECK (nut IN ('in_place', 'out', 'protected')),
    seated INTEGER NOT NULL DEFAULT 0 CHECK (seated IN (0, 1)),
    override_note TEXT NOT NULL DEFAULT '',
    note TEXT NOT NULL DEFAULT ''
) STRICT;

CREATE INDEX job_of ON job (instrument_id, id);
CREATE INDEX open_job ON job (promised_on IS NULL, promised_on, id) WHERE closed_at IS NULL;

-- A walk along the neck with one tool for one thing; when and how it was read stands beside its readings.
CREATE TABLE survey (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    job_id INTEGER REFERENCES job (id),
    kind TEXT NOT NULL CHECK (kind IN ('fret_heights', 'straightness')),
    stage TEXT NOT NULL CHECK (stage IN ('before', 'between', 'after')),
    method TEXT NOT NULL CHECK (method IN ('gap', 'height')),
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

CREATE INDEX survey_of_instrument ON survey (instrument_id, kind, taken_at, id);
CREATE INDEX survey_in_time ON survey (instrument_id, taken_at, id);
CREATE INDEX survey_of_job ON survey (job_id, id);

-- One reading at one place. Never changed: a correction or a withdrawal is a row that names the one it replaces.
CREATE TABLE reading (
    id INTEGER PRIMARY KEY,
    survey_id INTEGER NOT NULL REFERENCES survey (id),
    lane TEXT NOT NULL CHECK (lane IN ('bass', 'middle', 'treble')),
    fret INTEGER NOT NULL CHECK (fret BETWEEN 1 AND 60),
    value_um INTEGER CHECK (value_um BETWEEN -5000 AND 5000), -- null: withdrawn
    typed TEXT NOT NULL,
    at TEXT NOT NULL,
    replaces INTEGER UNIQUE REFERENCES reading (id),
    token TEXT UNIQUE
) STRICT;

CREATE UNIQUE INDEX first_reading ON reading (survey_id, lane, fret) WHERE replaces IS NULL;
CREATE INDEX reading_of ON reading (survey_id, id);

-- A level plan as it was accepted, with all it was made from; done_at when it was carried out.
CREATE TABLE accepted_plan (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    job_id INTEGER NOT NULL REFERENCES job (id),
    survey_id INTEGER NOT NULL REFERENCES survey (id),
    accepted_at TEXT NOT NULL,
    inputs TEXT NOT NULL CHECK (json_valid(inputs)),
    outcome TEXT NOT NULL CHECK (json_valid(outcome)),
    done_at TEXT
) STRICT;

CREATE INDEX plan_of_job ON accepted_plan (job_id, id);

-- Metal taken off each fret, once per plan that was carried out: the metal budget is history, not a guess.
CREATE TABLE material_removed (
    plan_id INTEGER NOT NULL REFERENCES accepted_plan (id),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    fret INTEGER NOT NULL CHECK (fret BETWEEN 1 AND 60),
    removed_um INTEGER NOT NULL CHECK (removed_um BETWEEN 0 AND 5000),
    at TEXT NOT NULL,
    PRIMARY KEY (plan_id, fret)
) STRICT;

CREATE INDEX removed_from ON material_removed (instrument_id, at, fret);

-- Frets that were replaced: metal taken before that is gone with the old wire.
CREATE TABLE fret_replaced (
    plan_id INTEGER NOT NULL REFERENCES accepted_plan (id),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    fret INTEGER NOT NULL CHECK (fret BETWEEN 1 AND 60),
    at TEXT NOT NULL,
    PRIMARY KEY (plan_id, fret)
) STRICT;

CREATE INDEX replaced_on ON fret_replaced (instrument_id, fret, at);

-- Temperature and relative humidity at the bench.
CREATE TABLE climate (
    id INTEGER PRIMARY KEY,
    at TEXT NOT NULL,
    temperature_c REAL NOT NULL CHECK (temperature_c BETWEEN -20 AND 60),
    humidity REAL NOT NULL CHECK (humidity BETWEEN 0 AND 100)
) STRICT;

CREATE INDEX climate_at ON climate (at);

-- The shop's settings, as texts; read through core/shop_settings.py.
CREATE TABLE setting (
    name TEXT PRIMARY KEY,
    value TEXT NOT NULL
) STRICT;
