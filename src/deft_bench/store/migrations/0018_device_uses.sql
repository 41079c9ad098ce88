-- Devices that post and that type, a pedal, a hygrometer; when a figure is taken; what a gauge reads against, and in the air.
CREATE TABLE device_new (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    used_for TEXT NOT NULL CHECK (used_for IN ('readings', 'climate', 'pedal', 'nothing')),
    way TEXT NOT NULL CHECK (way IN ('tcp', 'serial', 'post', 'typed')),
    address TEXT NOT NULL CHECK (length(address) <= 200),
    pattern TEXT NOT NULL CHECK (length(pattern) BETWEEN 1 AND 400),
    unit TEXT NOT NULL CHECK (length(unit) BETWEEN 1 AND 10),
    ask TEXT NOT NULL DEFAULT '' CHECK (length(ask) <= 40),
    resolution_um INTEGER NOT NULL CHECK (resolution_um BETWEEN 1 AND 1000),
    spread_um REAL CHECK (spread_um >= 0),
    still_ms INTEGER NOT NULL DEFAULT 600 CHECK (still_ms BETWEEN 100 AND 5000),
    taken TEXT NOT NULL DEFAULT 'still' CHECK (taken IN ('still', 'line', 'enter')),
    reference TEXT NOT NULL DEFAULT 'none' CHECK (reference IN ('none', 'lane')),
    air_um INTEGER,
    key_hash TEXT UNIQUE,
    entered_at TEXT NOT NULL,
    removed_at TEXT
) STRICT;

INSERT INTO device_new (id, name, used_for, way, address, pattern, unit, ask, resolution_um, spread_um, still_ms, taken, entered_at, removed_at)
    SELECT id, name, used_for, way, address, pattern, unit, ask, resolution_um, spread_um, still_ms,
        CASE when_still WHEN 1 THEN 'still' ELSE 'enter' END, entered_at, removed_at FROM device;
DROP TABLE device;
ALTER TABLE device_new RENAME TO device;
