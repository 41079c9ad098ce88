"""Intonation: how far to move the saddle, what pressing adds by itself, and whether anything points at the nut.

A saddle shift s (away from the nut) and a nut shift t (toward the saddle) change a fretted note against the open one by
K[s/(L − x_n) − (s − t)/L] cents, K = 1200/ln 2: lengths of the ideal string, to first order. The saddle goes where its
worst reading is least. What pressing the string down adds is taken as known where action, gap and string are, and the
open string's own error is shared by all its readings: a nut is only named beyond both.

Derived in docs/methods/intonation.md.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from deft_bench.core.board.positions import fret_position
from deft_bench.core.calls import Call, Instead, Length, Sure, in_mm, listed
from deft_bench.core.limits import NUT_SHIFT_MM
from deft_bench.core.strings.compensation import stretch_cents
from deft_bench.core.strings.notes import K_CENTS
from deft_bench.core.strings.nut_depth import slot_height
from deft_bench.core.strings.reachable import cents_within
from deft_bench.core.strings.string_set import StringMake

NEAR_NUT, FAR = 5, 10
ODD_CENTS = 3.0
"""A reading this far off what any shift leaves is its fret's or its string's own fault."""
LOW_SHARP_CENTS = 1.0
"""Low frets that stay sharper than this after the saddle is right are looked for in a slot that is too high."""
SPREADS = 3.0
"""A nut, or an open string, is only called off beyond so many of its own spreads."""
READING_SD_CENTS, OPEN_SD_CENTS = 1.0, 1.0
SETTLE_NUT = "a reading at fret 1, 2 or 3: it tells a note of the nut's end from the saddle's"


@dataclass(frozen=True, slots=True)
class CentsReading:
    """How sharp a string fretted at a fret is against the open string at pitch, cents."""

    fret: int
    cents: float


@dataclass(frozen=True, slots=True)
class Pressing:
    """What a string is pressed down through: action over fret 12 and slot over the fret line, mm, and how stiff it is
    against its pull, EA/T.
    """

    action_12_mm: float
    slot_mm: float
    stiffness_per_pull: float

    def cents(self, scale_mm: float, fret: int) -> float:
        """What pressing at a fret adds, cents: the open string's straight line lies that far above it."""
        x = fret_position(scale_mm, fret)
        over = self.slot_mm + 2 * (self.action_12_mm - self.slot_mm) * x / scale_mm
        return stretch_cents(self.stiffness_per_pull, scale_mm, x, max(0.0, over))


def pressing_of(
    make: StringMake,
    scale_mm: float,
    tension_n: float,
    action_12_mm: float,
    gap_over_1_mm: float,
    bearing_fret: int = 2,
) -> Pressing:
    """What a string is pressed through by its action and first-fret gap, mm, at a pull in N."""
    stiffness = make.modulus * math.pi * make.core**2 / 4 / tension_n
    return Pressing(action_12_mm, slot_height(scale_mm, gap_over_1_mm, bearing_fret), stiffness)


@dataclass(frozen=True, slots=True)
class WithNut:
    """Saddle and nut moved together, mm: another way beside the saddle alone. `worst_cents` is what it leaves."""

    saddle_shift_mm: float
    nut_shift_mm: float
    worst_cents: float


@dataclass(frozen=True, slots=True)
class Intonation:
    """The saddle's shift that leaves the least worst reading, mm, with `residual_cents` then, in reading order, and
    `reachable_cents` the worst of them.

    `nut_shift_mm` is 0 unless the readings show more than three spreads of it; `nut_sd_mm` None where they cannot tell.
    `open_off_cents` is how far the open string was off where every reading shares it (negative flat). `pressing_cents`,
    in reading order, where it is known. `rest_cents` is what no shift and no open string removes.
    """

    saddle_shift_mm: float
    nut_shift_mm: float
    saddle_sd_mm: float
    nut_sd_mm: float | None
    residual_cents: tuple[float, ...]
    at_12_only_mm: float | None
    reachable_cents: float
    rest_cents: tuple[float, ...]
    pressing_cents: tuple[float, ...] | None = None
    open_off_cents: float | None = None
    with_nut: WithNut | None = None

    @property
    def nut_told(self) -> bool:
        """Whether the readings can tell nut from saddle."""
        return self.nut_sd_mm is not None


def intonation(
    scale_mm: float,
    readings: Sequence[CentsReading],
    reading_sd_cents: float = READING_SD_CENTS,
    open_sd_cents: float = OPEN_SD_CENTS,
    pressing: Pressing | None = None,
) -> Intonation:
    """The saddle by least worst cents; the nut only with three distinct frets or more, one at 5 or below and one at 10
    or above. Raises ValueError without readings.
    """
    if not readings:
        raise ValueError("give at least one reading")
    frets = {reading.fret for reading in readings}
    told = len(frets) >= 3 and min(frets) <= NEAR_NUT and max(frets) >= FAR
    cents = np.array([reading.cents for reading in readings])
    pressed = None if pressing is None else np.array([pressing.cents(scale_mm, one.fret) for one in readings])
    by_saddle, by_nut = _by_saddle(scale_mm, readings), np.full(len(readings), K_CENTS / scale_mm)
    matrix = np.column_stack([by_saddle, by_nut]) if told else by_saddle[:, None]
    known = cents if pressed is None else cents - pressed
    solution = np.linalg.lstsq(matrix, known, rcond=None)[0]
    spread = np.sqrt(np.diag(np.linalg.inv(matrix.T @ matrix))) * reading_sd_cents
    shift, reachable = _least_worst(by_saddle, cents)
    twelve = [reading.cents for reading in readings if reading.fret == 12]
    found = Intonation(
        shift,
        0.0,
        float(spread[0]),
        None,
        tuple(map(float, cents - shift * by_saddle)),
        sum(twelve) / len(twelve) * scale_mm / K_CENTS if twelve else None,
        reachable,
        tuple(map(float, known - matrix @ solution)),
        None if pressed is None else tuple(map(float, pressed)),
    )
    if not told:
        return found
    return _with_nut(
        found, scale_mm, cents, by_saddle, (float(solution[1]), float(spread[1])), reading_sd_cents, open_sd_cents
    )


def _with_nut(
    found: Intonation,
    scale_mm: float,
    cents: np.ndarray,
    by_saddle: np.ndarray,
    nut_and_sd: tuple[float, float],
    reading_sd_cents: float,
    open_sd_cents: float,
) -> Intonation:
    """What the readings say of nut and open string. One off by o shifts every reading alike, just as a nut does: the
    nut's spread holds both.
    """
    nut, alone_sd = nut_and_sd
    nut_sd = math.hypot(alone_sd, open_sd_cents * scale_mm / K_CENTS)
    shared, beyond = nut * K_CENTS / scale_mm, abs(nut) >= SPREADS * nut_sd - 1e-9
    alike = bool(np.all(np.sign(cents) == np.sign(shared)) and np.min(np.abs(cents)) > SPREADS * reading_sd_cents)
    found = replace(found, nut_sd_mm=nut_sd, open_off_cents=-shared if alike and beyond else None)
    if not beyond or abs(nut) < NUT_SHIFT_MM:
        return found
    matrix = np.column_stack([by_saddle, np.full(len(cents), K_CENTS / scale_mm)])
    both = np.linalg.lstsq(matrix, cents, rcond=None)[0]
    left = float(np.max(np.abs(cents - matrix @ both)))
    return replace(found, nut_shift_mm=nut, with_nut=WithNut(float(both[0]), float(both[1]), left))


def _by_saddle(scale_mm: float, readings: Sequence[CentsReading]) -> np.ndarray:
    """What a saddle's shift takes off each reading, cents per mm."""
    left = np.array([scale_mm - fret_position(scale_mm, reading.fret) for reading in readings])
    return K_CENTS * (1 / left - 1 / scale_mm)


def _least_worst(by_saddle: np.ndarray, cents: np.ndarray) -> tuple[float, float]:
    """The shift s that leaves the least worst |cents − s·b|, and that worst: with one unknown two readings decide it,
    those of which the better shift leaves the most, one as sharp as the other is flat (docs/methods/setup-gates.md).
    """
    sums = np.add.outer(by_saddle, by_saddle)
    apart = np.abs(np.outer(cents, by_saddle) - np.outer(by_saddle, cents)) / sums
    one, other = np.unravel_index(int(np.argmax(apart)), apart.shape)
    if one == other:
        # every reading wants the same shift
        return float(np.mean(cents / by_saddle)), 0.0
    return float((cents[one] + cents[other]) / sums[one, other]), float(apart[one, other])


def reachable_cents(scales_mm: Sequence[float], readings: Sequence[Sequence[CentsReading]]) -> list[float]:
    """The worst reading of each of the strings that one saddle carries where it leaves the least worst of all, cents;
    of a string with a saddle to itself, the least worst that any place of it leaves.
    """
    return [float(np.max(np.abs(left))) for left in _on_one_saddle(scales_mm, readings)[1]]


def with_one_saddle(
    scales_mm: Sequence[float], readings: Sequence[Sequence[CentsReading]], fits: Sequence[Intonation]
) -> list[Intonation]:
    """The fits of strings whose saddle is moved as one: all by the shift that leaves the least worst of all their
    readings, and what that leaves each.
    """
    shift, left = _on_one_saddle(scales_mm, readings)
    return [
        replace(
            fit,
            saddle_shift_mm=shift,
            residual_cents=tuple(map(float, rest)),
            reachable_cents=float(np.max(np.abs(rest))),
        )
        for fit, rest in zip(fits, left, strict=True)
    ]


def _on_one_saddle(
    scales_mm: Sequence[float], readings: Sequence[Sequence[CentsReading]]
) -> tuple[float, list[np.ndarray]]:
    """The least worst shift of a saddle for all its strings, mm, and what it leaves of each string's readings."""
    by_saddle = [_by_saddle(scale, read) for scale, read in zip(scales_mm, readings, strict=True)]
    cents = [np.array([one.cents for one in read]) for read in readings]
    shift, _ = _least_worst(np.concatenate(by_saddle), np.concatenate(cents))
    return shift, [own - shift * by for own, by in zip(cents, by_saddle, strict=True)]


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
    figures = {
        "saddle_shift_mm": found.saddle_shift_mm,
        "nut_shift_mm": found.nut_shift_mm,
        "rms_cents": rms,
        "reachable_cents": found.reachable_cents,
    }
    because = _because(found, readings, length)
    sure: Sure = "likely" if found.nut_told else "unsure"
    settle = None if found.nut_told else SETTLE_NUT
    instead = _instead(found, first_gap, length)
    move = f"Move the saddle {_saddle_move(found, length, turns)}"
    odd, worst = _odd_frets(found, readings), max(abs(reading.cents) for reading in readings)
    low_sharp = any(
        left > LOW_SHARP_CENTS for one, left in zip(readings, found.residual_cents, strict=True) if one.fret <= NEAR_NUT
    )
    if odd:
        say, do, settle = odd
    elif worst <= gate_cents:
        say, do, instead = "True as it is: leave it.", "none", ()
    elif low_sharp and first_gap == "high":
        say, do = "File the nut slot first: low frets are sharp whatever the saddle does.", "nut_slot"
    elif found.open_off_cents is not None:
        way = "flat" if found.open_off_cents < 0 else "sharp"
        say = (
            f"Retune the open string and read again: every reading shares {abs(found.open_off_cents):.1f} cents, as if"
            f" it was {way}."
        )
        do, sure, settle = "retune", "unsure", "the same frets, read again after retuning"
        instead = (Instead(move, "if it was in tune; what is shared stays"), *instead)
    elif worst <= cents_within(gate_cents, found.reachable_cents):
        best = f"no place of its saddle leaves less than {found.reachable_cents:.1f} cents"
        say, do = f"Leave it, as good as this bridge gets: {best}.", "none"
    else:
        say, do = f"{move}.", "saddle"
    return Call(say, do, figures, tuple(because), instead, sure, settle)


def _because(found: Intonation, readings: Sequence[CentsReading], length: Length) -> list[str]:
    frets = sorted({reading.fret for reading in readings})
    because = [
        (
            f"{len(readings)} reading{'s' if len(readings) > 1 else ''}, at {'fret' if len(frets) == 1 else 'frets'}"
            f" {listed(frets)}; the saddle alone can leave {found.reachable_cents:.1f} cents at the worst of them."
        ),
    ]
    if found.pressing_cents:
        added = {one.fret: cents for one, cents in zip(readings, found.pressing_cents, strict=True)}
        ends = [f"{added[fret]:.1f} at {fret}" for fret in dict.fromkeys((frets[0], frets[-1]))]
        because.append(f"Pressing the string down adds {' and '.join(ends)} cents by itself: no fault of the nut.")
    if found.at_12_only_mm is not None and found.nut_told:
        because.append(f"The rule of fret 12 alone would move it {length(found.at_12_only_mm)}.")
    if found.with_nut:
        because.append(
            f"Low frets stay off after the saddle is right, as if the nut stood {length(abs(found.nut_shift_mm))} too"
            f" {'far from' if found.nut_shift_mm > 0 else 'near'} the frets; the saddle's answer holds without it."
        )
    return because


def _instead(found: Intonation, first_gap: str | None, length: Length) -> tuple[Instead, ...]:
    """The rule of fret 12 alone, and a compensated nut where readings and gap say so, each with what it does."""
    ways = []
    if found.at_12_only_mm is not None:
        moves = f"low frets may stay off; it moves {length(abs(found.at_12_only_mm))}"
        ways.append(Instead("Set it by fret 12 alone", moves))
    if found.with_nut and first_gap == "right" and found.nut_shift_mm > 0:
        to = f"Bring the nut’s edge {length(found.with_nut.nut_shift_mm)} forward under this string"
        gain = found.reachable_cents - found.with_nut.worst_cents
        ways.append(
            Instead(
                f"{to}, and the saddle to {length(found.with_nut.saddle_shift_mm)}",
                f"{gain:.1f} cents better at the worst; a shelf or a new nut when it ever changes",
            )
        )
    return tuple(ways)


def _odd_frets(found: Intonation, readings: Sequence[CentsReading]) -> tuple[str, str, str] | None:
    """What to say and do, and what settles it, where readings stand out that no shift takes away; it takes four to
    tell.
    """
    odd = [one.fret for one, rest in zip(readings, found.rest_cents, strict=True) if abs(rest) > ODD_CENTS]
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


BEGIN = {"retune": 0, "string": 0, "nut_slot": 1, "fret": 2, "saddle": 3, "none": 4}


def begin_with(called: Mapping[int, tuple[Intonation, Call]]) -> int | None:
    """The string to begin with: tuning, string and nut faults before frets and saddles, then the largest move; None
    without any.
    """
    return min(
        called,
        key=lambda string: (BEGIN[called[string][1].do], -abs(called[string][0].saddle_shift_mm)),
        default=None,
    )
