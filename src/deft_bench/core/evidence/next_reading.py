"""The one reading that would help most: by how much it is expected to raise the chance of the leading action, for the
time it takes.

A reading parts the draws by its outcome; in each part the best action's share is counted again.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.evidence.actions import Compared, rock_over
from deft_bench.core.evidence.kinds import ROCKER_MM, Daylight, Evidence, Heights, Rocker
from deft_bench.core.evidence.likely_neck import EDGE_MM, LANES, ROCKS_FROM, Draws, Neck
from deft_bench.core.evidence.prior import LOGISTIC
from deft_bench.core.strings.frame import Array

SECONDS = {"rocker": 4.0, "heights": 8.0, "daylight": 20.0}
LEAST_GAIN = 0.02
"""Another reading is asked for where it is expected to raise the chance by so much."""
LINE_KNOWN = 3
PARTS = 4
"""So many readings tell where their survey's line runs; into so many parts a gauge's reading is taken to part the
draws.
"""


Reading = tuple[str, int, tuple[int, ...], Array]
"""Kind, lane, frets, and the chance of each of its outcomes on every draw."""


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
    over = rock_over(draws.heights_mm, neck.positions_mm)
    parts = [*_rockers(over, evidence), *_numbers(over, evidence), *_daylight(compared, evidence)]
    found = [NextReading(kind, lane, frets, _gain(good, part) - now) for kind, lane, frets, part in parts]
    best = max(found, key=lambda one: one.gain / SECONDS[one.kind], default=None)
    return best if best is not None and best.gain >= LEAST_GAIN else None


def _rockers(over: Array, evidence: Sequence[Evidence]) -> Iterator[Reading]:
    """Three neighbours in a lane that were not tried."""
    from scipy.special import expit

    taken = {(one.lane, one.frets) for one in evidence if isinstance(one, Rocker)}
    for lane in range(LANES):
        for i in range(over.shape[2]):
            frets = i + 1, i + 2, i + 3
            if (lane, frets) not in taken:
                rocks = expit(LOGISTIC / EDGE_MM * (over[:, lane, i] - ROCKS_FROM * ROCKER_MM))
                yield "rocker", lane, frets, np.column_stack([rocks, 1 - rocks])


def _numbers(over: Array, evidence: Sequence[Evidence]) -> Iterator[Reading]:
    """Places that are not read along a line that others were read from: one reading more tells something there."""
    read = {(one.lane, fret) for one in evidence if isinstance(one, Heights) for fret in one.readings}
    for lane in range(LANES):
        if sum(of == lane for of, _ in read) < LINE_KNOWN:
            continue
        for i in range(over.shape[2]):
            if (lane, i + 2) not in read:
                ends = np.quantile(over[:, lane, i], np.linspace(0, 1, PARTS + 1)[1:-1])
                yield "heights", lane, (i + 2,), np.eye(PARTS)[np.searchsorted(ends, over[:, lane, i])]


def _daylight(compared: Compared, evidence: Sequence[Evidence]) -> Iterator[Reading]:
    """Frets that may sit loose and were not looked under."""
    seen = {one.fret for one in evidence if isinstance(one, Daylight)}
    for fret, loose in compared.loose_draws.items():
        if fret not in seen and 0.02 < float(loose.mean()) < 0.98:
            yield "daylight", 1, (fret,), np.column_stack([loose, ~loose]).astype(float)


def _gain(good: Array, outcome: Array) -> float:
    """The expected share of the best action when the outcome is known; `outcome` is its chance on each draw."""
    return float((outcome.T @ good).max(axis=1).sum() / len(good))
