"""The whole bench, table by table: what an archive holds, and how it goes into a bench where nothing is yet."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from pathlib import Path
from typing import Any

from deft_bench.store import instruments
from deft_bench.store.database import Connection, StoreError, made_at, transaction
from deft_bench.store.practice_necks import NOT_PRACTICE

DOORS = ("passphrase", "entry", "pairing_code")
"""Who may come in belongs to a machine, not to its records."""
AT_THE_START = ("setting",)
"""What a bench may hold that is still taken for empty: what comes in takes its place."""
WORDS, COUNTS = "instrument_words", "changed"
"""The index that Find looks in, made of the instruments, and how often each was changed: not carried."""


def schema_version(db: Connection) -> int:
    """The number of the last migration that made it."""
    return int(db.execute("PRAGMA user_version").fetchone()[0])


def tables(db: Connection) -> list[str]:
    """Every table that is carried, in order of its name."""
    rows = db.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' ORDER BY name")
    return [name for (name,) in rows if name not in (*DOORS, COUNTS) and not name.startswith(WORDS)]


def instruments_of_the_bench(db: Connection) -> list[int]:
    """Ids of all instruments and projects, retired ones too, practice necks not."""
    return [row[0] for row in db.execute(f"SELECT i.id FROM instrument i WHERE {NOT_PRACTICE} ORDER BY i.id")]


def photograph(db: Connection, sha256: str) -> bytes:
    """A photograph's bytes by their checksum; raises KeyError where there is none."""
    row = db.execute("SELECT jpeg FROM photo WHERE sha256 = ?", (sha256,)).fetchone()
    if row is None:
        raise KeyError(sha256)
    return bytes(row[0])


def blobs(db: Connection, table: str) -> set[str]:
    """A table's columns that hold bytes."""
    return {row[1] for row in db.execute(f'PRAGMA table_info("{table}")') if row[2] == "BLOB"}


def columns(db: Connection, table: str) -> list[str]:
    """A table's columns, in order."""
    return [row[1] for row in db.execute(f'PRAGMA table_info("{table}")')]


def rows(db: Connection, table: str) -> Iterator[tuple[Any, ...]]:
    """A table's rows, in an order that holds."""
    names = columns(db, table)
    for row in db.execute(f'SELECT * FROM "{table}" ORDER BY {", ".join(str(n + 1) for n in range(len(names)))}'):
        yield tuple(row)


def put(db: Connection, table: str, names: Sequence[str], found: Iterator[Sequence[Any]]) -> None:
    """Put rows into a table; raises DriverError for what it cannot hold, KeyError for a column that is not there."""
    unknown = set(names) - set(columns(db, table))
    if unknown:
        raise KeyError(*sorted(unknown))
    # a migration may have begun it with something
    db.execute(f'DELETE FROM "{table}"')
    listed = ", ".join(f'"{name}"' for name in names)
    db.executemany(f'INSERT INTO "{table}" ({listed}) VALUES ({", ".join("?" * len(names))})', found)


def is_empty(db: Connection) -> bool:
    """Whether nothing was entered but how the shop likes it."""
    named = [table for table in tables(db) if table not in AT_THE_START]
    return not any(db.execute(f'SELECT EXISTS (SELECT 1 FROM "{table}")').fetchone()[0] for table in named)


def build(path: Path, version: int, fill: Callable[[Connection], None]) -> None:
    """Make a bench file as an earlier version of the program had it, fill its tables, and bring it up to date.

    Raises StoreError where the rows do not belong together; what `fill` raises is raised on.
    """
    with closing(made_at(path, version, fill)) as db:
        if db.execute("PRAGMA foreign_key_check").fetchone() is not None:
            raise StoreError("a row names another that is not there")
        _index_words(db)


def _index_words(db: Connection) -> None:
    with transaction(db):
        for (found,) in db.execute("SELECT id FROM instrument").fetchall():
            words = instruments.words_of(instruments.get(db, found).spec)
            db.execute(f"INSERT INTO {WORDS} (rowid, words) VALUES (?, ?)", (found, words))


def take_over(db: Connection, source: Path) -> None:
    """Everything of a bench file of this version into a bench that `is_empty`, in one act."""
    db.execute("ATTACH ? AS theirs", (str(source),))
    try:
        with transaction(db):
            if not is_empty(db):
                raise StoreError("This bench is no longer empty. Nothing was brought in; try again.")
            # whatever names another row comes in its table's turn
            db.execute("PRAGMA defer_foreign_keys = ON")
            for table in tables(db):
                listed = ", ".join(f'"{name}"' for name in columns(db, table))
                db.execute(f'DELETE FROM main."{table}"')
                db.execute(f'INSERT INTO main."{table}" ({listed}) SELECT {listed} FROM theirs."{table}"')
            db.execute(f"INSERT INTO main.{WORDS} (rowid, words) SELECT rowid, words FROM theirs.{WORDS}")
    finally:
        db.execute("DETACH theirs")
