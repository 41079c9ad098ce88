-- Who may come in over the local network: the passphrase, the devices that were let in, and the code that lets one in.
CREATE TABLE passphrase (
    id INTEGER PRIMARY KEY CHECK (id = 1),
    hash TEXT NOT NULL,
    set_at TEXT NOT NULL
) STRICT;

CREATE TABLE entry (
    id INTEGER PRIMARY KEY,
    token_hash TEXT NOT NULL UNIQUE,
    name TEXT NOT NULL CHECK (length(name) BETWEEN 1 AND 60),
    address TEXT NOT NULL,
    entered_at TEXT NOT NULL,
    seen_at TEXT NOT NULL,
    until TEXT NOT NULL,
    ended_at TEXT
) STRICT;

CREATE TABLE pairing_code (
    id INTEGER PRIMARY KEY,
    code_hash TEXT NOT NULL UNIQUE,
    hours INTEGER NOT NULL CHECK (hours BETWEEN 1 AND 1000),
    until TEXT NOT NULL,
    used_at TEXT
) STRICT;
