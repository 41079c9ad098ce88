-- Practice: a neck whose truth is stored and hidden, the readings taken on it, and what was named in the end.
CREATE TABLE practice_attempt (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE,
    drill TEXT NOT NULL,
    level INTEGER NOT NULL CHECK (level > 0),
    seed INTEGER NOT NULL CHECK (seed >= 0),
    person TEXT NOT NULL,
    truth TEXT NOT NULL,
    started_at TEXT NOT NULL,
    answered_at TEXT,
    named TEXT,
    points INTEGER CHECK (points BETWEEN 0 AND 100),
    CHECK ((answered_at IS NULL) = (named IS NULL) AND (answered_at IS NULL) = (points IS NULL))
) STRICT;
CREATE INDEX practice_attempt_of ON practice_attempt (person, drill, id);
CREATE TABLE practice_reading (
    id INTEGER PRIMARY KEY,
    attempt_id INTEGER NOT NULL REFERENCES practice_attempt (id),
    said TEXT NOT NULL,
    at TEXT NOT NULL
) STRICT;
CREATE INDEX practice_reading_of ON practice_reading (attempt_id, id);
