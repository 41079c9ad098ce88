"""What a neck is like before anything is read, by the history of its frets. Lengths mm; docs/methods/neck-evidence.md
gives the reasons.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from deft_bench.core.strings.frame import Array

History = Literal["new_wire", "kit", "played", "worn"]

BOW_SD_MM, TWIST_SD_MM, RAMP_SD_MM = 0.15, 0.05, 0.05
RAMP_NONE = 0.5
"""How often there is neither rise nor droop past the joint."""
LOGISTIC = 1.702
"""The logistic curve of this slope is the normal's distribution within 0.01."""
FAR_SIZES = (0.6, 1.0, 1.7)
"""How far the rest stand off is not known so well: sizes that are alike likely, times the spread."""
SHARE_KNOWN = 12.0
"""The share of the rest is known as if from so many frets: a neck that has many is believed to have more."""
WORN_FRETS = 7
"""Frets that wear: those under the open chords."""


@dataclass(frozen=True, slots=True)
class FretPrior:
    """How far a fret stands off in all lanes (`even`) and in one (`end`): spread of most of them, spread of the rest,
    and the share of the rest. `worn` is the share of frets 1 to 7 that are low by `worn_mm` on average; `loose` the
    share of those far up that sit loose.
    """

    even_sd: float = 0.008
    even_wide_sd: float = 0.07
    even_wide: float = 0.08
    end_sd: float = 0.004
    end_wide_sd: float = 0.03
    end_wide: float = 0.04
    worn: float = 0.0
    worn_mm: float = 0.06
    worn_sd: float = 0.03
    loose: float = 0.3


PRIORS: dict[History, FretPrior] = {
    "new_wire": FretPrior(even_wide=0.10, loose=0.5),
    "kit": FretPrior(even_wide=0.20, end_wide=0.08, loose=0.8),
    "played": FretPrior(),
    "worn": FretPrior(worn=0.25, loose=0.15),
}
"""By history; `played` where it is not said."""
SEATED = FretPrior(even_wide=0.06, loose=0.3)
"""Of a fret after it was reseated or lifted: near home, now and then not."""
LEVELLED = FretPrior(even_sd=0.005, even_wide_sd=0.02, even_wide=0.03, end_sd=0.003, end_wide_sd=0.01, end_wide=0.03)
"""Of a fret after it was levelled: at the plan's line, within what a beam leaves."""


def normal(at: Array, mean: float, sd: float | Array) -> Array:
    """The normal density."""
    return np.asarray(np.exp(-0.5 * ((at - mean) / sd) ** 2) / (sd * np.sqrt(2 * np.pi)), dtype=float)


def even_parts(prior: FretPrior, fret: int, at: Array) -> tuple[Array, Array]:
    """How likely a fret stands off so far in all lanes, if it is one of most, and if it is one of the rest."""
    worn, square = prior.worn if fret <= WORN_FRETS else 0.0, at * at
    most = (1 - worn) * _centred(square, prior.even_sd)
    most = most + worn * normal(at, -prior.worn_mm, prior.worn_sd) if worn else most
    rest = sum(_centred(square, prior.even_wide_sd * times) for times in FAR_SIZES) / len(FAR_SIZES)
    return most, np.asarray(rest, dtype=float)


def _centred(square: Array, sd: float) -> Array:
    """The normal density about nothing, of what was squared."""
    return np.asarray(np.exp(square * (-0.5 / sd**2)) / (sd * math.sqrt(2 * math.pi)), dtype=float)


def end_density(prior: FretPrior, at: Array) -> Array:
    """How likely one lane of a fret stands off its others so far."""
    square = at * at
    near, far = _centred(square, prior.end_sd), _centred(square, prior.end_wide_sd)
    return (1 - prior.end_wide) * near + prior.end_wide * far


HELD_MM = 0.03
"""A fret that was lifted held where it stands no further off its lanes' fair lines than this."""


def held(off_mm: Sequence[float | None]) -> bool | None:
    """Whether a lifted fret stands in line, by how far off each lane's fair line it is; None where no lane says."""
    read = [mm for mm in off_mm if mm is not None]
    return abs(sum(read) / len(read)) <= HELD_MM if read else None


def missed_share(missed: int, held: int) -> float:
    """The share of lifted frets that do not end near home, after a shop has read some again; as `loose_share`."""
    return (LOOSE_KNOWN * SEATED.even_wide + missed) / (LOOSE_KNOWN + missed + held)


LOOSE_KNOWN = 12.0
"""How often frets that stand far up sit loose is known as if from so many: what a shop finds moves it from there."""


def loose_share(history: History, found_loose: int, found_home: int) -> float:
    """The share of frets far up that sit loose, after a shop has looked under some (the mean of the beta law that its
    counts make of the usual one).
    """
    usual = PRIORS[history].loose
    return (LOOSE_KNOWN * usual + found_loose) / (LOOSE_KNOWN + found_loose + found_home)
