"""Intonation: how far to move the saddle, and whether the nut is to blame.

A saddle shift s (away from the nut) and a nut shift t (toward the saddle) change a fretted note against the open one by
K[s/(L − x_n) − (s − t)/L] cents, K = 1200/ln 2: lengths of the ideal string, to first order. Readings are fitted by
least squares.

Derived in docs/methods/intonation.md.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from deft_bench.core.board.positions import fret_position
from deft_bench.core.calls import Call, Instead, Length, Sure, in_mm, listed
from deft_bench.core.limits import NUT_SHIFT_MM
from deft_bench.core.strings.notes import K_CENTS
from deft_bench.core.strings.reachable import cents_within

NEAR_NUT, FAR = 5, 10
ODD_CENTS = 3.0
"""A reading this far off what any shift leaves is its fret's or its string's own fault."""
SETTLE_NUT = "a reading at fret 1, 2 or 3: it tells nut from saddle"


@dataclass(frozen=True, slots=True)
class CentsReading:
    """How sharp a string fretted at a fret is against the open string at pitch, cents."""

    fret: int
    cents: float


@dataclass(frozen=True, slots=True)
class Intonation:
    """Shifts that make a string true, mm; `residual_cents` is what no shift removes, in reading order; sds for the
    reading's own spread. `reachable_cents` is the least worst reading that the saddle alone can leave.
    """

    saddle_shift_mm: float
    nut_shift_mm: float
    saddle_sd_mm: float
    nut_sd_mm: float | None
    residual_cents: tuple[float, ...]
    at_12_only_mm: float | None
    nut_fitted: bool
    reachable_cents: float


def intonation(scale_mm: float, readings: Sequence[CentsReading], reading_sd_cents: float = 1.0) -> Intonation:
    """Fit saddle and nut; the nut only with three distinct frets or more, one at 5 or below and one at 10 or above.

    Raises ValueError without readings.
    """
    if not readings:
        raise ValueError("give at least one reading")
    frets = {reading.fret for reading in readings}
    both = len(frets) >= 3 and min(frets) <= NEAR_NUT and max(frets) >= FAR
    cents = np.array([reading.cents for reading in readings])
    # cents that each shift would add, per mm; s sharpens nothing: it must undo what is read
    by_saddle, by_nut = _by_saddle(scale_mm, readings), np.full(len(readings), K_CENTS / scale_mm)
    matrix = np.column_stack([by_saddle, by_nut]) if both else by_saddle[:, None]
    solution = np.linalg.lstsq(matrix, cents, rcond=None)[0]
    spread = np.sqrt(np.diag(np.linalg.inv(matrix.T @ matrix))) * reading_sd_cents
    rest = cents - matrix @ solution
    twelve = [reading.cents for reading in readings if reading.fret == 12]
    return Intonation(
        float(solution[0]),
        float(solution[1]) if both else 0.0,
        float(spread[0]),
        float(spread[1]) if both else None,
        tuple(map(float, rest)),
        sum(twelve) / len(twelve) * scale_mm / K_CENTS if twelve else None,
        both,
        reachable_cents(scale_mm, readings),
    )


def _by_saddle(scale_mm: float, readings: Sequence[CentsReading]) -> np.ndarray:
    """What a saddle's shift takes off each reading, cents per mm."""
    left = np.array([scale_mm - fret_position(scale_mm, reading.fret) for reading in readings])
    return K_CENTS * (1 / left - 1 / scale_mm)


def reachable_cents(scale_mm: float, readings: Sequence[CentsReading]) -> float:
    """The least worst |cents − s·b| over all saddle shifts s: with one unknown two readings decide it, those of which
    the better shift leaves the most, one as sharp as the other is flat (docs/methods/setup-gates.md).
    """
    by_saddle, cents = _by_saddle(scale_mm, readings), np.array([reading.cents for reading in readings])
    apart = np.abs(np.outer(cents, by_saddle) - np.outer(by_saddle, cents))
    return float(np.max(apart / np.add.outer(by_saddle, by_saddle)))


def turns_for(shift_mm: float, pitch_mm: float) -> float:
    """Turns of an intonation screw for a shift, by its thread's pitch (mm a turn), to the eighth."""
    return round(shift_mm / pitch_mm * 8) / 8


def eighths(turns: float) -> str:
    """Turns to the eighth as a screwdriver counts them: `1 7/8`, `3/8`, `0`."""
    whole, part = divmod(Fraction(round(abs(turns) * 8), 8), 1)
    words = [str(whole)] if whole or not part else []
    return " ".join(words + ([f"{part.numerator}/{part.denominator}"] if part else []))


def intonation_call(
    found: Intonation,
    readings: Sequence[CentsReading],
    gate_cents: float = 2.0,
    first_gap: str | None = None,
    length: Length = in_mm,
    turns: Callable[[float], str] | None = None,
) -> Call:
    """What to do for one string. `first_gap` is `high`, `right`, `low` or None where the first-fret gap is not read."""
    rms = math.sqrt(sum(r * r for r in found.residual_cents) / len(found.residual_cents))
    figures = {"saddle_shift_mm": found.saddle_shift_mm, "nut_shift_mm": found.nut_shift_mm, "rms_cents": rms}
    because = _because(found, readings, rms, length)
    back = _by_twelve_alone(found, length)
    sure: Sure = "likely" if found.nut_fitted else "unsure"
    settle = None if found.nut_fitted else SETTLE_NUT
    instead: tuple[Instead, ...]
    odd, worst = _odd_frets(found, readings), max(abs(reading.cents) for reading in readings)
    if odd:
        say, do, settle = odd
        # without a nut fit, what a nut would explain still passes for the string
        instead, sure = back, "likely" if found.nut_fitted else "unsure"
    elif worst <= gate_cents:
        say, do, instead = "True as it is: leave it.", "none", ()
    else:
        move = f"Move the saddle {_saddle_move(found, length, turns)}"
        nut_off = found.nut_fitted and found.nut_shift_mm > max(NUT_SHIFT_MM, 2 * (found.nut_sd_mm or 0.0))
        if not nut_off and worst <= cents_within(gate_cents, found.reachable_cents):
            best = f"no place of its saddle leaves less than {found.reachable_cents:.1f} cents"
            say, do, instead = f"Leave it, as good as this bridge gets: {best}.", "none", ()
        elif not nut_off:
            say, do, instead = f"{move}.", "saddle", back if found.nut_fitted else ()
        else:
            stands = length(found.nut_shift_mm)
            because.append(
                f"Low frets stay sharp after the saddle is right: as if the nut stood {stands} too far from the frets."
            )
            if first_gap == "right":
                say, do = f"{move}; the nut itself stands {stands} too far back.", "nut_placement"
                forward = Instead("Cut the nut’s face or shelf it forward", "a new nut when it ever changes")
                instead, sure = (*back, forward), "likely"
            else:
                say, do, instead = _nut_slot_first(first_gap), "nut_slot", back
                sure = "likely" if first_gap else "unsure"
                settle = None if first_gap else "the gap over fret 1, pressed between 2 and 3"
    return Call(say, do, figures, tuple(because), instead, sure, settle)


def _because(found: Intonation, readings: Sequence[CentsReading], rms: float, length: Length) -> list[str]:
    because = [
        (
            f"{len(readings)} reading{'s' if len(readings) > 1 else ''}, at {'fret' if len(readings) == 1 else 'frets'}"
            f" {listed(sorted({reading.fret for reading in readings}))}; no shift takes out {rms:.1f} cents of them."
        ),
    ]
    if found.at_12_only_mm is not None and found.nut_fitted:
        because.append(f"The rule of fret 12 alone would move it {length(found.at_12_only_mm)}.")
    return because


def _by_twelve_alone(found: Intonation, length: Length) -> tuple[Instead, ...]:
    """The rule of fret 12 alone as another way, where it was read."""
    if found.at_12_only_mm is None:
        return ()
    moves = f"low frets may stay off; it moves {length(abs(found.at_12_only_mm))}"
    return (Instead("Set it by fret 12 alone", moves),)


def _odd_frets(found: Intonation, readings: Sequence[CentsReading]) -> tuple[str, str, str] | None:
    """What to say and do, and what settles it, where readings stand out that no shift takes away; it takes four to
    tell.
    """
    odd = [one.fret for one, rest in zip(readings, found.residual_cents, strict=True) if abs(rest) > ODD_CENTS]
    if len(readings) < 4 or not odd:
        return None
    if len(odd) >= max(2, len(readings) // 2):
        say = "Change this string first: it is false, no shift makes it true."
        return say, "string", "fresh strings, then the same frets again"
    say = f"Look at {'fret' if len(odd) == 1 else 'frets'} {listed(odd)} first: worn, or crowned off its centre."
    return say, "fret", f"the crown line at {listed(odd)}"


def _saddle_move(found: Intonation, length: Length, turns: Callable[[float], str] | None) -> str:
    way = "back, away from the nut" if found.saddle_shift_mm > 0 else "forward, toward the nut"
    turned = f", {turns(found.saddle_shift_mm)}" if turns else ""
    return f"{length(abs(found.saddle_shift_mm))} {way}{turned}"


def _nut_slot_first(first_gap: str | None) -> str:
    say = "File the nut slot first" if first_gap == "high" else "Check the first-fret gap before the saddle"
    return f"{say}: low frets are sharp whatever the saddle does."


BEGIN = {"string": 0, "nut_slot": 1, "nut_placement": 1, "fret": 2, "saddle": 3, "none": 4}


def begin_with(called: Mapping[int, tuple[Intonation, Call]]) -> int | None:
    """The string to begin with: string and nut faults before frets and saddles, then the largest move; None without
    any.
    """
    return min(
        called,
        key=lambda string: (BEGIN[called[string][1].do], -abs(called[string][0].saddle_shift_mm)),
        default=None,
    )
