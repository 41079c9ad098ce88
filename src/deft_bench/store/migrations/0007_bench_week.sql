-- The bench's week: hours, schedules, pins; stock as a ledger; tools; frets ticked off one by one within a step of a run sheet.

ALTER TABLE job ADD COLUMN weight INTEGER NOT NULL DEFAULT 1 CHECK (weight BETWEEN 1 AND 9); -- how much a day late counts

-- Who works when, fixtures and dry windows; every save is a row, the last one counts.
CREATE TABLE bench_hours (
    id INTEGER PRIMARY KEY,
    saved_at TEXT NOT NULL,
    hours TEXT NOT NULL CHECK (json_valid(hours))
) STRICT;

-- Schedules as they were made, with what they came to; the last row is in force. `key` says what it was made from.
CREATE TABLE schedule (
    id INTEGER PRIMARY KEY,
    made_at TEXT NOT NULL,
    key TEXT NOT NULL,
    placed TEXT NOT NULL CHECK (json_valid(placed)),
    outcome TEXT NOT NULL CHECK (json_valid(outcome))
) STRICT;

-- A step that must start at a moment; one that is taken out stays in the record.
CREATE TABLE schedule_pin (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    step TEXT NOT NULL CHECK (length(step) BETWEEN 1 AND 40),
    at TEXT NOT NULL,
    technician TEXT NOT NULL DEFAULT '',
    cost TEXT NOT NULL DEFAULT '',
    made_at TEXT NOT NULL,
    taken_out_at TEXT
) STRICT;
CREATE UNIQUE INDEX pin_in_force ON schedule_pin (job_id, step) WHERE taken_out_at IS NULL;

-- Something that is kept in stock; what is there is the sum of its moves.
CREATE TABLE stock_item (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (length(name) BETWEEN 1 AND 80),
    kind TEXT NOT NULL CHECK (kind IN ('wire', 'blank', 'strings', 'abrasive', 'glue', 'finish', 'other')),
    unit TEXT NOT NULL CHECK (length(unit) BETWEEN 1 AND 20),
    least REAL NOT NULL DEFAULT 0 CHECK (least >= 0),
    note TEXT NOT NULL DEFAULT '',
    wire_id INTEGER UNIQUE REFERENCES wire (id),
    retired_at TEXT
) STRICT;

-- The ledger: what came, went or was counted otherwise. Rows are never changed. Wire moves by pieces of a length.
CREATE TABLE stock_move (
    id INTEGER PRIMARY KEY,
    item_id INTEGER NOT NULL REFERENCES stock_item (id),
    at TEXT NOT NULL,
    change REAL NOT NULL CHECK (change <> 0),
    length_um INTEGER CHECK (length_um > 0),
    why TEXT NOT NULL CHECK (why IN ('received', 'used', 'counted', 'offcut', 'spoiled', 'returned')),
    job_id INTEGER REFERENCES job (id),
    step TEXT NOT NULL DEFAULT '',
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX move_of ON stock_move (item_id, id);
CREATE INDEX moves_summed ON stock_move (item_id, length_um, change);
CREATE INDEX move_in_job ON stock_move (job_id, step, id) WHERE job_id IS NOT NULL;

-- Opened and expiry dates of a bottle or pot; one that is used up or thrown away stays in the record.
CREATE TABLE stock_lot (
    id INTEGER PRIMARY KEY,
    item_id INTEGER NOT NULL REFERENCES stock_item (id),
    label TEXT NOT NULL DEFAULT '',
    opened_on TEXT CHECK (opened_on GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]'),
    expires_on TEXT CHECK (expires_on GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]'),
    entered_at TEXT NOT NULL,
    spent_at TEXT
) STRICT;
CREATE INDEX lot_of ON stock_lot (item_id, id);

-- Parts and materials on order. `step` is the operation of the job that waits for it.
CREATE TABLE stock_order (
    id INTEGER PRIMARY KEY,
    what TEXT NOT NULL CHECK (length(what) BETWEEN 1 AND 120),
    item_id INTEGER REFERENCES stock_item (id),
    quantity REAL NOT NULL DEFAULT 1 CHECK (quantity > 0),
    job_id INTEGER REFERENCES job (id),
    step TEXT NOT NULL DEFAULT '',
    due_on TEXT NOT NULL CHECK (due_on GLOB '[0-9][0-9][0-9][0-9]-[0-9][0-9]-[0-9][0-9]'),
    ordered_at TEXT NOT NULL,
    arrived_at TEXT
) STRICT;
CREATE INDEX order_awaited ON stock_order (due_on, id) WHERE arrived_at IS NULL;

-- The pieces that were a wire's own table are the ledger's first lines.
INSERT INTO stock_item (name, kind, unit, wire_id) SELECT 'Fret wire, ' || name, 'wire', 'pieces', id FROM wire;
INSERT INTO stock_move (item_id, at, change, length_um, why)
SELECT s.id, strftime('%Y-%m-%dT%H:%M:%fZ', 'now'), sum(p.count), p.length_um, 'counted'
FROM wire_piece p JOIN stock_item s ON s.wire_id = p.wire_id GROUP BY s.id, p.length_um;
DROP TABLE wire_piece;

-- Tools whose state matters: how long one lasts, in minutes of work, and what was done to it.
CREATE TABLE tool (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL UNIQUE COLLATE NOCASE CHECK (length(name) BETWEEN 1 AND 80),
    care TEXT NOT NULL CHECK (care IN ('sharpened', 'paper changed', 'blade changed', 'trued')),
    lasts_min INTEGER CHECK (lasts_min > 0),
    note TEXT NOT NULL DEFAULT '',
    retired_at TEXT
) STRICT;
-- When a tool was seen to: sharpened, its paper or blade changed, or trued.
CREATE TABLE tool_event (
    id INTEGER PRIMARY KEY,
    tool_id INTEGER NOT NULL REFERENCES tool (id),
    at TEXT NOT NULL,
    note TEXT NOT NULL DEFAULT ''
) STRICT;
CREATE INDEX event_of_tool ON tool_event (tool_id, id);
CREATE INDEX event_in_time ON sheet_event (at, step, job_id) WHERE kind = 'finished';

-- A fret ticked off within a step of a run sheet.
CREATE TABLE sheet_tick (
    job_id INTEGER NOT NULL REFERENCES job (id),
    step TEXT NOT NULL,
    fret INTEGER NOT NULL CHECK (fret BETWEEN 1 AND 60),
    at TEXT NOT NULL,
    PRIMARY KEY (job_id, step, fret)
) STRICT;
