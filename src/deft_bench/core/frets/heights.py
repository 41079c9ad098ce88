"""Fret-top heights along a lane, and which frets stand proud or sit low of one fair line.

The fair line: docs/methods/level-plan.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

LANES = ("bass", "middle", "treble")

Heights = Sequence[float | None]
"""One entry a fret, fret 1 first: mm above a common straight reference; None where not read."""

FAIR_SHARE = 0.7
"""A fair line runs through at least this share of its frets; when none does, the neck is bowed."""


@dataclass(frozen=True, slots=True)
class Fall:
    """A planned drop of the last frets: zero at `from_fret`, `drop_mm` at the last fret, linear in x between."""

    from_fret: int
    drop_mm: float

    def drops(self, positions_mm: Sequence[float]) -> list[float]:
        """The planned drop of every fret in mm; raises ValueError when it would start at or past the last fret."""
        if not 1 <= self.from_fret < len(positions_mm):
            raise ValueError(f"must start at a fret from 1 to {len(positions_mm) - 1}")
        start, end = positions_mm[self.from_fret - 1], positions_mm[-1]
        return [self.drop_mm * max(0.0, (x - start) / (end - start)) for x in positions_mm]


def fair_line(points: Sequence[tuple[float, float]], keep_mm: float = 0.03) -> tuple[float, float]:
    """A line (offset, slope) through (x, height) points that single proud or low frets do not pull.

    It starts from the median of all pairwise slopes (a robust line of the statistics textbooks), then fits least
    squares to the points within `keep_mm` of it, again and again until the same points stay. When fewer than seven in
    ten points stay, all count. Two points or more are needed.
    """
    slopes = sorted(
        (h2 - h1) / (x2 - x1) for i, (x1, h1) in enumerate(points) for x2, h2 in points[i + 1 :] if x2 != x1
    )
    slope = _median(slopes)
    offset = _median(sorted(h - slope * x for x, h in points))
    kept: list[tuple[float, float]] = []
    for _ in range(20):
        now = [(x, h) for x, h in points if abs(h - offset - slope * x) <= keep_mm]
        if len(now) < 3 or now == kept:
            break
        kept = now
        offset, slope = least_squares_line(kept)
    if len(kept) < FAIR_SHARE * len(points):
        # no one line runs through most of them (a bowed neck): the plain least-squares line favours no stretch of it
        return least_squares_line(points)
    return offset, slope


def least_squares_line(points: Sequence[tuple[float, float]]) -> tuple[float, float]:
    """(offset, slope) of the least-squares line through (x, height) points at two places or more."""
    mean_x = sum(x for x, _ in points) / len(points)
    mean_h = sum(h for _, h in points) / len(points)
    slope = sum((x - mean_x) * (h - mean_h) for x, h in points) / sum((x - mean_x) ** 2 for x, _ in points)
    return mean_h - slope * mean_x, slope


def _median(ordered: Sequence[float]) -> float:
    middle = len(ordered) // 2
    return ordered[middle] if len(ordered) % 2 else (ordered[middle - 1] + ordered[middle]) / 2


def deviations(
    positions_mm: Sequence[float], heights: Heights, drops_mm: Sequence[float] | None = None
) -> list[float | None]:
    """How far each fret stands above (+) or below (−) the lane's fair line, mm; None where not read.

    With `drops_mm` the planned drop is taken as right, so that a planned fall-away is not a fault. Fewer than
    three readings show nothing: all None.
    """
    drops = drops_mm or [0.0] * len(positions_mm)
    points = [(x, h + d) for x, h, d in zip(positions_mm, heights, drops, strict=True) if h is not None]
    if len(points) < 3:
        return [None] * len(positions_mm)
    offset, slope = fair_line(points)
    return [
        None if h is None else h + d - offset - slope * x for x, h, d in zip(positions_mm, heights, drops, strict=True)
    ]


def mean_heights(lanes: Mapping[str, Heights], frets: int) -> list[float | None]:
    """The mean height of each fret over the lanes in which it was read; None where it was read in none."""
    result: list[float | None] = []
    for index in range(frets):
        read = [h for heights in lanes.values() if (h := heights[index]) is not None]
        result.append(sum(read) / len(read) if read else None)
    return result


def rocking_share(positions_mm: Sequence[float], heights: Heights, rock_mm: float) -> float:
    """Share of neighbouring triples, all three read, whose middle fret would rock a short straightedge."""
    rocks = triples = 0
    for i in range(1, len(positions_mm) - 1):
        a, b, c = heights[i - 1 : i + 2]
        if a is None or b is None or c is None:
            continue
        share = (positions_mm[i] - positions_mm[i - 1]) / (positions_mm[i + 1] - positions_mm[i - 1])
        triples += 1
        rocks += b - (a + (c - a) * share) >= rock_mm
    return rocks / triples if triples else 0.0
