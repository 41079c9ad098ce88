"""How long a search may go on: by the clock for somebody who waits, or by work done, which is the same on any
machine, however busy.
"""

import time
from dataclasses import dataclass, field

LISTS_A_SECOND = 60
"""The work of a second, in lists made out: about what one processor does."""


@dataclass(slots=True)
class _Work:
    """The lists that were made out since a search began."""

    lists: int = 0


@dataclass(frozen=True, slots=True)
class Deadline:
    """A moment on the wall clock or (`by_work`) in work done, in seconds."""

    at: float
    by_work: bool
    work: _Work = field(default_factory=_Work)

    @classmethod
    def after(cls, seconds: float, *, by_work: bool = False) -> "Deadline":
        """The deadline some seconds from now."""
        return cls(seconds if by_work else time.monotonic() + seconds, by_work)

    @property
    def left(self) -> float:
        """Seconds that are left; less than nothing when it has passed."""
        return self.at - self._now()

    def share(self, part: float) -> "Deadline":
        """The deadline of a part of what is left."""
        return Deadline(self._now() + self.left * part, self.by_work, self.work)

    def spend(self) -> None:
        """Count one list made out."""
        self.work.lists += 1

    def _now(self) -> float:
        return self.work.lists / LISTS_A_SECOND if self.by_work else time.monotonic()
