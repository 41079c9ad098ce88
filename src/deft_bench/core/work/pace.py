"""The live pace of work that goes fret by fret: how long one takes now, and when the last will be done."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from itertools import pairwise
from statistics import median

LEAST_TICKS = 3
LATEST = 8
BREAK_MIN = 12.0
"""A longer gap between two ticks was a break, not work."""


@dataclass(frozen=True, slots=True)
class Pace:
    """Minutes a fret by the latest ticks, how many are left, and when they are done at that pace."""

    per_fret_min: float
    left: int
    finish: datetime


def pace(ticks: Sequence[datetime], total: int, now: datetime) -> Pace | None:
    """The pace from the moments at which frets were ticked off; None before there are three without a break between."""
    ordered = sorted(ticks)[-LATEST - 1 :]
    gaps = [(b - a).total_seconds() / 60 for a, b in pairwise(ordered)]
    gaps = [gap for gap in gaps if gap <= BREAK_MIN]
    if len(ticks) < LEAST_TICKS or len(gaps) < LEAST_TICKS - 1:
        return None
    each = median(gaps)
    left = max(0, total - len(ticks))
    # what was spent on the one in hand counts, as long as it is no break
    since = max(0.0, (now - ordered[-1]).total_seconds() / 60)
    spent = min(each, since) if left and since <= BREAK_MIN else 0.0
    return Pace(each, left, now + timedelta(minutes=each * left - spent))
