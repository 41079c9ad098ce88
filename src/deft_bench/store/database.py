"""Opening, migrating, backing up and restoring the one database file."""

import fcntl
import glob
import os
import shutil
import sqlite3
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager, suppress
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING
from uuid import uuid4

if TYPE_CHECKING:
    from deft_bench.store.kept import Keeper

APPLICATION_ID = 0x44454654
"""Marks the file as ours (ASCII DEFT), so that another program's database is never migrated by mistake."""

HEADER_BYTES = 100
"""An SQLite file begins with this many bytes of heading; the application's mark stands at 68 (SQLite, Database File
Format, 1.3).
"""

LEFT_S = 24 * 3600.0
"""From so old on the copy that a restore was making is one that was killed."""
REPLACED = "replaced"
"""Between the name of a bench file and the moment at which another took its place."""


CHECKED_AT_ONCE = 32 * 1024 * 1024
"""A file of up to so many bytes is looked through for damage within a second; a server looks through a larger one while
it answers.
"""


class Connection(sqlite3.Connection):
    """A connection to a bench; `person` is who is at it, empty where nobody said (`store/people.py`), and `keeper`
    gives what was worked out before (`store/kept.py`), where it was set.
    """

    person = ""
    keeper: "Keeper | None" = None


CUT_OFF = (sqlite3.SQLITE_READONLY_ROLLBACK, sqlite3.SQLITE_READONLY_RECOVERY)
"""What a reader is told of a file that somebody was cut off in the middle of writing."""
DriverError = sqlite3.Error
UNREADABLE = (sqlite3.Error, UnicodeDecodeError)
"""What opening a damaged file raises: its own damaged text may stand in the driver's words, which are then no text."""


class StoreError(Exception):
    """The database cannot be used; the message says why and what to do. Nothing was changed."""


class StoreFullError(StoreError):
    """There is no room left to write."""


def migrations() -> list[tuple[int, str]]:
    """(version, SQL) of every migration, in order."""
    folder = files("deft_bench.store").joinpath("migrations")
    names = sorted(item.name for item in folder.iterdir() if item.name.endswith(".sql"))
    return [(int(name[:4]), folder.joinpath(name).read_text("utf-8")) for name in names]


def newest_schema() -> int:
    """The number of the last migration that this program has."""
    return migrations()[-1][0]


def connect(path: Path) -> Connection:
    """A connection with foreign keys, WAL and synchronous FULL; raises StoreError when the file cannot be used."""
    try:
        db = sqlite3.connect(path, isolation_level=None, timeout=5, factory=Connection)
        db.row_factory = sqlite3.Row
        db.execute("PRAGMA foreign_keys = ON")
        db.execute("PRAGMA synchronous = FULL")
        return db
    except UNREADABLE as error:
        raise in_words(error, path) from error


def in_words(error: sqlite3.Error | UnicodeDecodeError, path: Path | str = "the database") -> StoreError:
    """An SQLite failure as a sentence for the person at the bench."""
    code = getattr(error, "sqlite_errorcode", None) or 0
    if code & 0xFF == sqlite3.SQLITE_FULL:
        return StoreFullError("The disk is full: nothing of this was saved. Free some space and try again.")
    if code & 0xFF in (sqlite3.SQLITE_READONLY, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_PERM):
        return StoreError(f"{path} cannot be written: check the folder, and that this user may write in it.")
    if isinstance(error, UnicodeDecodeError) or code & 0xFF in (sqlite3.SQLITE_NOTADB, sqlite3.SQLITE_CORRUPT):
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


@contextmanager
def reading(db: Connection) -> Iterator[Connection]:
    """What is read in the block is one moment of the bench, whatever others write meanwhile."""
    db.execute("BEGIN")
    try:
        yield db
    finally:
        db.execute("ROLLBACK")


def open_database(path: Path, *, check_later: bool = False) -> Connection:
    """Open the database, made new when missing and migrated, after a backup, when older.

    Raises StoreError when the file is damaged, foreign, of a newer version, or cannot be written. A database that is
    refused is not changed. With `check_later` a large one that needs no migration is not looked through for damage:
    `refuse_damaged` does that.
    """
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreError(f"{path.parent} cannot be made: {error.strerror}.") from error
    try:
        new = not path.exists() or path.stat().st_size == 0
    except OSError as error:
        raise StoreError(f"{path} cannot be looked at: {error.strerror}.") from error
    if not _writable(path):
        raise StoreError(f"{path} cannot be written: check the folder, and that this user may write in it.")
    if new and (kept := sorted(path.parent.glob(f"{glob.escape(path.name)}.{REPLACED}-*[0-9]"))):
        raise StoreError(
            f"{path} is not there, but {kept[-1].name} is kept beside it. Nothing was made: “deft-bench restore"
            f" {kept[-1]} --database {path}” puts it in place again; to begin a new bench, put the kept one into"
            " another folder."
        )
    db = connect(path)
    try:
        new = new or _bare(db)
        if not new:
            _refuse_foreign(db, path)
            if not (check_later and checked_later(path)) or _version(db) != newest_schema():
                refuse_damaged(db, path)
        with _one_migrates(db, path):
            _migrate(db, path, new)
        db.execute("PRAGMA journal_mode = WAL")
        return db
    except UNREADABLE as error:
        db.close()
        raise in_words(error, path) from error
    except BaseException:
        db.close()
        raise


def _writable(path: Path) -> bool:
    return os.access(path.parent, os.W_OK) and (not path.exists() or os.access(path, os.W_OK))


@contextmanager
def open_to_read(path: Path) -> Iterator[Connection]:
    """The database for a backup or an export: opened as ever where it can be written, else a copy of it with its
    write-ahead log, so that a disk that may only be read gives up what is on it.

    Raises StoreError as `open_database` does, and when there is no database or no room for the copy.
    """
    if not path.exists():
        raise StoreError(f"{path} is not there.")
    if _writable(path):
        with closing(open_database(path)) as db:
            yield db
        return
    with tempfile.TemporaryDirectory(prefix="deft-bench-") as folder:
        copy = Path(folder) / "bench.sqlite3"
        try:
            for tail in ("", "-wal"):
                side = path.with_name(path.name + tail)
                if side.exists():
                    shutil.copyfile(side, copy.with_name(copy.name + tail))
        except OSError as error:
            raise StoreError(f"{path} cannot be copied to be read: {error.strerror}.") from error
        with closing(open_database(copy)) as db:
            yield db


def scratch() -> Connection:
    """An empty bench in memory, gone when it is closed."""
    db = connect(Path(":memory:"))
    _migrate(db, Path(":memory:"), new=True)
    return db


def _version(db: Connection) -> int:
    return int(db.execute("PRAGMA user_version").fetchone()[0])


def _bare(db: Connection) -> bool:
    """Whether nothing was ever written into a database but its first page: a start that was cut off leaves that."""
    marks = [db.execute(f"PRAGMA {name}").fetchone()[0] for name in ("application_id", "user_version")]
    return not any(marks) and db.execute("SELECT 1 FROM sqlite_master").fetchone() is None


@contextmanager
def _one_migrates(db: Connection, path: Path) -> Iterator[None]:
    """Two that start at once migrate one after the other; one that has nothing to migrate waits for nobody."""
    if _version(db) == newest_schema():
        yield
        return
    beside = path.with_name(f".{path.name}.migrating")
    with beside.open("a") as file:
        fcntl.flock(file, fcntl.LOCK_EX)
        yield
        for part in path.parent.glob(f".{glob.escape(path.name)}.before-*.part"):
            part.unlink(missing_ok=True)  # of a migration that was cut off: nobody else writes one now
        beside.unlink(missing_ok=True)


def _refuse_foreign(db: Connection, path: Path) -> None:
    if db.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
        raise StoreError(f"{path} is another program's database. It was left as it is; choose another file.")


def checked_later(path: Path) -> bool:
    """Whether a file is too large to be looked through before the first answer."""
    return path.stat().st_size > CHECKED_AT_ONCE


def refuse_damaged(db: Connection, path: Path) -> None:
    """Look through the whole file, which takes a second for each 40 MB or so; raises StoreError where it is damaged."""
    try:
        problem = db.execute("PRAGMA quick_check(1)").fetchone()[0]
    except UNREADABLE as error:
        raise in_words(error, path) from error
    if problem != "ok":
        raise StoreError(f"{path} is damaged. It was left as it is; restore a backup with “deft-bench restore”.")


def _migrate(db: Connection, path: Path, new: bool) -> None:
    version, newest = _version(db), newest_schema()
    if version > newest:
        raise StoreError(
            f"{path} was written by a newer Deft Bench (schema {version}; this one knows {newest}). "
            "It was left as it is: update the program."
        )
    if version == newest:
        return
    if not new:
        stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%S%f")
        backup(db, path.with_name(f"{path.name}.before-{newest:04d}-{stamp}"))
    # a migration may rebuild a table under its old name: references are checked once at the end instead
    db.execute("PRAGMA foreign_keys = OFF")
    _apply(db, version, newest)
    if db.execute("PRAGMA foreign_key_check").fetchone() is not None:
        raise StoreError(f"{path} is damaged: a row names another that is not there. Restore a backup.")
    db.execute("PRAGMA foreign_keys = ON")


def made_at(path: Path, version: int, fill: Callable[[Connection], None]) -> Connection:
    """A new database as a version of the program made it, filled, and then brought up to date; its references are not
    checked. Raises StoreError for a version that is not known, DriverError for rows that it cannot hold.
    """
    newest = newest_schema()
    if not 1 <= version <= newest:
        raise StoreError(f"schema {version} is not known: this program knows 1 to {newest}")
    db = connect(path)
    try:
        db.execute("PRAGMA foreign_keys = OFF")
        _apply(db, 0, version)
        with transaction(db):
            fill(db)
        _apply(db, version, newest)
        return db
    except BaseException:
        db.close()
        raise


def _apply(db: Connection, after: int, last: int) -> None:
    """Migrations after one version up to another, each whole or not at all."""
    for number, sql in migrations():
        if after < number <= last:
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
    """Check that a file is a sound Deft Bench database of a version we know; returns its row counts. What somebody was
    cut off in the middle of writing is taken back first.

    Raises StoreError with what is wrong.
    """
    if not path.is_file():
        raise StoreError(f"{path} is not there.")
    try:
        try:
            return _verified(path, "ro")
        except sqlite3.OperationalError as error:
            if error.sqlite_errorcode not in CUT_OFF:
                raise
            # only who may write takes back what was never finished
            return _verified(path, "rw")
    except UNREADABLE as error:
        raise in_words(error, path) from error


def _verified(path: Path, mode: str) -> dict[str, int]:
    with closing(sqlite3.connect(f"{path.resolve().as_uri()}?mode={mode}", uri=True)) as db:
        if db.execute("PRAGMA application_id").fetchone()[0] != APPLICATION_ID:
            raise StoreError(f"{path} is not a Deft Bench database.")
        version = db.execute("PRAGMA user_version").fetchone()[0]
        if version > newest_schema():
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


def restore(source: Path, target: Path) -> tuple[dict[str, int], Path | None]:
    """Put a verified backup in the database's place; its row counts, and where the present one is kept beside it.

    The present file gets its second name before the other takes its first, in one step: at no moment is there none.
    Raises StoreError, with nothing changed, when the backup does not verify, the database is in use, or what stands
    there is no bench file.
    """
    verify(source)
    refuse_other_files(target)
    target = target.resolve()
    target.parent.mkdir(parents=True, exist_ok=True)
    prefix = f".{target.name}.restore-"
    for left in target.parent.glob(f"{glob.escape(prefix)}*"):  # of a restore that was killed: none takes so long
        if time.time() - left.stat().st_mtime > LEFT_S:
            left.unlink(missing_ok=True)
    fresh = Path(tempfile.mkstemp(prefix=prefix, dir=target.parent)[1])
    kept = None
    try:
        with closing(sqlite3.connect(source)) as db, closing(sqlite3.connect(fresh)) as copy:
            db.backup(copy)
        counts = verify(fresh)
        if target.exists():
            _refuse_in_use(target)
            kept = _beside(target)
            _link(target, kept)
            shutil.copymode(target, fresh)
            _move_sides(target, kept)
        os.replace(fresh, target)
        return counts, kept
    except sqlite3.Error as error:
        raise in_words(error, target) from error
    finally:
        fresh.unlink(missing_ok=True)


def _beside(path: Path) -> Path:
    return path.with_name(f"{path.name}.{REPLACED}-{datetime.now(UTC):%Y%m%dT%H%M%S%f}")


def _link(path: Path, kept: Path) -> None:
    """A second name for a file; a copy where the disk knows no second names."""
    try:
        os.link(path, kept)
    except OSError:
        shutil.copyfile(path, kept)


def _move_sides(path: Path, kept: Path) -> None:
    """What a damaged database left beside it goes with it: no log is ever read into another file."""
    for tail in ("-wal", "-shm"):
        side = path.with_name(path.name + tail)
        if side.exists():
            os.replace(side, kept.with_name(kept.name + tail))


def put_aside(path: Path) -> Path:
    """Move a bench file that nobody has open out of the way, beside where it was; returns its new name.

    Raises StoreError when it is in use or is no bench file.
    """
    refuse_other_files(path)
    _refuse_in_use(path)
    kept = _beside(path)
    os.replace(path, kept)
    _move_sides(path, kept)
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
