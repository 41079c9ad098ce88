"""The crown of a fret as a circular arc: the land that levelling leaves on it.

Derived in docs/methods/land.md.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from deft_bench.core.limits import LAND_MM, LAND_OFF_CENTRE_MM

TALLEST_OVER_HALF_MM = 0.3


def tallest(crown_width_mm: float) -> float:
    """How tall a crown of this width can be, mm: half a circle, and a little that the wire stands on."""
    return round(crown_width_mm / 2 + TALLEST_OVER_HALF_MM, 6)


def land(crown_width_mm: float, fret_height_mm: float, removed_mm: float) -> float:
    """Width in mm of the flat left by taking `removed_mm` off a circular crown.

    ρ = (w²/4 + h²)/(2h), land = 2√(2ρδ − δ²): the chord at depth δ of the circle through the crown's feet and top.
    Never wider than the wire itself.
    """
    if removed_mm <= 0:
        return 0.0
    radius = (crown_width_mm**2 / 4 + fret_height_mm**2) / (2 * fret_height_mm)
    depth = min(removed_mm, fret_height_mm)
    return min(crown_width_mm, 2 * math.sqrt(2 * radius * depth - depth**2))


def removed_of(crown_width_mm: float, fret_height_mm: float, land_mm: float) -> float:
    """How much was taken off a circular crown that shows a land of this width, mm: the inverse of `land`.

    δ = ρ − √(ρ² − land²/4), with the circle through the crown's feet and top.
    """
    radius = (crown_width_mm**2 / 4 + fret_height_mm**2) / (2 * fret_height_mm)
    return radius - math.sqrt(max(0.0, radius**2 - land_mm**2 / 4))


def wander_cents(scale_mm: float, position_mm: float, land_mm: float) -> tuple[float, float]:
    """How far a land lets the pitch wander until it is crowned, cents at the nut-side and the saddle-side edge.

    The string leaves the nut-side edge at rest (flat, negative) and slaps the far edge when it is played hard (sharp).
    """
    speaking = scale_mm - position_mm
    return (
        1200 * math.log2(speaking / (speaking + land_mm / 2)),
        1200 * math.log2(speaking / (speaking - land_mm / 2)) if land_mm < 2 * speaking else math.inf,
    )


@dataclass(frozen=True, slots=True)
class CrownMiss:
    """A fret whose line is too wide or off centre: width and offset (toward the saddle positive), mm."""

    fret: int
    width_mm: float
    offset_mm: float


def crown_gate(
    widths_mm: Mapping[int, float],
    offsets_mm: Mapping[int, float],
    most_width_mm: float = LAND_MM,
    most_offset_mm: float = LAND_OFF_CENTRE_MM,
) -> list[CrownMiss]:
    """Frets that do not pass: the land left is wider than 0.30 mm or off centre by more than 0.1 mm."""
    return [
        CrownMiss(fret, widths_mm.get(fret, 0.0), offsets_mm.get(fret, 0.0))
        for fret in sorted({*widths_mm, *offsets_mm})
        if widths_mm.get(fret, 0.0) > most_width_mm + 1e-9 or abs(offsets_mm.get(fret, 0.0)) > most_offset_mm + 1e-9
    ]
