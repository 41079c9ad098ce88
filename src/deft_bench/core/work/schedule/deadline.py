"""How long a search may go on: by the clock for somebody who waits, or by work done, which is the same on a busy
machine.
"""

import time
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Deadline:
    """A moment on the wall clock, or (`by_work`) in the computing time of this process, in seconds."""

    at: float
    by_work: bool

    @classmethod
    def after(cls, seconds: float, *, by_work: bool = False) -> "Deadline":
        """The deadline some seconds from now."""
        return cls(_now(by_work) + seconds, by_work)

    @property
    def left(self) -> float:
        """Seconds that are left; less than nothing when it has passed."""
        return self.at - _now(self.by_work)

    def share(self, part: float) -> "Deadline":
        """The deadline of a part of what is left."""
        return Deadline.after(self.left * part, by_work=self.by_work)


def _now(by_work: bool) -> float:
    return time.process_time() if by_work else time.monotonic()
