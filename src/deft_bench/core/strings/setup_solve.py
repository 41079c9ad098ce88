"""The lowest setup that a hand can play clean: relief and saddle heights of the least mean action.

Every fretted margin is linear in relief and saddle height, so the least mean action is a linear programme (solved
exactly); of equal optima the one with the least relief is taken. Constraints that another one covers over the whole
range of relief are left out first.

Derived in docs/methods/setup-solve.md.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from deft_bench.core.field_checks import FieldError
from deft_bench.core.strings.capo import with_capo
from deft_bench.core.strings.clearance import (
    ACTION_FRET,
    OverString,
    Strung,
    Worst,
    clearance,
    geometry,
    own_errors,
)
from deft_bench.core.strings.frame import Array, StringFrame
from deft_bench.core.strings.stroke import MEDIUM_STROKE, Stroke

Bridge = Literal["individual", "two_post", "one_piece"]
TIE_MM = 1e-6
LIMITS_MM = 0.005
FRET_COUNTS_MM = 0.1
"""A single fret is named where it costs more mean action than this."""


@dataclass(frozen=True, slots=True)
class BridgeShape:
    """A bridge whose strings move together: outer string centres across the centreline, radii (None flat), posts;
    mm.
    """

    string_spread_mm: float
    board_radius_mm: float | None
    bridge_radius_mm: float | None
    post_spacing_mm: float | None = None

    def offsets(self, strings: int) -> list[float]:
        """Each string's distance from the centreline at the saddle, string 1 (treble) positive."""
        return string_offsets(self.string_spread_mm, strings)

    def arch(self, strings: int) -> list[float]:
        """How much higher over the board's own arc each string lies than one over the centreline: (R_s − √(R_s² −
        u²)) − the bridge's.
        """
        return [_drop(self.board_radius_mm, u) - _drop(self.bridge_radius_mm, u) for u in self.offsets(strings)]


def string_offsets(spread_mm: float, strings: int) -> list[float]:
    """Each string's distance from the centreline, mm, evenly over the spread of the outer ones; string 1 (treble)
    positive.
    """
    return [0.0] if strings == 1 else [spread_mm * (0.5 - i / (strings - 1)) for i in range(strings)]


def _drop(radius_mm: float | None, off_mm: float) -> float:
    if radius_mm is None:
        return 0.0
    if abs(off_mm) >= radius_mm:
        raise FieldError("bridge_radius", f"a radius of {radius_mm:g} mm does not reach the outer strings")
    return radius_mm - math.sqrt(radius_mm**2 - off_mm**2)


@dataclass(frozen=True, slots=True)
class Solved:
    """The lowest setup. `limited_by` names each string's tightest fretted place, None where it has more than 0.005 mm
    to spare.

    `height_mm` and `tilt` (mm per mm, treble up positive) belong to a bridge whose strings move together.
    """

    relief_mm: float
    strung: tuple[Strung, ...]
    limited_by: tuple[Worst | None, ...]
    mean_action_mm: float
    height_mm: float | None = None
    tilt: float | None = None
    posts_mm: tuple[float, float] | None = None
    capo: int = 0

    @property
    def open_worst(self) -> list[float]:
        """The open string's worst margin, each string; with a capo, of the string held at it."""
        return [float(np.nanmin(string.margin[self.capo])) for string in self.strung]


def setup_solve(
    frame: StringFrame,
    strings: Sequence[OverString],
    relief_range: tuple[float, float],
    margin_mm: float,
    bridge: Bridge = "individual",
    shape: BridgeShape | None = None,
    stroke: Stroke = MEDIUM_STROKE,
    capo: int = 0,
) -> Solved:
    """Solve for relief in range and saddle heights of at least 0 with every fretted margin at least `margin_mm`; with a
    `capo` on that fret, every margin from it on.

    Raises ValueError for a bridge without its shape, a range that is none, a string without a force, or fewer than 12
    frets.
    """
    from scipy.optimize import linprog

    low, high = relief_range
    _check(frame, strings, low, high)
    count = len(strings)
    if bridge == "individual":
        lift, base = np.eye(count), np.zeros(count)
    else:
        if shape is None:
            raise FieldError("bridge_radius", f"a {bridge} bridge needs its string spread and radii")
        lift = np.column_stack([np.ones(count), shape.offsets(count)])
        if count == 1:
            lift = lift[:, :1]
        base = np.array(shape.arch(count))
    bow = frame.unit_bow()
    owns = [own_errors(frame, string, count) for string in strings]
    rows, limits = [], []
    for i, one in enumerate(strings):
        alpha, beta = _needs(frame, one, owns[i], bow, margin_mm, stroke, low, high, capo)
        # saddle = base + lift·v ≥ alpha + beta·r, and never under the frame's line
        rows.append(np.column_stack([beta, np.repeat(-lift[i : i + 1], len(beta), axis=0)]))
        limits.append(base[i] - alpha)
        rows.append(np.concatenate([[0.0], -lift[i]])[None, :])
        limits.append(np.array([base[i]]))
    matrix, bound = np.vstack(rows), np.concatenate(limits)
    cost = np.concatenate([[-bow[ACTION_FRET - 1]], lift.mean(axis=0) / 2])
    bounds = [(low, high), *[(None, None)] * lift.shape[1]]
    best = linprog(cost, A_ub=matrix, b_ub=bound, bounds=bounds, method="highs")
    least = linprog(
        np.eye(len(cost))[0],
        A_ub=np.vstack([matrix, cost]),
        b_ub=np.append(bound, best.fun + TIE_MM),
        bounds=bounds,
        method="highs",
    )
    found = least.x if least.status == 0 else best.x
    relief = float(found[0])
    saddles = base + lift @ found[1:]
    bent = replace(frame, relief_mm=relief)
    strung = clearance(
        bent,
        [
            replace(one, saddle_height_mm=float(max(0.0, h)), action_12_mm=None)
            for one, h in zip(strings, saddles, strict=True)
        ],
        stroke,
    )
    if bridge == "individual":
        # a tie of the mean leaves a string higher than it needs: bring each down to its own least
        strung = clearance(
            bent,
            [
                replace(
                    one,
                    saddle_height_mm=max(
                        0.0, float(np.max(_line(frame, one, owns[i], bow, margin_mm, stroke, relief, capo)))
                    ),
                    action_12_mm=None,
                )
                for i, one in enumerate(strings)
            ],
            stroke,
        )
    strung = [with_capo(string, capo) for string in strung]
    worst = [string.worst(fretted_only=True) for string in strung]
    mean = float(np.mean([string.action_12_mm for string in strung]))
    if bridge == "individual" or shape is None:
        return Solved(relief, tuple(strung), _limits(worst, margin_mm), mean, capo=capo)
    height = float(found[1])
    tilt = float(found[2]) if count > 1 else 0.0
    half = (shape.post_spacing_mm or shape.string_spread_mm) / 2
    return Solved(
        relief,
        tuple(strung),
        _limits(worst, margin_mm),
        mean,
        height,
        tilt,
        (height - tilt * half, height + tilt * half),
        capo,
    )


def _check(frame: StringFrame, strings: Sequence[OverString], low: float, high: float) -> None:
    if low > high:
        raise FieldError("relief_range", "the range of relief ends before it starts")
    if frame.frets < ACTION_FRET:
        raise FieldError("frets", "a setup needs a board of 12 frets or more: action is read over the twelfth")
    for one in strings:
        if one.pluck_n <= 0:
            raise FieldError("pluck_n", f"string {one.string} is not plucked at all: no action is too low for it")


@dataclass(frozen=True, slots=True)
class FretCost:
    """A single fret that keeps the action up: the mean action without its error, mm."""

    fret: int
    mean_action_mm: float


def without_error(frame: StringFrame, fret: int) -> StringFrame:
    """The same neck with one fret on its line."""

    def put_right(errors: Sequence[float]) -> list[float]:
        return [0.0 if n == fret else mm for n, mm in enumerate(errors, start=1)]

    if frame.errors is None:
        return frame
    if isinstance(frame.errors, Mapping):
        return replace(frame, errors={lane: put_right(errors) for lane, errors in frame.errors.items()})
    return replace(frame, errors=put_right(frame.errors))


def one_fret_costs(frame: StringFrame, solved: Solved, again: Callable[[StringFrame], Solved]) -> list[FretCost]:
    """The frets, of those that stop a string, without whose error the mean action is lower by more than 0.1 mm; `again`
    solves on a neck.
    """
    tight = {fret for limit in solved.limited_by if limit for fret in (limit.fretted, limit.over) if fret > 0}
    found = []
    for fret in sorted(tight):
        fair = without_error(frame, fret)
        if fair == frame:
            continue
        mean = again(fair).mean_action_mm
        if solved.mean_action_mm - mean > FRET_COUNTS_MM:
            found.append(FretCost(fret, mean))
    return found


def _limits(worst: Sequence[Worst], margin_mm: float) -> tuple[Worst | None, ...]:
    return tuple(limit if limit.margin_mm - margin_mm <= LIMITS_MM else None for limit in worst)


def _lines(
    frame: StringFrame, one: OverString, own: Array, bow: Array, margin_mm: float, stroke: Stroke, capo: int
) -> tuple[Array, Array]:
    """The saddle must be at least α + β·relief: one line for each fretted place, both [places]."""
    share, swing = geometry(frame.scale_mm, frame.frets, stroke)
    first = max(1, capo)
    share, need = share[first:], margin_mm + one.pluck_n * swing[first:] / one.tension_n
    alpha = (need + own[None, :] - own[first - 1 : -1, None] * (1 - share)) / share
    beta = (bow[None, :] - bow[first - 1 : -1, None] * (1 - share)) / share
    kept = ~np.isnan(alpha)
    return alpha[kept], beta[kept]


def _line(
    frame: StringFrame,
    one: OverString,
    own: Array,
    bow: Array,
    margin_mm: float,
    stroke: Stroke,
    relief: float,
    capo: int,
) -> Array:
    alpha, beta = _lines(frame, one, own, bow, margin_mm, stroke, capo)
    return np.asarray(alpha + beta * relief, dtype=float)


def _needs(
    frame: StringFrame,
    one: OverString,
    own: Array,
    bow: Array,
    margin_mm: float,
    stroke: Stroke,
    low: float,
    high: float,
    capo: int,
) -> tuple[Array, Array]:
    """The lines that are not covered by another at both ends of the range."""
    alpha, beta = _lines(frame, one, own, bow, margin_mm, stroke, capo)
    at_low, at_high = alpha + beta * low, alpha + beta * high
    order = np.lexsort((-at_high, -at_low))
    tops = np.maximum.accumulate(np.concatenate(([-np.inf], at_high[order][:-1])))
    kept = order[at_high[order] > tops]
    return alpha[kept], beta[kept]
