-- How many light strokes took the ink off, and the blades that a gap was tried with: what a survey of ink or blades says.
ALTER TABLE survey ADD COLUMN strokes INTEGER NOT NULL DEFAULT 0 CHECK (strokes BETWEEN 0 AND 50);
ALTER TABLE survey ADD COLUMN blades_um TEXT NOT NULL DEFAULT '[]' CHECK (json_valid(blades_um));

-- What was done to single frets, recorded where it was done; one that is taken back stays in the record.
CREATE TABLE neck_act (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    kind TEXT NOT NULL CHECK (kind IN ('reseat', 'lift', 'shim', 'spot')),
    frets TEXT NOT NULL CHECK (json_valid(frets)),
    at TEXT NOT NULL,
    taken_back_at TEXT
) STRICT;

CREATE INDEX neck_act_of ON neck_act (job_id, id);
