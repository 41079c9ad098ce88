"""Carrying the layout to a machine: one datum only, the offset to it as it can be set, and what to measure again.

Derived in docs/methods/datum-transfer.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

from deft_bench.core.board.marking import CheckLine, cents_of
from deft_bench.core.board.positions import fret_position
from deft_bench.core.units import MM_PER_INCH, mixed_number

TWELFTH = 12
SET_MM = 0.01
"""Without a fraction the offset is set on a readout in hundredths of a millimetre."""


MEASURED_FROM: dict[str, str] = {
    "nut": "the nut, toward the body",
    "fret_12": "the 12th fret, toward the body",
    "last_fret": "the last fret, toward the nut",
}
"""How the place of the drawing's centre was measured."""


def centre_from_nut(distance_mm: float, measured_from: str, centres_mm: Sequence[float]) -> float:
    """Where the drawing's centre lies from the nut, mm, from a distance as it was measured (`MEASURED_FROM`); negative
    distances go the other way. `centres_mm` are where frets 0..N cross the centreline. Raises ValueError for a 12th
    fret that the board does not have.
    """
    if measured_from == "fret_12" and len(centres_mm) <= TWELFTH:
        raise ValueError("this board has no 12th fret")
    if measured_from == "last_fret":
        return centres_mm[-1] - distance_mm
    return (centres_mm[TWELFTH] if measured_from == "fret_12" else 0.0) + distance_mm


@dataclass(frozen=True, slots=True)
class Transfer:
    """The offset from the drawing's centre to the datum, mm; `set_mm` is the nearest that can be set, `steps` of it.

    `cents` has one entry a fret: the error if the datum is set so.
    """

    offset_mm: float
    set_mm: float
    steps: int
    remainder_mm: float
    cents: tuple[float, ...]
    recheck: tuple[CheckLine, ...]

    def set_words(self, set_fraction: int) -> str:
        """What is set, in inches, on a readout or stop that is set in fractions of one."""
        return f"{mixed_number(Fraction(abs(self.steps), set_fraction))} in"

    @property
    def toward(self) -> str:
        """Which way the datum lies from the drawing's centre: `body`, `nut`, or empty where it is there."""
        return "" if self.steps == 0 else "body" if self.steps > 0 else "nut"


def datum_transfer(
    centres_mm: Sequence[float],
    scale_mm: float,
    square_fret: float,
    datum: str,
    drawing_centre_mm: float,
    set_fraction: int = 0,
    divisions: int = 12,
) -> Transfer:
    """Work out one transfer. `centres_mm` are where frets 0..N cross the centreline; `datum` is nut, fret_12 or
    square_fret.

    `set_fraction` is the fraction of an inch that can be set (64), 0 for a readout, `divisions` the frets to the
    octave. Raises ValueError for a 12th fret that the board does not have.
    """
    frets = len(centres_mm) - 1
    if datum == "fret_12" and frets < 12:
        raise ValueError("this board has no 12th fret")
    at = {
        "nut": 0.0,
        "fret_12": centres_mm[min(12, frets)],
        "square_fret": _square_centre(centres_mm, square_fret, divisions),
    }[datum]
    offset = at - drawing_centre_mm
    step = MM_PER_INCH / set_fraction if set_fraction else SET_MM
    steps = math.floor(offset / step + 0.5)
    off = steps * step - offset
    cents = tuple(cents_of(scale_mm - fret_position(scale_mm, n, divisions), off) for n in range(1, frets + 1))
    recheck = (
        CheckLine("drawing centre to datum, measured after setting", offset),
        CheckLine(f"nut to fret {divisions}: half the scale", scale_mm / 2),
        CheckLine("nut to the datum", at),
    )
    return Transfer(offset, steps * step, steps, -off, cents, recheck)


def _square_centre(centres: Sequence[float], fret: float, divisions: int) -> float:
    # a perpendicular fret need not be whole: its line is square, so its centre lies at its own fraction of the scale
    whole = int(fret)
    if fret == whole:
        return centres[whole]
    before, after = fret_position(1, whole, divisions), fret_position(1, whole + 1, divisions)
    share = (fret_position(1, fret, divisions) - before) / (after - before)
    return centres[whole] + (centres[whole + 1] - centres[whole]) * share
