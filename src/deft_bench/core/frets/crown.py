"""The crown of a fret as a circular arc: the land that levelling leaves on it."""

import math


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
