"""Opening, migrating, backing up and restoring the one database file."""

import os
import sqlite3
import tempfile
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path
from uuid import uuid4

APPLICATION_ID = 0x44454654
"""Marks the file as ours (ASCII DEFT), so that another program's database is never migrated by mistake."""

HEADER_BYTES = 100
"""An SQLite file begins with this many bytes of heading; the application's mark stands at 68 (SQLite, Database File
Format, 1.3).
"""

Connection = sqlite3.Connection
DriverError = sqlite3.Error


class StoreError(Exception):
    """The database cannot be used; the message says why and what to do. Nothing was changed."""


class StoreFullError(StoreError):
    """There is no room left to write."""


def migrations() -> list[tuple[int, str]]:
    """(version, SQL) of every migration, in order."""
    folder = files("deft_bench.store").joinpath("migrations")
    names = sorted(item.name for item in folder.iterdir() if item.name.endswith(".sql"))
    return [(int(name[:4]), folder.joinpath(name).read_text("utf-8")) for name in names]


def connect(path: Path) -> Connection:
    """A connection with foreign keys, WAL and synchronous FULL; raises StoreError when the file cannot be used."""
    try:
        db = sqlite3.connect(path, isolation_level=None, timeout=5)
        db.row_factory = sqlite3.Row
        db.execute("PRAGMA foreign_keys = ON")
        db.execute("PRAGMA synchronous = FULL")
        return db
    except sqlite3.Error as error:
        raise in_words(error, path) from error


def in_words(error: sqlite3.Error, path: Path | str = "the database") -> StoreError:
    """An SQLite failure as a sentence for the person at the bench."""
    code = getattr(error, "sqlite_errorcode", None) or 0
    if code & 0xFF == sqlite3.SQLITE_FULL:
        return StoreFullError("The disk is full: nothing of this was saved. Free some space and try again.")
    if code & 0xFF in (sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_PERM):
        return StoreError(f"{path} cannot be written: check the folder, and that this user may write in it.")
    if code & 0xFF in (sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_CORRUPT):
        return StoreError(
            f"{path} is damaged or is not a Deft Bench database. It was left as it is; "
            "restore a backup with “deft-bench restore”."
        )
    if code & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
        return StoreError("Another program holds the database. Nothing of this was saved; try again.")
    if code & 0xFF == sqlite3.SQLITE_IOERR:
        return StoreError(f"{path}: the disk failed while reading or writing. Nothing of this was saved.")
    return StoreError(f"{path} cannot be used: {error}.")


@contextmanager
def transaction(db: Connection) -> Iterator[Connection]:
    """One act, whole or not at all; raises StoreError for a full or failing disk.

    Inside an open transaction it is part of that one, and stays or goes with it.
    """
    if db.in_transaction:
        yield db
        return
    try:
        db.execute("BEGIN IMMEDIATE")
        try:
            yield db
            db.execute("COMMIT")
        except BaseException:
            if db.in_transaction:
                db.execute("ROLLBACK")
            raise
    except sqlite3.IntegrityError:
        raise
    except sqlite3.Error as error:
        raise in_words(error) from error


def open_database(path: Path) -> Connection:
    """Open the database, made new when missing and migrated, after a backup, when older.

    Raises StoreError when the file is damaged, foreign, of a newer version, or cannot be written. A database that is
    refused is not changed.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreError(f"{path.parent} cannot be made: {error.strerror}.") from error
    new = not path.exists() or path.stat().st_size == 0
    if not os.access(path.parent if new else path, os.W_OK) or not os.access(path.parent, os.W_OK):
        raise StoreError(f"{path} cannot be written: check the folder, and that this user may write in it.")
    db = connect(path)
    try:
        new = new or _bare(db)
        if not new:
            _refuse_foreign(db, path)
        _migrate(db, path, new)
        db.execute("PRAGMA journal_mode = WAL")
        return db
    except sqlite3.Error as error:
        db.close()
        raise in_words(error, path) from error
    except BaseException:
        db.close()
        raise


def scratch() -> Connection:
    """An empty bench in memory, gone when it is closed."""
    db = connect(Path(":memory:"))
    _migrate(db, Path(":memory:"), new=True)
    return db


def _bare(db: Connection) -> bool:
    """Whether nothing was ever written into a database but its first page: a start that was cut off leaves that."""
    marks = [db.execute(f"PRAGMA {name}").fetchone()[0] for name in ("application_id", "user_version")]
    return not any(marks) and db.execute("SELECT 1 FROM sqlite_master").fetchone() is None


def _refuse_foreign(db: Connection, path: Path) -> None:
    if db.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
        raise StoreError(f"{path} is another program's database. It was left as it is; choose another file.")
    problem = db.execute("PRAGMA quick_check(1)").fetchone()[0]
    if problem != "ok":
        raise StoreError(f"{path} is damaged. It was left as it is; restore a backup with “deft-bench restore”.")


def _migrate(db: Connection, path: Path, new: bool) -> None:
    version = db.execute("PRAGMA user_version").fetchone()[0]
    known = migrations()
    newest = known[-1][0]
    if version > newest:
        raise StoreError(
            f"{path} was written by a newer Deft Bench (schema {version}; this one knows {newest}). "
            "It was left as it is: update the program."
        )
    if version == newest:
        return
    if not new:
        stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%S")
        backup(db, path.with_name(f"{path.name}.before-{newest:04d}-{stamp}"))
    # a migration may rebuild a table under its old name: references are checked once at the end instead
    db.execute("PRAGMA foreign_keys = OFF")
    for number, sql in known:
        if number > version:
            try:
                # executescript would commit an open transaction: it is opened inside the script instead
                db.executescript(
                    f"BEGIN IMMEDIATE;\n{sql}\nPRAGMA user_version = {number};\n"
                    f"PRAGMA application_id = {APPLICATION_ID};\nCOMMIT;"
                )
            except sqlite3.Error:
                if db.in_transaction:
                    db.execute("ROLLBACK")
                raise
    if db.execute("PRAGMA foreign_key_check").fetchone() is not None:
        raise StoreError(f"{path} is damaged: a row names another that is not there. Restore a backup.")
    db.execute("PRAGMA foreign_keys = ON")


def backup(db: Connection, target: Path) -> None:
    """Copy the whole database to a new file by SQLite's backup interface and verify the copy.

    Raises StoreError when the target exists or the copy does not verify; a bad copy is not left behind.
    """
    if target.exists():
        raise StoreError(f"{target} exists already: choose a new name.")
    part = target.with_name(f".{target.name}.{uuid4().hex[:8]}.part")
    try:
        with closing(sqlite3.connect(part)) as copy:
            db.backup(copy)
            # one plain file that can be carried away: no write-ahead log beside it
            copy.execute("PRAGMA journal_mode = DELETE")
        verify(part)
        os.replace(part, target)
    except sqlite3.Error as error:
        raise in_words(error, target) from error
    finally:
        with suppress(OSError):
            part.unlink(missing_ok=True)


def verify(path: Path) -> dict[str, int]:
    """Check that a file is a sound Deft Bench database of a version we know; returns its row counts.

    Raises StoreError with what is wrong.
    """
    if not path.is_file():
        raise StoreError(f"{path} is not there.")
    try:
        with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True)) as db:
            if db.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
                raise StoreError(f"{path} is not a Deft Bench database.")
            version = db.execute("PRAGMA user_version").fetchone()[0]
            if version > migrations()[-1][0]:
                raise StoreError(f"{path} was written by a newer Deft Bench (schema {version}).")
            if db.execute("PRAGMA integrity_check(1)").fetchone()[0] != "ok":
                raise StoreError(f"{path} is damaged.")
            if db.execute("PRAGMA foreign_key_check").fetchone() is not None:
                raise StoreError(f"{path} is damaged: a row names another that is not there.")
            return {
                "instruments": db.execute("SELECT count(*) FROM instrument").fetchone()[0],
                "surveys": db.execute("SELECT count(*) FROM survey").fetchone()[0],
                "readings": db.execute("SELECT count(*) FROM reading").fetchone()[0],
            }
    except sqlite3.Error as error:
        raise in_words(error, path) from error


def restore(source: Path, target: Path) -> Path | None:
    """Put a verified backup in the database's place; the present one is kept beside it and its path returned.

    Raises StoreError, with nothing changed, when the backup does not verify, the database is in use, or what stands
    there is no bench file.
    """
    verify(source)
    refuse_other_files(target)
    target.parent.mkdir(parents=True, exist_ok=True)
    fresh = Path(tempfile.mkstemp(prefix=".restore-", dir=target.parent)[1])
    kept = None
    try:
        with closing(sqlite3.connect(source)) as db, closing(sqlite3.connect(fresh)) as copy:
            db.backup(copy)
        verify(fresh)
        if target.exists():
            kept = put_aside(target)
        os.replace(fresh, target)
        return kept
    except sqlite3.Error as error:
        raise in_words(error, target) from error
    finally:
        fresh.unlink(missing_ok=True)


def put_aside(path: Path) -> Path:
    """Move a bench file that nobody has open out of the way, beside where it was; returns its new name.

    Raises StoreError when it is in use or is no bench file.
    """
    refuse_other_files(path)
    _refuse_in_use(path)
    kept = path.with_name(f"{path.name}.replaced-{datetime.now(UTC):%Y%m%dT%H%M%S%f}")
    os.replace(path, kept)
    for tail in ("-wal", "-shm"):
        side = path.with_name(path.name + tail)
        if side.exists():
            os.replace(side, kept.with_name(kept.name + tail))
    return kept


def refuse_other_files(path: Path) -> None:
    """Raise StoreError where something stands that is not a bench file, sound or damaged; an empty file is nobody's."""
    if not path.exists() and not path.is_symlink():
        return
    if not path.is_file():
        raise StoreError(f"{path} is not a file. It was left as it is; name a bench file, or a new one.")
    try:
        with path.open("rb") as file:
            head = file.read(HEADER_BYTES)
    except OSError as error:
        raise StoreError(f"{path} cannot be read: {error.strerror}.") from error
    if head and (not head.startswith(b"SQLite format 3\0") or head[68:72] != APPLICATION_ID.to_bytes(4, "big")):
        raise StoreError(f"{path} is no bench file. It was left as it is; name a bench file, or a new one.")


def _refuse_in_use(path: Path) -> None:
    """Leaving WAL needs the file alone: when another connection holds it, the database is in use."""
    try:
        with closing(sqlite3.connect(path, timeout=0.2)) as db:
            db.execute("PRAGMA journal_mode = DELETE")
    except sqlite3.OperationalError as error:
        if getattr(error, "sqlite_errorcode", 0) & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
            raise StoreError("The database is in use: stop the server first.") from error
    except sqlite3.DatabaseError:
        return  # a damaged database is just what a restore replaces


def new_uid() -> str:
    """A fresh identity that holds across exports and imports."""
    return uuid4().hex
