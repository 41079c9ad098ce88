-- Notes and photographs pinned to the place on the neck that they are about. Photographs are re-encoded before they come
-- here, so that a backup of this one file is a backup of everything.

-- A photograph, re-encoded before it is kept, so that a backup of this one file is a backup of everything.
CREATE TABLE photo (
    id INTEGER PRIMARY KEY,
    sha256 TEXT NOT NULL UNIQUE CHECK (length(sha256) = 64),
    width INTEGER NOT NULL CHECK (width > 0),
    height INTEGER NOT NULL CHECK (height > 0),
    jpeg BLOB NOT NULL
) STRICT;

-- A note on a place of the neck.
CREATE TABLE pin (
    id INTEGER PRIMARY KEY,
    uid TEXT NOT NULL UNIQUE CHECK (length(uid) = 32),
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    job_id INTEGER REFERENCES job (id),
    fret INTEGER NOT NULL CHECK (fret BETWEEN 0 AND 60),
    lane TEXT NOT NULL CHECK (lane IN ('bass', 'middle', 'treble')),
    note TEXT NOT NULL,
    photo_id INTEGER REFERENCES photo (id),
    at TEXT NOT NULL,
    settled_at TEXT
) STRICT;

CREATE INDEX pin_of ON pin (instrument_id, id);
