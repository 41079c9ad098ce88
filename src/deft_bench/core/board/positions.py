"""Fret positions from the nut, and what a rule with coarse graduations makes of them.

Twelve-tone equal temperament: derived in docs/methods/fret-positions.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class RuleStep:
    """Graduations `step_mm` apart, from where the step before ended up to `to_mm`."""

    to_mm: float
    step_mm: float


@dataclass(frozen=True, slots=True)
class Mark:
    """The graduation nearest to a fret position, and what using it would cost."""

    mark_mm: float
    error_cents: float
    readable_mm: float


def fret_position(scale_mm: float, fret: float, divisions: int = 12) -> float:
    """Distance of a fret from the nut in mm, x_n = L(1 − 2^(−n/divisions)): equal temperament on an ideal string."""
    return scale_mm * (1 - 2 ** (-fret / divisions))


def fret_positions(scale_mm: float, frets: int, divisions: int = 12) -> list[float]:
    """Distances of frets 1..N from the nut in mm; the list has `frets` entries."""
    return [fret_position(scale_mm, fret, divisions) for fret in range(1, frets + 1)]


def nearest_mark(position_mm: float, steps: Sequence[RuleStep], read_fraction: float = 1.0) -> tuple[float, float]:
    """The nearest readable mark (ties up) and the readable step there, both in mm.

    Each step's graduations count from where the step before it ended; the last entry runs on.
    """
    start = 0.0
    for step in steps[:-1]:
        if position_mm <= step.to_mm:
            break
        start = step.to_mm
    else:
        step = steps[-1]
    readable = step.step_mm * read_fraction
    count = math.floor((position_mm - start) / readable + 0.5 + 1e-12)
    mark = start + count * readable
    if step is not steps[-1]:
        mark = min(mark, step.to_mm)
    return mark, readable


def marks(
    scale_mm: float, positions_mm: Sequence[float], steps: Sequence[RuleStep], read_fraction: float
) -> list[Mark]:
    """The nearest mark of each position, its error in cents (sharp positive) and the readable step in mm.

    Raises ValueError naming the fret when its nearest mark would lie at or past the bridge.
    """
    found = []
    for fret, position in enumerate(positions_mm, start=1):
        mark, readable = nearest_mark(position, steps, read_fraction)
        if mark >= scale_mm:
            raise ValueError(f"too coarse: the mark nearest to fret {fret} lies at or past the bridge")
        cents = 1200 * math.log2((scale_mm - position) / (scale_mm - mark))
        found.append(Mark(mark, cents, readable))
    return found
