-- Devices that give readings by themselves: how each is reached, how it writes, what it is used for, how finely it reads.
CREATE TABLE device (
    id INTEGER PRIMARY KEY,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    used_for TEXT NOT NULL CHECK (used_for IN ('readings', 'nothing')),
    way TEXT NOT NULL CHECK (way IN ('tcp', 'serial')),
    address TEXT NOT NULL CHECK (length(address) BETWEEN 1 AND 200),
    pattern TEXT NOT NULL CHECK (length(pattern) BETWEEN 1 AND 400),
    unit TEXT NOT NULL CHECK (length(unit) BETWEEN 1 AND 10),
    ask TEXT NOT NULL DEFAULT '' CHECK (length(ask) <= 40),
    resolution_um INTEGER NOT NULL CHECK (resolution_um BETWEEN 1 AND 1000),
    spread_um REAL CHECK (spread_um >= 0),
    still_ms INTEGER NOT NULL DEFAULT 600 CHECK (still_ms BETWEEN 100 AND 5000),
    when_still INTEGER NOT NULL DEFAULT 1 CHECK (when_still IN (0, 1)),
    entered_at TEXT NOT NULL,
    removed_at TEXT
) STRICT;
