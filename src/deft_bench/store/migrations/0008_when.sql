-- When a survey was taken against the work is called so, here as on screen and in records.

ALTER TABLE survey RENAME COLUMN stage TO "when";
