-- An instrument that is none: a practice neck with its hidden truth, the job that is done on it, and what it was worth.
CREATE TABLE practice_neck (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    instrument_id INTEGER NOT NULL UNIQUE REFERENCES instrument (id),
    job_id INTEGER NOT NULL UNIQUE REFERENCES job (id),
    level INTEGER NOT NULL CHECK (level > 0),
    seed INTEGER NOT NULL CHECK (seed >= 0),
    person TEXT NOT NULL,
    calls INTEGER NOT NULL CHECK (calls IN (0, 1)),
    truth TEXT NOT NULL CHECK (json_valid(truth)),
    started_at TEXT NOT NULL,
    handed_in_at TEXT,
    outcome TEXT CHECK (outcome IS NULL OR json_valid(outcome)),
    CHECK ((handed_in_at IS NULL) = (outcome IS NULL))
) STRICT;

-- What was done to a practice neck by hand, and the neck after it; act is what the job's book has of it, if anything.
CREATE TABLE practice_deed (
    id INTEGER PRIMARY KEY,
    neck_id INTEGER NOT NULL REFERENCES practice_neck (id),
    deed TEXT NOT NULL CHECK (json_valid(deed)),
    neck TEXT NOT NULL CHECK (json_valid(neck)),
    act TEXT,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX practice_deed_of ON practice_deed (neck_id, id);

-- Jobs on real instruments: what goes over the whole bench counts no practice.
CREATE VIEW bench_job AS
    SELECT j.* FROM job j WHERE NOT EXISTS (SELECT 1 FROM practice_neck p WHERE p.instrument_id = j.instrument_id);
