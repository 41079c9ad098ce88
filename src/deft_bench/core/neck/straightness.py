"""Straightness along the neck from gaps under a straightedge: how much bow, of which kind, and where.

gap(x) = a + b·x + 4r(x − x_a)(x_e − x)/(x_e − x_a)²: a straightedge laid anyhow (a, b) over a parabola of depth r at
mid-span, forward bow positive. Least squares, refitted without readings more than 0.03 mm off until the same readings
stay. A long hump at one end can draw that fit off, so fits that start without the upper or the lower third or half are
tried too; one of them is taken only when it finds the neck straight and leaves less misfit, Σ min(residual², 0.03²). A
double bend draws it off as well: where bow and an S together explain every reading, that is what it is. The
source is the small-deflection shape of a beam bent by end moments; see docs/methods/straightness.md.
"""

import math
from bisect import bisect_left
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from random import Random
from statistics import median
from typing import Literal

from deft_bench.core.calls import Call, Instead, Length, Sure, frets_named, in_mm
from deft_bench.core.limits import STRAIGHT_MM

Surface = Literal["board", "fret_tops"]

LEAST_READINGS = 5
LEAST_SD_MM = 0.006
"""A feeler tells a gap no better."""
SHAKES, SHAKE_SEED = 60, 1
CERTAIN, LIKELY = 0.95, 0.75
DEEPEST_S = math.sqrt(3) / 36
ENOUGH_FOR_CERTAIN = 9
ENOUGH_FOR_PARTS = 12
"""Fewer places than this are not fitted in parts nor with an S: the coefficients would follow any few of them."""


@dataclass(frozen=True, slots=True)
class Straightness:
    """What the readings say. `residual_mm` runs in reading order; a hump lies above the fitted bow, a dip below.
    `sd_mm` is how well the relief is known where a string was the straightedge.
    """

    relief_mm: float
    at_fret: int
    residual_mm: tuple[float, ...]
    humps: tuple[int, ...]
    dips: tuple[int, ...]
    kind: str
    surface: Surface
    readings: int
    sd_mm: float | None = None
    asked: tuple[tuple[tuple[float, float], ...], tuple[float, ...], int, int] | None = None
    """What `straightness` was given: readings, positions, first and last fret."""

    def chance(self) -> float:
        """The chance that this is what the neck does: how often readings that are shaken by their own spread show the
        same. The spread is what the fit leaves, 1.4826 times the median of its size, but no less than a blade's step
        tells. Under a string: the chance that the bow lies on its side of what counts as straight.
        """
        if self.asked is None:
            off = abs(STRAIGHT_MM - abs(self.relief_mm)) / max(self.sd_mm or 0.0, LEAST_SD_MM)
            return 0.5 * (1 + math.erf(off / math.sqrt(2)))
        readings, positions, first, last = self.asked
        spread = max(LEAST_SD_MM, 1.4826 * median(map(abs, self.residual_mm)))
        shake = Random(SHAKE_SEED)
        shaken = ([(x, gap + shake.gauss(0, spread)) for x, gap in readings] for _ in range(SHAKES))
        again = [straightness(one, positions, first, last, self.surface).kind for one in shaken]
        # nothing is known for certain of so few
        return (again.count(self.kind) + 1) / (SHAKES + 2)

    @property
    def frets_can_be_judged(self) -> bool:
        """Whether fret heights may be read and levelled on this neck: no bow and no double bow in it."""
        return is_straight(self.relief_mm) and self.kind != "s-bend"


def is_straight(relief_mm: float) -> bool:
    """Whether a bow is straight enough for fretwork: the one definition of Level, Neck and the gate. It is judged
    in the hundredths in which it is said: no feeler tells less, and 0.03 is never outside ±0.03.
    """
    return round(abs(relief_mm), 2) <= STRAIGHT_MM


def relief_under_string(
    gaps_mm: Mapping[int, float], positions_mm: Sequence[float], pressed_fret: int, gap_sd_mm: float
) -> Straightness | None:
    """Relief by gaps under a string held on fret 1 and on `pressed_fret`, mm by fret: the string is the straightedge
    and both its ends are known, so one gap is enough, r = Σ g·w / Σ w² with w = 4s(1 − s). None without a gap between
    them.
    """
    first, last = positions_mm[0], positions_mm[pressed_fret - 1]
    weights = {}
    for fret in sorted(gaps_mm):
        if 1 < fret < pressed_fret:
            share = (positions_mm[fret - 1] - first) / (last - first)
            weights[fret] = 4 * share * (1 - share)
    if not weights:
        return None
    square = sum(w * w for w in weights.values())
    relief = sum(gaps_mm[fret] * w for fret, w in weights.items()) / square
    rest = tuple(gaps_mm[fret] - relief * w for fret, w in weights.items())
    middle = min(range(1, pressed_fret + 1), key=lambda n: abs(positions_mm[n - 1] - (first + last) / 2))
    kind = "straight" if is_straight(relief) else "relief" if relief > 0 else "back-bow"
    return Straightness(relief, middle, rest, (), (), kind, "fret_tops", len(weights), gap_sd_mm / math.sqrt(square))


def straightness(
    readings: Sequence[tuple[float, float]],
    positions_mm: Sequence[float],
    first_fret: int,
    last_fret: int,
    surface: Surface,
) -> Straightness:
    """Fit (x, gap) readings in mm between two frets; raises ValueError with fewer than five distinct places."""
    if len({x for x, _ in readings}) < LEAST_READINGS:
        raise ValueError(f"needs readings at {LEAST_READINGS} places or more, found {len({x for x, _ in readings})}")
    start, end = positions_mm[first_fret - 1], positions_mm[last_fret - 1]
    relief, residuals = _bow(readings, start, end)

    def nearest(x: float) -> int:
        after = min(bisect_left(positions_mm, x), len(positions_mm) - 1)
        before = max(after - 1, 0)
        return 1 + (before if x - positions_mm[before] <= positions_mm[after] - x else after)

    order = sorted(range(len(readings)), key=lambda i: readings[i][0])
    humps = [nearest(readings[i][0]) for i in order if residuals[i] < -STRAIGHT_MM]
    dips = [nearest(readings[i][0]) for i in order if residuals[i] > STRAIGHT_MM]
    read = [nearest(readings[i][0]) for i in order]
    kind = _kind(relief, humps, dips, read, positions_mm, (start + end) / 2, surface, STRAIGHT_MM)
    return Straightness(
        relief,
        nearest((start + end) / 2),
        tuple(residuals),
        tuple(humps),
        tuple(dips),
        kind,
        surface,
        len(readings),
        None,
        (tuple(readings), tuple(positions_mm), first_fret, last_fret),
    )


def _bow(readings: Sequence[tuple[float, float]], start: float, end: float) -> tuple[float, list[float]]:
    """The bow between two places, and each reading's distance from it, mm.

    A neck that the fit to all readings explains is explained. Else a part of the neck may clear it of bow, but never
    lend it one; and what is left with a bow may be a double bend.
    """
    shapes = []
    for x, _ in readings:
        u = (x - start) / (end - start)
        shapes.append((1.0, u, 4 * u * (1 - u)))
    gaps, xs = [gap for _, gap in readings], [x for x, _ in readings]
    fit, residuals = _settle(shapes, gaps, xs, list(range(len(readings))), STRAIGHT_MM)
    span = sorted(set(xs))
    if max(map(abs, residuals)) <= STRAIGHT_MM or len(span) < ENOUGH_FOR_PARTS:
        return fit[2], residuals
    others = []
    for share in (3, 2):
        low, high = span[len(span) // share], span[-1 - len(span) // share]
        for part in ([i for i, x in enumerate(xs) if x <= high], [i for i, x in enumerate(xs) if x >= low]):
            others.append(_settle(shapes, gaps, xs, part, STRAIGHT_MM))
    clearer = [other for other in others if abs(other[0][2]) <= STRAIGHT_MM]
    fit, residuals = min([(fit, residuals), *clearer], key=lambda other: round(_misfit(other[1], STRAIGHT_MM), 9))
    if abs(fit[2]) > STRAIGHT_MM:
        fit, residuals = _double_bend(shapes, gaps, STRAIGHT_MM) or (fit, residuals)
    return fit[2], residuals


def _settle(
    shapes: list[tuple[float, float, float]], gaps: list[float], xs: list[float], start: list[int], tolerance_mm: float
) -> tuple[list[float], list[float]]:
    """Refit from a start until the same readings stay; (coefficients, residual of every reading)."""
    kept = start if len({xs[i] for i in start}) >= LEAST_READINGS else list(range(len(gaps)))
    seen: set[tuple[int, ...]] = set()
    while True:
        fit = _least_squares([shapes[i] for i in kept], [gaps[i] for i in kept])
        offset, slope, depth = fit
        residuals = [gap - offset - slope * u - depth * q for gap, (_, u, q) in zip(gaps, shapes, strict=True)]
        now = [i for i, residual in enumerate(residuals) if abs(residual) <= tolerance_mm]
        if now == kept or tuple(now) in seen or len({xs[i] for i in now}) < LEAST_READINGS:
            return fit, residuals
        seen.add(tuple(kept))
        kept = now


def _double_bend(
    shapes: list[tuple[float, float, float]], gaps: list[float], tolerance_mm: float
) -> tuple[list[float], list[float]] | None:
    """The bow under an S-bend, when bow and S together explain every reading and bow alone does not; else None.

    The S is u(u − ½)(u − 1), scaled to a greatest depth of one. The residuals returned hold it, so that its hump and
    its dip show.
    """
    bends = [u * (u - 0.5) * (u - 1) / DEEPEST_S for _, u, _ in shapes]
    rows = [(*shape, bend) for shape, bend in zip(shapes, bends, strict=True)]
    offset, slope, depth, size = _solve(
        [
            [sum(row[i] * row[j] for row in rows) for j in range(4)]
            + [sum(row[i] * gap for row, gap in zip(rows, gaps, strict=True))]
            for i in range(4)
        ]
    )
    residuals = [gap - offset - slope * u - depth * q for gap, (_, u, q) in zip(gaps, shapes, strict=True)]
    left = max(abs(residual - size * bend) for residual, bend in zip(residuals, bends, strict=True))
    if left > tolerance_mm or abs(size) <= tolerance_mm:
        return None
    return [offset, slope, depth], residuals


def _misfit(residuals: list[float], tolerance_mm: float) -> float:
    """Truncated sum of squares: a reading that is off counts the same however far off it is."""
    return sum(min(residual**2, tolerance_mm**2) for residual in residuals)


def _kind(
    relief: float,
    humps: list[int],
    dips: list[int],
    read: list[int],
    positions_mm: Sequence[float],
    middle_mm: float,
    surface: Surface,
    tolerance_mm: float,
) -> str:
    """Name the shape. A lone place is a proud or low fret, or a lump, and no bend: only runs of two or more count. Few
    readings on wood lie too far apart for that: there one stands for the stretch around it.
    """

    def broad(frets: list[int]) -> list[int]:
        if surface == "board" and len(set(read)) < ENOUGH_FOR_PARTS:
            return frets
        places = {fret: i for i, fret in enumerate(dict.fromkeys(read))}
        found = {places[fret] for fret in frets}
        return [fret for fret in frets if {places[fret] - 1, places[fret] + 1} & found]

    def low_side(frets: list[int]) -> bool:
        return any(positions_mm[fret - 1] < middle_mm for fret in frets)

    def high_side(frets: list[int]) -> bool:
        return any(positions_mm[fret - 1] >= middle_mm for fret in frets)

    rises, falls = broad(humps), broad(dips)
    # one half of a double bend in wood may show in one place only, where the frets lie far apart
    up, down = (humps, dips) if surface == "board" and (rises or falls) else (rises, falls)
    if (low_side(up) and high_side(down)) or (high_side(up) and low_side(down)):
        return "s-bend"
    if high_side(rises):
        return "upper-register-hump"
    if high_side(falls):
        return "upper-register-drop"
    if relief > tolerance_mm:
        return "relief"
    if relief < -tolerance_mm:
        return "back-bow"
    return "local" if humps or dips else "straight"


def _least_squares(rows: list[tuple[float, float, float]], values: list[float]) -> list[float]:
    """Coefficients of rows (1, u, q) by their normal equations; u and q are of size one."""
    n = su = sq = suu = suq = sqq = sv = suv = sqv = 0.0
    for (_, u, q), value in zip(rows, values, strict=True):
        n += 1
        su += u
        sq += q
        suu += u * u
        suq += u * q
        sqq += q * q
        sv += value
        suv += u * value
        sqv += q * value
    table = [[n, su, sq, sv], [su, suu, suq, suv], [sq, suq, sqq, sqv]]
    return _solve(table)


def _solve(table: list[list[float]]) -> list[float]:
    """Solve a small linear system, the right-hand side in the last column, by elimination with pivoting."""
    size = len(table)
    for i in range(size):
        pivot = max(range(i, size), key=lambda r: abs(table[r][i]))
        table[i], table[pivot] = table[pivot], table[i]
        for r in range(size):
            if r != i:
                factor = table[r][i] / table[i][i]
                table[r] = [cell - factor * top for cell, top in zip(table[r], table[i], strict=True)]
    return [table[i][size] / table[i][i] for i in range(size)]


def straightness_call(
    found: Straightness, rod: str | None = None, length: Length = in_mm, next_turn: str | None = None
) -> Call:
    """What to do about the neck before fretwork. `rod` is `single`, `dual`, `none` or None when it is not known;
    `next_turn` says what the rod is asked for next where its own answer is known.
    """
    surface = "the board" if found.surface == "board" else "the fret tops"
    bow = length(abs(found.relief_mm))
    figures = {"relief_mm": found.relief_mm, "at_fret": float(found.at_fret)}
    because = [
        f"{found.readings} readings on {surface}; the best bow through them is {length(found.relief_mm)} at fret"
        f" {found.at_fret}."
    ]
    if found.humps:
        because.append(f"Above that bow by more than {length(STRAIGHT_MM)}: {frets_named(list(found.humps))}.")
    if found.dips:
        because.append(f"Below that bow by more than {length(STRAIGHT_MM)}: {frets_named(list(found.dips))}.")
    settle = None
    if found.surface == "fret_tops":
        settle = "The same reading on bare wood with a notched straightedge: it leaves the frets out of it."
    chance = found.chance()
    figures["chance"] = chance
    # over the tops a proud fret looks like a hump: wood alone makes it certain
    certain = chance >= CERTAIN and found.readings >= ENOUGH_FOR_CERTAIN and settle is None
    sure: Sure = "certain" if certain else "likely" if chance >= LIKELY else "unsure"

    def call(say: str, do: str, instead: tuple[Instead, ...] = (), settled: str | None = settle) -> Call:
        return Call(say, do, figures, tuple(because), instead, sure, settled)

    if found.kind == "s-bend":
        return call(
            "This neck bends two ways: the rod cannot take that out.",
            "board_work",
            (
                Instead("Level to the board as it is", "bow cut into the frets"),
                Instead("Refer for neck work (plane or heat)", "board comes off or is planed"),
            ),
        )
    if not is_straight(found.relief_mm):
        forward = found.relief_mm > 0
        cure = next_turn if next_turn is not None else _cure(rod, forward=forward)
        return call(
            f"Straighten the neck first: {bow} of {'relief' if forward else 'back-bow'}.",
            "straighten",
            (Instead(f"Next: {cure}", ""), Instead("Level it as it lies", f"{bow} of bow cut into the frets for good")),
        )
    if found.kind == "upper-register-hump":
        return call(
            f"The neck is straight but the board rises at {frets_named(list(found.humps))}.",
            "upper_register",
            (
                Instead("A planned fall-away from there", "metal off the last frets only"),
                Instead("Board work", "frets out"),
            ),
        )
    if found.kind == "upper-register-drop":
        return call(f"Straight, with the upper frets dropping away at {frets_named(list(found.dips))}.", "go_on")
    return call(f"Straight enough for fretwork: {bow} of bow.", "go_on", (), settle)


def _cure(rod: str | None, *, forward: bool) -> str:
    """What straightens a neck when nothing is known of how its rod answers."""
    if rod == "none":
        return "this neck has no rod: heat, a compression refret or planing, by referral"
    if rod == "single" and not forward:
        return "loosen the rod; a single rod that is already slack cannot do more"
    return f"{'tighten' if forward else 'loosen'} the rod, a quarter turn at most, then settle and read again"
