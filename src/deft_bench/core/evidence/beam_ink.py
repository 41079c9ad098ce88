"""What a beam's ink shows: it rests on the upper hull of the tops under it, and takes ink where the gap is small.

Derived in docs/methods/neck-evidence.md. Lengths mm.
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.evidence.kinds import INK_STROKE_MM
from deft_bench.core.evidence.prior import LOGISTIC
from deft_bench.core.strings.frame import Array

Floats = NDArray[np.float32]

MISHEARD_INK = 0.002
"""How often what the ink shows is told the wrong way."""
FAR_BELOW_MM = -1000.0


def ink_chance(x: Array, h: Array, strokes: Array, said: Array, soft: float = 1.0) -> Array:
    """The log chance of what a beam's ink shows over frets at x with tops h, [draws]: it rests on the upper hull. What
    is `said` of a fret is 0 gone, 1 partly, 2 left, −1 nothing; its edges are `soft` times as soft as they are.
    """
    from scipy.special import expit

    gap = hull_over(x, h) - h
    deep = (strokes * INK_STROKE_MM)[:, None]
    edge = soft * INK_STROKE_MM
    gone = expit(LOGISTIC / edge * (deep - gap))
    left = 1 - gone
    partly = np.exp(-0.5 * ((gap - deep) / edge) ** 2)
    chance = np.where(said == 0, gone, np.where(said == 1, partly, left))
    return np.asarray(
        np.where(said < 0, 0.0, np.log(MISHEARD_INK + (1 - MISHEARD_INK) * chance)).sum(axis=1), dtype=float
    )


def ink_along(x: Array, h: Array, own: int, tops: Array, strokes: Array, said: Array, soft: float = 1.0) -> Floats:
    """As `ink_chance` with the top of fret `own` at each of `tops`, [draws, places], but for a constant. With that top
    away the others' hull stands; a chord from it is highest where it is steepest, of all that reach as far.
    """
    away = h.copy()
    away[:, own] = FAR_BELOW_MM
    others, reach = hull_over(x, away).T, np.abs(x - x[own])
    # [frets, draws, places] from here on
    h, top = h.T[:, :, None].astype(np.float32), tops.astype(np.float32)
    under = others[:, :, None].astype(np.float32) - h
    gap = np.empty((len(x), *top.shape), dtype=np.float32)
    for side in (slice(own + 1, None), slice(own - 1 if own else 0, None if own else 0, -1)):
        far, rise = reach[side].astype(np.float32)[:, None, None], gap[side]
        np.subtract(h[side], top, out=rise)
        rise /= far
        for k in range(len(rise) - 2, -1, -1):
            np.maximum(rise[k], rise[k + 1], out=rise[k])
        rise *= far
        rise += top
        rise -= h[side]
        np.maximum(rise, under[side], out=rise)
    np.maximum(others[own][:, None].astype(np.float32) - top, 0, out=gap[own])
    gap -= (strokes * INK_STROKE_MM).astype(np.float32)[:, None]
    shows, edge = said.T, soft * INK_STROKE_MM
    partly = np.exp(np.float32(-0.5 / edge**2) * gap[shows == 1] ** 2)
    gap *= (LOGISTIC / 2 / edge * ((shows == 2) * 1.0 - (shows == 0)))[:, :, None].astype(np.float32)
    chance = np.tanh(gap, out=gap)
    chance *= np.float32((1 - MISHEARD_INK) / 2)
    chance += np.float32((1 + MISHEARD_INK) / 2)
    chance[shows == 1] = np.float32(MISHEARD_INK) + np.float32(1 - MISHEARD_INK) * partly
    return np.asarray(np.log(chance, out=chance).sum(axis=0), dtype=np.float32)


def hull_over(x: Array, h: Array) -> Array:
    """The upper hull of tops h, [draws, frets], at every fret: the highest chord of two others over it, or itself. Of
    each left end the steepest chord that reaches past a fret is the highest there.
    """
    # [left ends, frets, draws]
    reach, none = _reach(tuple(map(float, x)))
    top = np.ascontiguousarray(h.T)
    rise = top - top[:, None]
    rise /= np.where(reach > 0, reach, 1.0)
    rise += none
    for k in range(len(x) - 2, -1, -1):
        np.maximum(rise[:, k], rise[:, k + 1], out=rise[:, k])
    rise *= reach
    rise += top[:, None]
    rise += none
    return np.asarray(np.maximum(top, rise.max(axis=0)).T, dtype=float)


@lru_cache(maxsize=64)
def _reach(x: tuple[float, ...]) -> tuple[Array, Array]:
    """How far each fret lies past each other, [from, to, 1], and far below nothing where it does not."""
    place = np.array(x)
    by = (place[None, :] - place[:, None])[:, :, None]
    return by.clip(0), np.where(by > 0, 0.0, 10 * FAR_BELOW_MM)
