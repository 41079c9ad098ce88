"""The gate after levelling: is every fret on the planned shape?"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.frets.heights import Heights, deviations
from deft_bench.core.frets.levelling import band_width


@dataclass(frozen=True, slots=True)
class GateMiss:
    """One fret off the planned shape in one lane; above is positive, mm."""

    lane: str
    fret: int
    off_mm: float


@dataclass(frozen=True, slots=True)
class LevelGate:
    """Whether the gate passes, the half-width of the narrowest band that holds each lane (mm), and what misses.

    `coarse_mm` is what the gauge can tell where that is more than the rock that counts: it cannot pass the gate.
    `by_rocker` says that a rocker over every three frets passed it; `chance` how likely nothing rocks, where it was
    judged by the likely neck.
    """

    passes: bool
    band_mm: dict[str, float]
    misses: tuple[GateMiss, ...]
    unread: dict[str, tuple[int, ...]]
    coarse_mm: float | None = None
    by_rocker: bool = False
    chance: float | None = None


def level_gate(
    positions_mm: Sequence[float],
    lanes: Mapping[str, Heights],
    drops_mm: Sequence[float],
    left_out: frozenset[int] = frozenset(),
    *,
    rock_mm: float,
    resolution_mm: float = 0.0,
) -> LevelGate:
    """Judge an after-survey against the planned shape: a planned fall-away is not a fault.

    A lane passes when some straight line lies within `rock_mm` of every height + planned drop (the narrowest
    such band is found exactly). Every fret that is not left out must have been read in every planned lane, with a gauge
    that can tell the rock.
    """
    band: dict[str, float] = {}
    misses: list[GateMiss] = []
    unread: dict[str, tuple[int, ...]] = {}
    for lane, heights in lanes.items():
        kept: list[float | None] = [None if fret in left_out else h for fret, h in enumerate(heights, 1)]
        missing = tuple(fret for fret, h in enumerate(kept, 1) if h is None and fret not in left_out)
        if missing:
            unread[lane] = missing
        points = [(x, h + d) for x, h, d in zip(positions_mm, kept, drops_mm, strict=True) if h is not None]
        if len(points) < 2:
            continue
        band[lane] = band_width(points) / 2
        if band[lane] > rock_mm + 1e-9:
            off = deviations(positions_mm, kept, drops_mm)
            misses += [
                GateMiss(lane, fret, d) for fret, d in enumerate(off, 1) if d is not None and abs(d) > rock_mm + 1e-9
            ]
    coarse = resolution_mm if resolution_mm > rock_mm + 1e-9 else None
    passes = not misses and not unread and bool(band) and coarse is None
    return LevelGate(passes, band, tuple(misses), unread, coarse)
