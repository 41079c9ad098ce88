"""How much room a swinging string has over every fret, open and fretted at each: the heart of a setup.

Fretted at f the string is straight from that fret's top to the saddle; over fret n its downswing is the lower edge of
all that the ideal plucked string sweeps (`Stroke.downswing`).

Derived in docs/methods/clearance.md.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.strings.frame import Array, StringFrame
from deft_bench.core.strings.stroke import MEDIUM_STROKE, Stroke

ACTION_FRET = 12


@dataclass(frozen=True, slots=True)
class OverString:
    """One string over the frets: tension and plucking force N, slot bottom and saddle in mm above the frame's line.

    Give `action_12_mm` or `saddle_height_mm`; `errors` replaces the frame's own under this string.
    """

    string: int
    tension_n: float
    nut_height_mm: float
    pluck_n: float
    action_12_mm: float | None = None
    saddle_height_mm: float | None = None
    errors: Sequence[float] | None = None


@dataclass(frozen=True, slots=True)
class Worst:
    """The tightest place of a string: fretted at (0 open), over which fret, with how much room; mm, negative
    touches.
    """

    fretted: int
    over: int
    margin_mm: float


@dataclass(frozen=True, slots=True)
class Strung:
    """One string's answer. `margin` is [fretted 0..N−1][over 1..N], NaN where the string is held down."""

    string: int
    saddle_height_mm: float
    action_12_mm: float
    margin: Array
    static: Array
    per_newton: Array

    def worst(self, fretted_only: bool = False) -> Worst:
        """The least margin, the first of equals."""
        shown = self.margin[1:] if fretted_only else self.margin
        place = int(np.nanargmin(shown))
        f, n = divmod(place, shown.shape[1])
        return Worst(f + int(fretted_only), n + 1, float(shown[f, n]))

    def lies_on(self) -> tuple[int, float] | None:
        """The fret that the open string at rest lies on, and how far it is above the string, mm; None where it is
        free.
        """
        over = int(np.nanargmin(self.static[0]))
        low = float(self.static[0][over])
        return (over + 1, -low) if low < 0 else None

    def least(self) -> Array:
        """The least margin at each fret it is fretted at, [0..N−1]."""
        return np.asarray(np.nanmin(self.margin, axis=1), dtype=float)


@lru_cache(maxsize=64)
def geometry(scale_mm: float, frets: int, stroke: Stroke) -> tuple[Array, Array]:
    """Shares along the string (x_n − x_f)/L_f and downswing in mm per newton of pluck and of 1/tension, both [f
    0..N−1][n 1..N].
    """
    x = np.concatenate(([0.0], fret_positions(scale_mm, frets)))
    along = x[None, 1:] - x[:-1, None]
    along[along <= 1e-9] = np.nan
    length = (scale_mm - x[:-1])[:, None]
    share, swing = along / length, stroke.downswing(along, length)
    share.flags.writeable = swing.flags.writeable = False
    return share, swing


def saddle_for_action(scale_mm: float, nut_mm: float, top_12_mm: float, action_mm: float) -> float:
    """The saddle's height that gives an action over the actual top of fret 12, mm."""
    return nut_mm + (top_12_mm + action_mm - nut_mm) * 2.0


def own_errors(frame: StringFrame, string: OverString, strings: int) -> Array:
    """Each fret's error less its drop under one string, [N]: the string's own errors where it has them, else the
    frame's.
    """
    if string.errors is None:
        return frame.own(string.string, strings)
    return replace(frame, errors=string.errors).own(string.string, strings)


def over_frets(frame: StringFrame, string: OverString, strings: int, stroke: Stroke = MEDIUM_STROKE) -> Strung:
    """One string over the frets. Raises ValueError with fewer than 12 frets, or without action and saddle height."""
    if frame.frets < ACTION_FRET:
        raise ValueError("clearance needs a board of 12 frets or more: action is read over the twelfth")
    tops = frame.relief_mm * frame.unit_bow() + own_errors(frame, string, strings)
    top_12 = float(tops[ACTION_FRET - 1])
    if string.saddle_height_mm is not None:
        saddle = string.saddle_height_mm
        action = (string.nut_height_mm + saddle) / 2 - top_12
    elif string.action_12_mm is not None:
        action = string.action_12_mm
        saddle = saddle_for_action(frame.scale_mm, string.nut_height_mm, top_12, action)
    else:
        raise ValueError("give the action over fret 12 or the saddle's height")
    share, swing = geometry(frame.scale_mm, frame.frets, stroke)
    start = np.concatenate(([string.nut_height_mm], tops[:-1]))
    static = start[:, None] * (1 - share) + saddle * share - tops[None, :]
    per_newton = swing / string.tension_n
    return Strung(string.string, saddle, action, static - string.pluck_n * per_newton, static, per_newton)


def clearance(frame: StringFrame, strings: Sequence[OverString], stroke: Stroke = MEDIUM_STROKE) -> list[Strung]:
    """Every string over every fret; see `over_frets`."""
    return [over_frets(frame, string, len(strings), stroke) for string in strings]


def held(strings: Sequence[OverString], found: Sequence[Strung]) -> list[OverString]:
    """The same strings with their saddles held where they are: what a tried change is calculated from."""
    return [
        replace(one, saddle_height_mm=answer.saddle_height_mm, action_12_mm=None)
        for one, answer in zip(strings, found, strict=True)
    ]


def open_nut_height(gap_mm: float, bearing_fret: int, frame: StringFrame, string: int, strings: int) -> float:
    """Slot bottom above the frame's line from the gap over fret 1 with the string pressed so that it bears on
    `bearing_fret`, mm.
    """
    x, tops = frame.positions(), frame.tops(string, strings)
    share = float(x[0] / x[bearing_fret - 1])
    return float((gap_mm + tops[0] - tops[bearing_fret - 1] * share) / (1 - share))
