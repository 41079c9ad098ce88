-- How far readings of one gap lie apart, with the gauge that a survey was read with; how well a note's pitch is known.
ALTER TABLE survey ADD COLUMN spread_um REAL CHECK (spread_um >= 0);
ALTER TABLE sounded ADD COLUMN sd_cents REAL CHECK (sd_cents > 0);
