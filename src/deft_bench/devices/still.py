"""When a figure stands still: steady within the resolution for a while, after the gauge was lifted."""

from collections import deque
from dataclasses import dataclass, field

LIFT_MM, AIR_MM = 0.25, 0.05
"""A gauge that moved so far was taken to another place; so near what it reads in the air it touches nothing."""


@dataclass(slots=True)
class Still:
    """Fed with figures as they come; says once for each place when they stand still there, and never at `air_mm`, which
    the gauge reads where it touches nothing.
    """

    resolution_mm: float
    seconds: float = 0.6
    air_mm: float | None = None
    _recent: deque[tuple[float, float]] = field(default_factory=deque)
    _told: float | None = None

    def feed(self, mm: float, at: float) -> bool:
        """Whether the figure has just come to stand still: `at` in seconds, of any clock that only goes on."""
        if self.air_mm is not None and abs(mm - self.air_mm) <= max(AIR_MM, 3 * self.resolution_mm):
            self._told = None
            self._recent.clear()
            return False
        if self._told is not None:
            if abs(mm - self._told) > LIFT_MM:
                self._told = None
                self._recent.clear()
            return False
        self._recent.append((at, mm))
        while len(self._recent) > 1 and at - self._recent[1][0] >= self.seconds:
            self._recent.popleft()
        values = [value for _, value in self._recent]
        if at - self._recent[0][0] < self.seconds or max(values) - min(values) > self.resolution_mm * 1.01:
            return False
        self._told = mm
        return True
