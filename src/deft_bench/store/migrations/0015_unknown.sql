-- Lengths of the specification that nobody has read, by their names: what is usual for the kind stands in for them.
ALTER TABLE instrument ADD COLUMN unknown TEXT NOT NULL DEFAULT '';
