"""Where to set saddles on a new bridge: how much further back than the scale each string wants to be.

Two effects sharpen a fretted string. Pressing it down stretches it: cents = K/2·(EA/T)·(ΔL/L), ΔL = ½δ²(1/x₁₂ + 1/(L −
x₁₂)) for a deflection δ at the 12th fret (small-angle geometry and Hooke's law). Its stiff ends do not swing: each
takes 0…1 times √(EI/T) off the length (Fletcher's stiff string: pinned 0, clamped 1).
"""

import math
from dataclasses import dataclass

from deft_bench.core.strings.notes import A4_HZ, K_CENTS
from deft_bench.core.strings.string_set import StringMake, tension_n

END_STIFFNESS = 0.5


@dataclass(frozen=True, slots=True)
class Compensation:
    """How far back a saddle wants to be, mm, and its two parts."""

    stretch_cents: float
    stiffness_mm: float
    saddle_back_mm: float


def compensation(
    make: StringMake, scale_mm: float, action_12_mm: float, end_stiffness: float = END_STIFFNESS, a4_hz: float = A4_HZ
) -> Compensation:
    """The saddle's start position beyond the scale for one string at its action."""
    tension = tension_n(make.mass(), scale_mm, make.pitch_hz(a4_hz))
    area = math.pi * make.core**2 / 4
    cents = stretch_cents(make.modulus * area / tension, scale_mm, scale_mm / 2, action_12_mm)
    stiff = 2 * end_stiffness * math.sqrt(make.bending_n_mm2 / tension)
    return Compensation(cents, stiff, cents * scale_mm / K_CENTS + stiff)


def stretch_cents(stiffness_per_pull: float, scale_mm: float, at_mm: float, down_mm: float) -> float:
    """How much sharper a string sounds that is pressed down by `down_mm` at a place from the nut; EA/T has no unit."""
    longer = down_mm**2 / 2 * (1 / at_mm + 1 / (scale_mm - at_mm))
    return K_CENTS / 2 * stiffness_per_pull * longer / scale_mm
