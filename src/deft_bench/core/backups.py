"""When a backup is due, when the last one is old, and which of those that were made may go."""

from collections.abc import Sequence
from datetime import datetime, timedelta

MOST_DAYS, MOST_KEPT = 90, 500
GRACE = timedelta(days=1)
"""One that is so much later than it was due is old: a bench is not on every day."""


def is_due(last: datetime | None, now: datetime, every_days: int) -> bool:
    """Whether a backup is to be made; one from later than now, as after a clock was set back, counts for none."""
    return every_days > 0 and (last is None or not timedelta(0) <= now - last < timedelta(days=every_days))


def is_old(last: datetime | None, since: datetime, now: datetime, every_days: int) -> bool:
    """Whether somebody should be told: none for longer than is wanted, of records that began at a time."""
    known = since if last is None or last > now else last
    return every_days > 0 and now - known >= timedelta(days=every_days) + GRACE


def to_drop(made: Sequence[datetime], just_made: datetime, kept: int) -> list[datetime]:
    """Of backups, those that are more than are to be kept: the oldest, never the one that was just made."""
    others = sorted((at for at in made if at != just_made), reverse=True)
    return others[max(0, kept - 1) :]
