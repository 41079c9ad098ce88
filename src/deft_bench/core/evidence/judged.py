"""One judgement from all the evidence: the likely neck, what to do, how sure that is, and the reading that would help.

A call is certain only where the evidence could have shown a single bad fret anywhere: certainty is computed, and it is
not claimed for places that nothing was read of.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil

import numpy as np

from deft_bench.core.calls import Call, Instead, Length, Sure, frets_named, in_mm
from deft_bench.core.evidence.actions import Action, Compared, Shape, Spread, compare, shape_told
from deft_bench.core.evidence.kinds import CrownHeight, Daylight, Evidence, Feeler, Heights, Ink, Rocker, still_holding
from deft_bench.core.evidence.likely_neck import Draws, Neck, likely_neck
from deft_bench.core.evidence.next_reading import NextReading, next_reading
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.levelling import least_height
from deft_bench.core.strings.frame import Array

CERTAIN, LIKELY = 0.95, 0.75
COVERED, ENOUGH_COVERED = 0.9, 0.3
"""Which share of all places must be read of for a call to be certain; under the second share nothing is called but to
read on.
"""
NAMED_SLIP, NEAR_MEANT_MM = 0.5, 0.03
NINE_IN_TEN = (0.05, 0.95)


@dataclass(frozen=True, slots=True)
class Slip:
    """A reading that is probably a slip: which, how likely, and what was probably meant, mm (None: not known)."""

    index: int
    lane: int
    fret: int
    chance: float
    meant_mm: float | None


@dataclass(frozen=True, slots=True)
class Judged:
    """The likely neck over each lane's fair line, [lanes][frets], its shape, and the judgement. `told`: what of its
    shape is known and counts at the gate.
    """

    heights: tuple[tuple[Spread, ...], ...]
    bow: Spread
    twist: Spread
    ramp: Spread
    compared: Compared
    slips: tuple[Slip, ...]
    covered: float
    sure: Sure
    next: NextReading | None
    call: Call
    told: frozenset[Shape]


def judge(
    neck: Neck,
    evidence: Sequence[Evidence],
    held_mm: float | Sequence[float] | None = None,
    least_mm: float | None = None,
    seed: int = 0,
    length: Length = in_mm,
    *,
    as_it_lies: bool = False,
) -> Judged:
    """Judge a neck. `held_mm` is the height of its frets over the board, of all or fret by fret (crowns that were read
    count before it), `least_mm` the least worth keeping; `as_it_lies`: that it is straight enough is settled.
    """
    draws = likely_neck(neck, evidence, seed)
    now = still_holding(evidence, neck.frets)
    room = _room(neck, now, held_mm, least_mm)
    spare = None if room is None else max(0.05, float(np.median(room)))
    covered = covered_share(neck.frets, now)
    compared = compare(
        neck, draws, seed, seen_loose(now), spare, room, all_read=covered >= COVERED, as_it_lies=as_it_lies
    )
    over = draws.over_fair_line(neck.positions_mm)
    heights = tuple(tuple(_spread(over[:, lane, n]) for n in range(neck.frets)) for lane in range(len(LANES)))
    slips = _slips(evidence, draws)
    helps = next_reading(neck, draws, compared, now)
    sure = _sure(compared, covered, slips)
    call = _call(compared, covered, sure, slips, helps, length)
    return Judged(
        heights,
        _spread(draws.bow_mm),
        _spread(draws.twist_mm),
        _spread(draws.ramp_mm),
        compared,
        slips,
        covered,
        sure,
        helps,
        call,
        shape_told(draws, as_it_lies=as_it_lies),
    )


def _spread(values: Array) -> Spread:
    low, high = np.quantile(values, NINE_IN_TEN)
    return Spread(float(values.mean()), float(low), float(high))


def seen_loose(evidence: Sequence[Evidence]) -> dict[int, bool]:
    """Of the frets that were looked under against the light, whether any lane showed some; the last look counts."""
    last = {(one.fret, one.lane): one.gap_mm > 0 for one in evidence if isinstance(one, Daylight)}
    return {fret: any(is_so for (of, _), is_so in last.items() if of == fret) for fret, _ in last}


def _room(
    neck: Neck, evidence: Sequence[Evidence], held_mm: float | Sequence[float] | None, least_mm: float | None
) -> Array | None:
    """What every fret may lose, mm; None where nothing is known of its height."""
    read: dict[int, float] = {}
    for one in evidence:
        if isinstance(one, CrownHeight):
            read[one.fret] = min(read.get(one.fret, one.mm), one.mm)
    if held_mm is None and not read:
        return None
    base = np.full(neck.frets, min(read.values()) if held_mm is None else held_mm, dtype=float)
    held = np.array([read.get(fret, base[fret - 1]) for fret in range(1, neck.frets + 1)])
    return held - (least_height(float(base.max())) if least_mm is None else least_mm)


def covered_share(frets: int, evidence: Sequence[Evidence]) -> float:
    """The share of places where a single bad fret would have shown, by evidence that still holds."""
    seen = np.zeros((len(LANES), frets), dtype=bool)
    for one in evidence:
        if isinstance(one, Heights):
            seen[one.lane, [fret - 1 for fret in one.readings]] |= one.resolution_mm <= 0.06
        elif isinstance(one, Rocker):
            seen[one.lane, [fret - 1 for fret in one.frets]] = True
        elif isinstance(one, Feeler):
            seen[one.lane, one.fret - 1] = True
        elif isinstance(one, Ink):
            for fret in (*one.gone, *one.partly, *one.left):
                seen[one.lane, fret - 1] = True
    return float(seen.mean())


def _slips(evidence: Sequence[Evidence], draws: Draws) -> tuple[Slip, ...]:
    found = []
    for (index, lane, fret), (chance, right) in draws.slips.items():
        one = evidence[index]
        if chance < NAMED_SLIP or not isinstance(one, Heights):
            continue
        typed = one.readings[fret]
        beside = [mm for other, mm in one.readings.items() if abs(other - fret) == 1]
        ways = [typed / 10, typed * 10, -typed, typed / 25.4, typed * 25.4, typed / 100, typed * 100, *beside]
        meant = min(ways, key=lambda mm: abs(mm - right))
        near = abs(meant - right) <= max(NEAR_MEANT_MM, 2 * one.spread)
        found.append(Slip(index, lane, fret, chance, meant if near else None))
    return tuple(found)


def _sure(compared: Compared, covered: float, slips: Sequence[Slip]) -> Sure:
    best = compared.actions[0].best
    if covered < ENOUGH_COVERED:
        return "unsure"
    if best >= CERTAIN and covered >= COVERED and not slips:
        return "certain"
    return "likely" if best >= LIKELY else "unsure"


def action_words(action: Action, length: Length) -> str:
    """What to do, in words."""
    frets = frets_named(list(action.frets)) if action.frets else ""
    metal = length(ceil(action.worst_mm.mean * 100) / 100)
    return {
        "leave": "Leave the frets: nothing rocks",
        "read_more": "Read the rest before any metal: the rocker over every three tells most",
        "straighten": "Straighten the neck by the rod first, then read again",
        "check_seating": f"Look for daylight under {frets} before any metal comes off",
        "reseat": f"Reseat {frets}, then read again",
        "lift": f"Lift {frets}: that saves a level down to them",
        "spot": f"Spot-level {frets} by {metal}",
        "marked": f"Level only {frets}, {metal} at the most",
        "level": f"Level all frets, {metal} at the most",
        "fall_away": f"Level a fall-away past the joint, {metal} at the most",
        "partial_refret": f"Replace {frets}, then level: too little metal would be left",
    }[action.do]


def _range_words(action: Action, length: Length) -> str:
    low, high = length(action.worst_mm.low), length(action.worst_mm.high)
    metal = "no metal" if action.worst_mm.high < 0.005 else f"{low} to {high} off the worst fret"
    return f"{metal}; the gate passes in {round(100 * action.passes)} of 100"


def _call(
    compared: Compared,
    covered: float,
    sure: Sure,
    slips: Sequence[Slip],
    helps: NextReading | None,
    length: Length,
) -> Call:
    best = compared.actions[0]
    if covered < ENOUGH_COVERED:
        say = f"Read on: {round(100 * covered)} % of the places are read, too few to call anything."
        return Call(say, "read_more", {"covered": covered}, (), (), "unsure", next_words(helps))
    because = [
        f"In {round(100 * best.best)} of 100 necks that agree with all that was read it is the best, or as good."
    ]
    because.append(f"{_range_words(best, length)}.")
    likely = {fret: chance for fret, chance in compared.loose.items() if chance >= 0.2}
    because += [f"Fret {fret} sits loose with {round(100 * chance)} %." for fret, chance in likely.items()]
    for one in slips:
        was = "" if one.meant_mm is None else f": {length(one.meant_mm)} was probably meant"
        because.append(f"The reading at fret {one.fret} {LANES[one.lane]} is probably a slip{was}.")
    if covered < COVERED:
        because.append(f"{round(100 * covered)} % of the places are read.")
    instead = tuple(Instead(action_words(one, length), _range_words(one, length)) for one in compared.actions[1:4])
    figures = {"chance": best.best, "worst_mm": best.worst_mm.mean, "passes": best.passes, "covered": covered}
    return Call(f"{action_words(best, length)}.", best.do, figures, tuple(because), instead, sure, next_words(helps))


def next_words(helps: NextReading | None) -> str | None:
    """The reading that would help most, in words."""
    if helps is None:
        return None
    where = f"in the {LANES[helps.lane]} lane"
    return {
        "rocker": f"stand the rocker on frets {', '.join(map(str, helps.frets))} {where}",
        "heights": f"read fret {helps.frets[0]} {where}",
        "daylight": f"look for daylight under fret {helps.frets[0]}",
    }[helps.kind]
