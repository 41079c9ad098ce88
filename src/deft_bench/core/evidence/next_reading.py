"""The one reading that would help most: by how much it is expected to raise the chance of the leading action, for the
time it takes.

A reading parts the draws by its outcome; in each part the best action's share is counted again.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.special import expit

from deft_bench.core.evidence.actions import Compared, rock_over
from deft_bench.core.evidence.kinds import ROCKER_MM, Daylight, Evidence, Heights, Rocker
from deft_bench.core.evidence.likely_neck import EDGE_MM, LANES, LOGISTIC, ROCKS_FROM, Draws, Neck
from deft_bench.core.strings.frame import Array

SECONDS = {"rocker": 4.0, "heights": 8.0, "daylight": 20.0}
LEAST_GAIN = 0.02
"""Another reading is asked for where it is expected to raise the chance by so much."""
LINE_KNOWN = 3
PARTS = 4
"""So many readings tell where their survey's line runs; into so many parts a gauge's reading is taken to part the
draws.
"""


@dataclass(frozen=True, slots=True)
class NextReading:
    """What to read: its kind, lane (0 bass), frets, and the expected gain."""

    kind: str
    lane: int
    frets: tuple[int, ...]
    gain: float


def next_reading(neck: Neck, draws: Draws, compared: Compared, evidence: Sequence[Evidence]) -> NextReading | None:
    """The reading with the greatest gain a second; None where none is worth taking. `evidence` is what still holds."""
    good = compared.good.astype(float)
    now = float(good.mean(axis=0).max())
    taken = {(one.lane, one.frets) for one in evidence if isinstance(one, Rocker)}
    read = {(one.lane, fret) for one in evidence if isinstance(one, Heights) for fret in one.readings}
    lines = {lane for lane in range(LANES) if sum(of == lane for of, _ in read) >= LINE_KNOWN}
    seen = {one.fret for one in evidence if isinstance(one, Daylight)}
    over = rock_over(draws.heights_mm, neck.positions_mm)
    found: list[NextReading] = []
    for lane in range(LANES):
        for i in range(neck.frets - 2):
            rocks = expit(LOGISTIC / EDGE_MM * (over[:, lane, i] - ROCKS_FROM * ROCKER_MM))
            if (lane, (i + 1, i + 2, i + 3)) not in taken:
                gain = _gain(good, np.column_stack([rocks, 1 - rocks])) - now
                found.append(NextReading("rocker", lane, (i + 1, i + 2, i + 3), gain))
            # one reading more tells something along a line that others were read from
            if lane in lines and (lane, i + 2) not in read:
                ends = np.quantile(over[:, lane, i], np.linspace(0, 1, PARTS + 1)[1:-1])
                part = np.eye(PARTS)[np.searchsorted(ends, over[:, lane, i])]
                found.append(NextReading("heights", lane, (i + 2,), _gain(good, part) - now))
    for fret, loose in compared.loose_draws.items():
        if fret not in seen and 0.02 < float(loose.mean()) < 0.98:
            part = np.column_stack([loose, ~loose]).astype(float)
            found.append(NextReading("daylight", 1, (fret,), _gain(good, part) - now))
    best = max(found, key=lambda one: one.gain / SECONDS[one.kind], default=None)
    return best if best is not None and best.gain >= LEAST_GAIN else None


def _gain(good: Array, outcome: Array) -> float:
    """The expected share of the best action when the outcome is known; `outcome` is its chance on each draw."""
    return float((outcome.T @ good).max(axis=1).sum() / len(good))
