"""How far a device's readings of one gap lie apart."""

from collections.abc import Sequence
from statistics import stdev

REPEATS = 10
"""So many readings of one gap measure a device's spread."""
FURTHEST_MM = 50.0


def spread_mm(read_mm: Sequence[float]) -> float:
    """One standard deviation of readings of one gap, mm; raises ValueError in words where they cannot tell it."""
    if len(read_mm) < REPEATS or any(not -FURTHEST_MM <= mm <= FURTHEST_MM for mm in read_mm):
        raise ValueError(f"it takes {REPEATS} readings of one gap")
    return stdev(read_mm)
