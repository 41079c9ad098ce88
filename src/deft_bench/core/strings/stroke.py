"""How a string is plucked, and how far down the plucked string then reaches: the edge of what it sweeps.

A force F at p from the saddle draws a string of length ℓ and tension T into a triangle, A = F·p(ℓ − p)/(T·ℓ) high. Let
go it moves as two kinks that run apart, and sweeps the triangle on its own side and the triangle turned about the
string's middle on the other (N. H. Fletcher, T. D. Rossing, The Physics of Musical Instruments, 2nd ed., §2.5, the
plucked string). Derived, with what damping and stiffness change, in docs/methods/clearance.md.
"""

from dataclasses import dataclass

import numpy as np

from deft_bench.core.strings.frame import Array

PLUCK_FROM_SADDLE_MM = 130.0
AWAY_SHARE = 0.5


@dataclass(frozen=True, slots=True)
class Stroke:
    """Where a hand plucks, mm from the saddle (half the string at most), and `away_share`: how much of a stroke away
    from the board comes back toward it (a hand's habit, and what damping leaves of the first return), 0 to 1.
    """

    from_saddle_mm: float = PLUCK_FROM_SADDLE_MM
    away_share: float = AWAY_SHARE

    def downswing(self, along_mm: Array, length_mm: Array) -> Array:
        """How far below rest the sweep reaches at `along_mm` from where the string is held, mm per newton of pluck and
        of 1/tension; both arrays broadcast.
        """
        height, drawn, turned = self._triangles(along_mm, length_mm)
        return np.asarray(height * np.maximum(drawn, self.away_share * turned), dtype=float)

    def upswing(self, along_mm: Array, length_mm: Array) -> Array:
        """How far above rest the same strokes sweep, as `downswing`."""
        height, drawn, turned = self._triangles(along_mm, length_mm)
        return np.asarray(height * np.maximum(self.away_share * drawn, turned), dtype=float)

    def _triangles(self, along_mm: Array, length_mm: Array) -> tuple[Array, Array, Array]:
        """Height of the drawn triangle, mm per N and 1/N, and the shares of it that it and its turned image reach."""
        p = np.minimum(self.from_saddle_mm, length_mm / 2)
        behind = length_mm - p
        drawn = np.minimum(along_mm / behind, (length_mm - along_mm) / p)
        turned = np.minimum(along_mm / p, (length_mm - along_mm) / behind)
        return p * behind / length_mm, drawn, turned


MEDIUM_STROKE = Stroke()
