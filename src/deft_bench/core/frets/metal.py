"""The metal that is in the frets now: read as crown height above the board, or worked out from the wire when new.

A height that was read stands for its fret until the fret is replaced; what was taken off since the reading is taken
off it. A fret that was not read has what the wire had when new, less all that was taken off it. The derivation:
docs/methods/level-plan.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.frets.heights import LANES, Heights
from deft_bench.core.survey_kinds import Place

LEAST_UM = 1


@dataclass(frozen=True, slots=True)
class CrownReading:
    """A crown height that was read at a place, µm, and when (UTC ISO-8601)."""

    place: Place
    height_um: int
    at: str


@dataclass(frozen=True, slots=True)
class MetalTaken:
    """What was taken off one fret, µm, and when."""

    fret: int
    removed_um: int
    at: str


@dataclass(frozen=True, slots=True)
class MetalNow:
    """Height of each fret over the board, mm, from fret 1 on, where it is lowest; `lanes_mm` what was read, by lane;
    `read_at` says of the frets that were read when; `new_mm` is the wire's height when new, from which the others are
    worked out.
    """

    heights_mm: tuple[float, ...]
    lanes_mm: Mapping[str, Heights]
    read_at: Mapping[int, str]
    new_mm: float

    @property
    def unread(self) -> list[int]:
        """Frets whose height is worked out."""
        return [fret for fret in range(1, len(self.heights_mm) + 1) if fret not in self.read_at]


def metal_in(
    frets: int,
    new_um: int,
    surveys: Sequence[Sequence[CrownReading]],
    taken: Sequence[MetalTaken],
    new_since: Mapping[int, str],
) -> MetalNow:
    """The metal that is in the frets now.

    `surveys` are the crown heights, newest survey first, `taken` what was taken off the frets that are in the board,
    `new_since` when each fret that was replaced was put in.
    """

    def left(fret: int, start_um: int, since: str = "") -> float:
        return (
            max(LEAST_UM, start_um - sum(one.removed_um for one in taken if one.fret == fret and one.at > since)) / 1000
        )

    heights: list[float] = []
    read_at: dict[int, str] = {}
    lanes: dict[str, list[float | None]] = {lane: [None] * frets for lane in LANES}
    for fret in range(1, frets + 1):
        read = _last_read(fret, surveys, new_since.get(fret, ""))
        for reading in read:
            lanes[reading.place[0]][fret - 1] = left(fret, reading.height_um, reading.at)
            read_at[fret] = max(read_at.get(fret, ""), reading.at)
        here = [height for heights_read in lanes.values() if (height := heights_read[fret - 1]) is not None]
        heights.append(min(here, default=left(fret, new_um)))
    return MetalNow(tuple(heights), {lane: read for lane, read in lanes.items() if any(read)}, read_at, new_um / 1000)


PLAN_KNOWN = 8.0
"""How well levels keep to their plan is known as if from so many frets."""


def more_than_planned(off_mm: Sequence[float]) -> float:
    """How much more than is planned levels take, mm, by what was read of some frets less what was planned: the mean,
    drawn towards nothing while they are few.
    """
    return sum(off_mm) / (len(off_mm) + PLAN_KNOWN)


def off_plan(taken: Sequence[MetalTaken], crowns: Sequence[CrownReading]) -> list[float]:
    """How much more than is said was taken off each fret, mm a level: between two readings of a crown, in the lane that
    lost the most. Where nothing was taken between two, or the crown grew (the fret was replaced), nothing is told.
    """
    found: dict[tuple[int, tuple[int, ...]], int] = {}
    last: dict[Place, CrownReading] = {}
    for read in sorted(crowns, key=lambda read: read.at):
        fret, before = read.place[1], last.get(read.place)
        last[read.place] = read
        if before is None or read.height_um >= before.height_um:
            continue
        between = tuple(i for i, one in enumerate(taken) if one.fret == fret and before.at < one.at <= read.at)
        if between:
            key = fret, between
            found[key] = max(found.get(key, 0), before.height_um - read.height_um)
    said = {key: sum(taken[i].removed_um for i in key[1]) for key in found}
    return [(lost - said[key]) / 1000 / len(key[1]) for key, lost in found.items()]


def _last_read(fret: int, surveys: Sequence[Sequence[CrownReading]], since: str) -> list[CrownReading]:
    """The readings of a fret in the newest survey that read it since it was put in."""
    for survey in surveys:
        here = [reading for reading in survey if reading.place[1] == fret and reading.at > since]
        if here:
            return here
    return []
