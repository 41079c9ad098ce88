"""Backups that make themselves: as often as the shop wants, so many, where it wants them; told when the last is old."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from deft_bench.core.backups import is_due, is_old, to_drop
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import moment
from deft_bench.store import backups, instruments
from deft_bench.store.backups import Backup
from deft_bench.store.database import Connection, StoreError


@dataclass(frozen=True, slots=True)
class Backups:
    """A bench's backups: where they are, the newest first; whether one is due, and whether the last is `old`."""

    folder: Path
    made: Sequence[Backup]
    due: bool
    old: bool

    @property
    def last(self) -> Backup | None:
        """The newest one."""
        return self.made[0] if self.made else None


def backups_of(db: Connection, settings: ShopSettings, database: Path, now: datetime) -> Backups:
    """How a bench's backups stand; a demo, which can be made again, wants none."""
    folder = backups.folder_of(database, settings.backup_folder)
    made = backups.made(folder, database)
    last = made[0].at if made else None
    every = 0 if settings.demo else settings.backup_days
    since = instruments.first_entered(db)
    return Backups(
        folder,
        made,
        due=since is not None and is_due(last, now, every),
        old=since is not None and is_old(last, moment(since), now, every),
    )


def back_up(db: Connection, settings: ShopSettings, database: Path, now: datetime) -> Backup:
    """Make a backup now, and let those go that are more than the shop keeps; raises StoreError and OSError."""
    folder = backups.folder_of(database, settings.backup_folder)
    if settings.backup_folder and not folder.is_dir():
        # made here, it would lie under the place where a disk belongs, and be out of sight once that is there
        raise StoreError(f"{folder} is not there: is its disk connected?")
    made = backups.make(db, folder, database, now)
    found = backups.made(folder, database)
    backups.drop(found, to_drop([one.at for one in found], made.at, settings.backups_kept))
    return made
