-- Into how many steps an instrument divides the octave.
ALTER TABLE instrument ADD COLUMN divisions INTEGER NOT NULL DEFAULT 12 CHECK (divisions BETWEEN 5 AND 60);

-- How a length was last typed into a box about an instrument: shown again while it still means what is stored.
CREATE TABLE typed_form (
    instrument_id INTEGER NOT NULL REFERENCES instrument (id),
    field TEXT NOT NULL,
    typed TEXT NOT NULL,
    PRIMARY KEY (instrument_id, field)
) STRICT;
