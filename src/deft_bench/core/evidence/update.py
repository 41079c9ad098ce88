"""Draws brought up to one reading more, without starting over: each is weighed by how likely it makes the reading, and
the draws are drawn again by their weights (sampling by importance; docs/methods/neck-evidence.md).
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from deft_bench.core.evidence.beam_ink import ink_chance
from deft_bench.core.evidence.kinds import CrownHeight, Daylight, Evidence, Feeler, Heights, Ink, Rocker
from deft_bench.core.evidence.likely_neck import (
    BLADE_SD_MM,
    EDGE_MM,
    MISHEARD,
    ROCKS_FROM,
    SLIP,
    SLIP_DENSITY,
    Draws,
    Neck,
)
from deft_bench.core.evidence.prior import LOGISTIC, normal
from deft_bench.core.strings.frame import Array

LEAST_DRAWS = 60
"""With so few different draws left it is drawn from the start."""
LINE_READINGS = 4
"""So many readings of a lane tell each draw where the survey's line runs."""


def updated(neck: Neck, draws: Draws, before: Sequence[Evidence], after: Sequence[Evidence]) -> Draws | None:
    """Draws that agree with `after`, from those that agree with `before`; None where it takes a new start: more than
    one reading is new, an act among them, or too few of the draws agree.
    """
    added = _added(before, after)
    if added is None:
        return None
    weight = np.ones(len(draws.bow_mm))
    for old, new in added:
        chance = _chance(neck, draws, old, new, before)
        if chance is None:
            return None
        weight = weight * chance
    share = weight / weight.sum()
    if 1 / float((share**2).sum()) < LEAST_DRAWS:
        return None
    # systematic: every draw stands as often as its share says, within one
    at = (np.arange(len(share)) + 0.5) / len(share)
    pick = np.searchsorted(np.cumsum(share), at).clip(0, len(share) - 1)
    if len(np.unique(draws.heights_mm[pick, 0, 0])) < LEAST_DRAWS:
        return None
    return replace(
        draws,
        heights_mm=draws.heights_mm[pick],
        even_mm=draws.even_mm[pick],
        own_mm=draws.own_mm[pick],
        bow_mm=draws.bow_mm[pick],
        twist_mm=draws.twist_mm[pick],
        ramp_mm=draws.ramp_mm[pick],
        slips={**draws.slips, **_new_slips(neck, draws, added, after)},
    )


def _added(before: Sequence[Evidence], after: Sequence[Evidence]) -> list[tuple[Evidence | None, Evidence]] | None:
    """What is new: (as it was or None, as it is); None where it cannot be told as one thing more."""
    if len(after) not in (len(before), len(before) + 1):
        return None
    changed: list[tuple[Evidence | None, Evidence]] = [
        (old, new) for old, new in zip(before, after, strict=False) if old != new
    ]
    changed += [(None, new) for new in after[len(before) :]]
    return changed if len(changed) == 1 else None


def _chance(neck: Neck, draws: Draws, old: Evidence | None, new: Evidence, before: Sequence[Evidence]) -> Array | None:
    """How likely each draw makes what is new, [draws]."""
    from scipy.special import expit

    if isinstance(new, (Daylight, CrownHeight)) and old is None:
        return np.ones(len(draws.bow_mm))
    if isinstance(new, Rocker) and old is None:
        a, b, c = (fret - 1 for fret in new.frets)
        x, h = neck.positions_mm, draws.heights_mm[:, new.lane]
        share = (x[b] - x[a]) / (x[c] - x[a])
        over = h[:, b] - h[:, a] * (1 - share) - h[:, c] * share
        rocks = expit(LOGISTIC / EDGE_MM * (over - ROCKS_FROM * new.tolerance_mm))
        said = rocks if new.rocks else 1 - rocks
        return np.asarray(MISHEARD + (1 - 2 * MISHEARD) * said, dtype=float)
    if isinstance(new, Ink):
        was = _ink_log(neck, draws, old) if isinstance(old, Ink) else 0.0
        return np.asarray(np.exp(_ink_log(neck, draws, new) - was), dtype=float)
    if isinstance(new, Heights) and isinstance(old, Heights) and len(old.readings) >= LINE_READINGS:
        found = _one_more(old, new)
        return None if found is None else _reading_chance(neck, draws, old, *found)
    if isinstance(new, Feeler) and old is None:
        return _blade_chance(neck, draws, new, before)
    return None


def _blade_chance(neck: Neck, draws: Draws, new: Feeler, before: Sequence[Evidence]) -> Array | None:
    """How likely each draw makes what a blade says, along the line of the lane's other blades."""
    from scipy.special import expit

    others = [one for one in before if isinstance(one, Feeler) and one.lane == new.lane and one.stops_mm is not None]
    if len({one.fret for one in others}) < LINE_READINGS:
        return None
    gaps = {one.fret: (one.passes_mm + (one.stops_mm or 0.0)) / 2 for one in others}
    gap = -_off(neck, draws, Heights(new.lane, gaps, BLADE_SD_MM, gap=True), new.fret, 0.0)
    low = new.passes_mm - 2 * BLADE_SD_MM if new.passes_mm > 0 else -np.inf
    high = np.inf if new.stops_mm is None else new.stops_mm + 2 * BLADE_SD_MM
    soft = LOGISTIC / EDGE_MM
    return np.asarray(MISHEARD + expit(soft * (gap - low)) * expit(soft * (high - gap)), dtype=float)


def _ink_log(neck: Neck, draws: Draws, ink: Ink) -> Array:
    frets = range(ink.from_fret, ink.to_fret + 1)
    shows = {fret: k for k, said in enumerate((ink.gone, ink.partly, ink.left)) for fret in said}
    span = slice(ink.from_fret - 1, ink.to_fret)
    count = len(draws.bow_mm)
    said = np.tile([shows.get(fret, -1) for fret in frets], (count, 1))
    return ink_chance(neck.positions_mm[span], draws.heights_mm[:, ink.lane, span], np.full(count, ink.strokes), said)


def _one_more(old: Heights, new: Heights) -> tuple[int, float] | None:
    """The one reading that is new, (fret, mm)."""
    more = {fret: mm for fret, mm in new.readings.items() if old.readings.get(fret) != mm}
    same = all(fret in new.readings for fret in old.readings)
    one = next(iter(more.items()), None)
    return one if len(more) == 1 and same and one is not None and one[0] not in old.readings else None


def _off(neck: Neck, draws: Draws, old: Heights, fret: int, mm: float) -> Array:
    """How far a new reading lies from what each draw says, along the line of the others, mm."""
    sign = -1.0 if old.gap else 1.0
    read, along, h = list(old.readings), neck.along(), sign * draws.heights_mm[:, old.lane]
    rest = np.array([old.readings[one] for one in read]) - h[:, [one - 1 for one in read]]
    columns = np.column_stack([np.ones(len(read)), along[[one - 1 for one in read]]])
    line = rest @ np.linalg.pinv(columns).T
    return np.asarray(mm - h[:, fret - 1] - line[:, 0] - line[:, 1] * along[fret - 1], dtype=float)


def _reading_chance(neck: Neck, draws: Draws, old: Heights, fret: int, mm: float) -> Array:
    good = (1 - SLIP) * normal(_off(neck, draws, old, fret, mm), 0, old.spread)
    return np.asarray(good + SLIP_DENSITY, dtype=float)


def _new_slips(
    neck: Neck, draws: Draws, added: Sequence[tuple[Evidence | None, Evidence]], after: Sequence[Evidence]
) -> dict[tuple[int, int, int], tuple[float, float]]:
    """How likely a new reading of a gauge is a slip, as `Draws.slips`."""
    found = {}
    for old, new in added:
        if isinstance(old, Heights) and isinstance(new, Heights) and (one := _one_more(old, new)) is not None:
            fret, mm = one
            slip = SLIP_DENSITY / _reading_chance(neck, draws, old, fret, mm)
            place = next(i for i, other in enumerate(after) if other is new), new.lane, fret
            found[place] = float(slip.mean()), mm - float(_off(neck, draws, old, fret, mm).mean())
    return found
