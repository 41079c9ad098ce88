"""What drills weigh alike: how far off something may be, what was spent against the program's, how long it took."""

from collections.abc import Iterable
from typing import Protocol


class Timed(Protocol):
    """One thing done."""

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        ...


def took(done: Iterable[Timed]) -> float:
    """What all that was done takes on a bench, seconds."""
    return sum(one.seconds for one in done)


def fading(off: float, full: float, none: float) -> float:
    """From 1 to 0, what something is worth that is so far off: all up to `full`, nothing from `none` on."""
    return min(1.0, max(0.0, (none - off) / (none - full)))


def against(theirs: float, spent: float, unspent: float = 0.0) -> float:
    """From 0 to 1, what was spent against the program's: all for no more; `unspent` where nothing was."""
    return min(1.0, theirs / spent) if spent else unspent
