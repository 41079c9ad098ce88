"""What the drills that level have in common: ten strokes of a beam, the ink that they leave, what the work is worth."""

from collections.abc import Mapping, Sequence

import numpy as np

from deft_bench.core.frets.beam_contact import stroked
from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice.worth import against
from deft_bench.core.strings.frame import Array

STROKES, LIGHT_MM, FIRM_MM = 10, 0.003, 0.01
"""So many strokes at once, and what each takes in all, off whatever bears."""
INK_MM = 0.001
"""Ink is gone where twice so much came off, and thin from half of it on."""
FLAT_SHARE, METAL_SHARE = 0.5, 0.3


def ten_strokes(
    positions_mm: Sequence[float],
    tops_mm: Mapping[str, Sequence[float]],
    lifted_mm: Sequence[float],
    fret: int,
    lanes: Sequence[str],
    *,
    firm: bool,
) -> dict[str, Array]:
    """What ten strokes take off each top of some lanes, the hand over a fret, mm; `lifted_mm` is how far each fret is
    out of its slot. Raises ValueError without a lane, or for one that is not there.
    """
    if not lanes or any(lane not in LANES for lane in lanes):
        raise ValueError(f"choose a lane: {', '.join(LANES)}")
    hand = min(max(positions_mm[fret - 1], positions_mm[0] + 1), positions_mm[-1] - 1)
    takes = [FIRM_MM if firm else LIGHT_MM] * STROKES
    return {
        lane: np.array(tops_mm[lane]) - stroked(positions_mm, tops_mm[lane], hand, takes, lifted_mm) for lane in lanes
    }


def added(sums: Mapping[str, Sequence[float]], offs: Mapping[str, Sequence[float]]) -> dict[str, tuple[float, ...]]:
    """What came off by lane, with more of it."""
    more = {
        lane: tuple(a + b for a, b in zip(sums.get(lane, (0.0,) * len(off)), off, strict=True))
        for lane, off in offs.items()
    }
    return {lane: tuple(row) for lane, row in sums.items()} | more


def ink_left(off_mm: Sequence[float]) -> tuple[int, ...]:
    """The ink on tops that lost so much since they were inked: 2 whole, 1 thin, 0 gone."""
    return tuple(2 if off < INK_MM / 2 else 1 if off < 2 * INK_MM else 0 for off in off_mm)


def work_points(flat: float, metal_mm: float, their_mm: float, seconds: float, their_seconds: float) -> int:
    """Of 100, what levelling was worth: how level it ends, the metal and the time against the program's."""
    metal, spared = against(their_mm, metal_mm, unspent=1.0), against(their_seconds, seconds)
    return round(100 * flat * (FLAT_SHARE + METAL_SHARE * metal + (1 - FLAT_SHARE - METAL_SHARE) * spared))
