"""Backups in a folder: which there are of a bench, by the moment in their names, and one more."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from deft_bench.store.database import Connection, backup

NAMED = re.compile(r"-(\d{8}T\d{6})\.sqlite3")
STAMP = "%Y%m%dT%H%M%S"


@dataclass(frozen=True, slots=True)
class Backup:
    """A backup that was made, and verified when it was."""

    at: datetime
    path: Path
    bytes: int


def folder_of(database: Path, named: str) -> Path:
    """Where a bench's backups go: the folder that is named, else one beside it."""
    return Path(named) if named else database.with_name(f"{database.name}.backups")


def made(folder: Path, database: Path) -> list[Backup]:
    """The backups of a bench in a folder, the newest first; none where the folder cannot be read."""
    found = []
    try:
        for path in folder.glob(f"{database.stem}-*.sqlite3"):
            stamp = NAMED.fullmatch(path.name.removeprefix(database.stem))
            if stamp and path.is_file():
                at = datetime.strptime(stamp[1], STAMP).replace(tzinfo=UTC)
                found.append(Backup(at, path, path.stat().st_size))
    except (OSError, ValueError):
        return []
    return sorted(found, key=lambda one: one.at, reverse=True)


def make(db: Connection, folder: Path, database: Path, now: datetime) -> Backup:
    """Copy the bench into a folder and verify the copy; raises StoreError and OSError."""
    folder.mkdir(parents=True, exist_ok=True)
    at = now.astimezone(UTC).replace(microsecond=0)
    path = folder / f"{database.stem}-{at:{STAMP}}.sqlite3"
    backup(db, path)
    return Backup(at, path, path.stat().st_size)


def drop(found: Iterable[Backup], moments: Iterable[datetime]) -> None:
    """Delete the backups of some moments; raises OSError."""
    gone = set(moments)
    for one in found:
        if one.at in gone:
            one.path.unlink(missing_ok=True)
