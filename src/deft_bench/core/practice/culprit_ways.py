"""How much each reading tells of a neck: the ways that it could still be, of all frets that may be out.

A way is as many frets as the level has out, each proud or low. A rocker on three frets is pushed up by its middle one
where that is proud and by a neighbour that is low, and down by the others; where all push one way, or none does, the
way says what it must answer, and where they push both ways it may answer either.
"""

from collections.abc import Iterable
from functools import cache
from itertools import combinations, product

import numpy as np

from deft_bench.core.practice.culprit import FRETS, LEVELS, Reading
from deft_bench.core.strings.frame import Array

FIRST_OUT = 2
"""Frets at the very ends are never out: no rocker has them in its middle."""


def ways_left(readings: Iterable[Reading], level: int) -> list[int]:
    """How many ways are left after each reading of a rocker, whatever its lane; another leaves them as they were."""
    ways = _every_way(level)
    left, counts = np.ones(len(ways), dtype=bool), list[int]()
    for one in readings:
        if one.tool == "rocker" and one.rocks is not None:
            here, before, after = (ways[:, fret - 1] for fret in (one.fret, one.fret - 1, one.fret + 1))
            up = (here > 0) | (before < 0) | (after < 0)
            down = (here < 0) | (before > 0) | (after > 0)
            left &= up if one.rocks else ~up | down
        counts.append(int(left.sum()))
    return counts


def many_ways(level: int) -> int:
    """How many ways there are before anything is read."""
    return len(_every_way(level))


@cache
def _every_way(level: int) -> Array:
    """Every way that a level's frets may be out, as signs by fret, [ways][frets]; on the first none is low."""
    many, rows = LEVELS[level][1], []
    for frets in combinations(range(FIRST_OUT, FRETS), many):
        for signs in product((1,) if level == 1 else (1, -1), repeat=many):
            row = np.zeros(FRETS)
            row[np.array(frets) - 1] = signs
            rows.append(row)
    return np.array(rows)
