"""The neck as the strings see it: heights of fret tops over the straight line through the two frets that relief is read
between.

Parabola of relief: z(x) = −4r(x − x_a)(x_e − x)/(x_e − x_a)² between them, 0 beyond; then each fret's own error, less a
planned drop.

Derived in docs/methods/clearance.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.board.positions import fret_positions

Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class StringFrame:
    """Scale, frets, relief (forward positive) and where it is read. `errors` by lane or one list for all (proud
    positive); mm.

    `at` 12 is the fret over which action is read.
    """

    scale_mm: float
    frets: int
    relief_mm: float
    relief_from: int = 1
    relief_to: int | None = None
    errors: Mapping[str, Sequence[float]] | Sequence[float] | None = None
    drops: Sequence[float] | None = None

    def positions(self) -> Array:
        """Fret positions from the nut, mm."""
        return np.array(fret_positions(self.scale_mm, self.frets))

    def unit_bow(self) -> Array:
        """Fret tops for one millimetre of relief, [N]: never positive."""
        x = self.positions()
        a, e = x[self.relief_from - 1], x[(self.relief_to or self.frets) - 1]
        bow = -4 * (x - a) * (e - x) / (e - a) ** 2
        return np.where((x >= a) & (x <= e), bow, 0.0)

    def own(self, string: int, strings: int) -> Array:
        """Each fret's error less its drop under one string, [N]: lanes are interpolated across the strings by
        number.
        """
        drop = np.zeros(self.frets) if self.drops is None else np.array(self.drops, dtype=float)
        return across_lanes(self.errors, string, strings, self.frets) - drop

    def tops(self, string: int, strings: int) -> Array:
        """Heights of the fret tops under one string, [N]."""
        return self.relief_mm * self.unit_bow() + self.own(string, strings)


def across_lanes(
    errors: Mapping[str, Sequence[float]] | Sequence[float] | None, string: int, strings: int, frets: int
) -> Array:
    """Errors under a string: string 1 lies in the treble lane, the last in the bass lane, those between on straight
    lines.
    """
    if errors is None:
        return np.zeros(frets)
    if not isinstance(errors, Mapping):
        return np.array(errors, dtype=float)
    lanes = [
        (place, np.array(errors[lane], dtype=float))
        for place, lane in ((0.0, "treble"), (0.5, "middle"), (1.0, "bass"))
        if lane in errors
    ]
    if not lanes:
        return np.zeros(frets)
    share = (string - 1) / (strings - 1) if strings > 1 else 0.5
    below = [lane for lane in lanes if lane[0] <= share] or lanes[:1]
    above = [lane for lane in lanes if lane[0] >= share] or lanes[-1:]
    (one, first), (other, second) = below[-1], above[0]
    if other == one:
        return first
    part = (share - one) / (other - one)
    return np.asarray((1 - part) * first + part * second, dtype=float)
