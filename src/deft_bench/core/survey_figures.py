"""The few figures that a survey comes down to, the same ones before and after.

The bow: docs/methods/straightness.md; the band and proud frets: docs/methods/level-plan.md.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from deft_bench.core.frets.heights import Heights, deviations, mean_heights
from deft_bench.core.frets.levelling import band_width
from deft_bench.core.neck.straightness import (
    LEAST_READINGS,
    Straightness,
    Surface,
    relief_under_string,
    straightness,
)
from deft_bench.core.survey import UNDER_STRING, SurveyHead, heights_from, places, pressed_fret
from deft_bench.core.survey_kinds import SURVEY_KINDS, Place, SurveyKind

EVENLY_READ = 0.8


@dataclass(frozen=True, slots=True)
class Figures:
    """What a survey says; of seating and sprout `off_mm` holds the readings themselves and `proud` the worst. Lengths
    mm; `off_mm` by lane, one entry a fret, proud positive; None where unread.

    `band_mm` is the narrowest band about a straight line that holds every fret of a lane, the worst lane's.
    """

    read: int
    places: int
    off_mm: dict[str, list[float | None]]
    proud: tuple[Place, float] | None
    low: tuple[Place, float] | None
    band_mm: float | None
    straight: Straightness | None

    @property
    def complete(self) -> bool:
        """Whether every place was read."""
        return self.read >= self.places


def figures(
    head: SurveyHead,
    readings_um: Mapping[Place, int | None],
    positions_mm: list[float],
    drops_mm: list[float] | None,
    rock_mm: float,
    *,
    brief: bool = False,
    joint_fret: int | None = None,
) -> Figures:
    """Work a survey's figures out of its readings; with `drops_mm` heights are judged against that planned shape;
    `positions_mm` are the frets' places, from fret 1 on.

    `brief` leaves out the band and the bow of fret heights, which a list does not show. `joint_fret` is where a string
    is pressed that reads straightness to the joint.
    """
    positions, frets = positions_mm, len(positions_mm)
    read = sum(um is not None for um in readings_um.values())
    count = len(places(head, frets))
    surface: Surface = "board" if head.surface == "board" else "fret_tops"
    if head.kind == "straightness":
        return _straightness(head, readings_um, positions, surface, read, count, joint_fret)
    kind = SURVEY_KINDS[head.kind]
    if kind.drawn == "explained" or kind.per_string:
        return Figures(read, count, {}, None, None, None, None)
    if kind.drawn != "off_line":
        return _figures_as_read(kind, readings_um, frets, read, count)
    lanes = heights_from(readings_um, head.method, frets)
    off = {lane: deviations(positions, heights, drops_mm) for lane, heights in lanes.items()}
    low, high = _extremes({(lane, fret): d for lane, offs in off.items() for fret, d in enumerate(offs, 1)})
    return Figures(
        read,
        count,
        off,
        high if high and high[1] >= rock_mm else None,
        low if low and low[1] <= -rock_mm else None,
        None if brief else _band(positions, lanes, drops_mm or [0.0] * frets),
        None if brief else bow_of_tops(lanes, positions),
    )


def _straightness(
    head: SurveyHead,
    readings_um: Mapping[Place, int | None],
    positions: list[float],
    surface: Surface,
    read: int,
    count: int,
    joint_fret: int | None,
) -> Figures:
    """The bow by a straightedge, or by a string that is pressed at the last fret or at the joint."""
    gaps = {fret: um / 1000 for (_, fret), um in readings_um.items() if um is not None}
    if head.method not in UNDER_STRING:
        return Figures(read, count, {}, None, None, None, bow(gaps, positions, surface))
    pressed = pressed_fret(head.method, len(positions), joint_fret)
    found = relief_under_string(gaps, positions, pressed, head.resolution_um / 1000)
    return Figures(read, max(1, read), {}, None, None, None, found)


def _figures_as_read(
    kind: SurveyKind, readings_um: Mapping[Place, int | None], frets: int, read: int, count: int
) -> Figures:
    """Figures of readings that stand for themselves: daylight, depth, land."""
    values = {place: None if um is None else um / 1000 for place, um in readings_um.items()}
    lanes: dict[str, list[float | None]] = {
        lane: [values.get((lane, fret)) for fret in range(1, frets + 1)] for lane in kind.lanes
    }
    _, most = _extremes(values)
    least = kind.counts_mm if kind.drawn == "as_read" and kind.counts_mm is not None else math.inf
    return Figures(read, count, lanes, most if most and most[1] >= least else None, None, None, None)


def _extremes(
    values: Mapping[Place, float | None],
) -> tuple[tuple[Place, float] | None, tuple[Place, float] | None]:
    """The lowest and the highest of the values that there are, each with its place."""
    known = [(place, value) for place, value in values.items() if value is not None]
    low = min(known, key=lambda item: item[1], default=None)
    return low, max(known, key=lambda item: item[1], default=None)


def bow(gaps_mm: Mapping[int, float], positions_mm: list[float], surface: Surface) -> Straightness | None:
    """Straightness from gaps by fret between the outermost frets read, or None with too few."""
    if len(gaps_mm) < LEAST_READINGS:
        return None
    readings = [(positions_mm[fret - 1], gap) for fret, gap in sorted(gaps_mm.items())]
    return straightness(readings, positions_mm, min(gaps_mm), max(gaps_mm), surface)


def bow_of_tops(lanes: Mapping[str, Heights], positions_mm: list[float]) -> Straightness | None:
    """Straightness as the fret tops show it: the mean of the lanes, so that one lane's wear weighs less.

    A lane read much less far than the others is left out: on a twisted neck its slope would pass for a bow.
    """
    return bow(gaps_of_tops(lanes, positions_mm), positions_mm, "fret_tops")


def gaps_of_tops(lanes: Mapping[str, Heights], positions_mm: list[float]) -> dict[int, float]:
    """How far the mean of the lanes lies under a straight line, mm by fret; lanes read much less far than the others
    are left out.
    """
    if not lanes:
        return {}
    read = {lane: sum(h is not None for h in heights) for lane, heights in lanes.items()}
    even = {lane: heights for lane, heights in lanes.items() if read[lane] >= EVENLY_READ * max(read.values())}
    mean = mean_heights(even, len(positions_mm))
    return {fret: -h for fret, h in enumerate(mean, 1) if h is not None}


def _band(positions_mm: list[float], lanes: Mapping[str, Heights], drops_mm: list[float]) -> float | None:
    worst = None
    for heights in lanes.values():
        points = [(x, h + d) for x, h, d in zip(positions_mm, heights, drops_mm, strict=True) if h is not None]
        if len(points) >= 3:
            worst = max(worst or 0.0, band_width(points))
    return worst
