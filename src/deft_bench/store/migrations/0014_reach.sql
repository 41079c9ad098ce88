-- How many frets to either side of the one that it tests a rocker's edge stands on: 1 for its neighbours.
ALTER TABLE survey ADD COLUMN reach INTEGER NOT NULL DEFAULT 1 CHECK (reach BETWEEN 1 AND 6);
