"""One judgement from all the evidence: the likely neck, what to do, how sure that is, and the reading that would help.

A call is certain only where the evidence could have shown a single bad fret anywhere: certainty is computed, and it is
not claimed for places that nothing was read of.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.calls import Call, Instead, Length, Sure, in_mm
from deft_bench.core.evidence.actions import AS_USUAL, Compared, Levelling, Shape, Spread, compare, shape_told
from deft_bench.core.evidence.kinds import CrownHeight, Daylight, Evidence, Feeler, Heights, Ink, Rocker, still_holding
from deft_bench.core.evidence.likely_neck import Draws, Neck, likely_neck
from deft_bench.core.evidence.next_reading import NextReading, next_reading
from deft_bench.core.evidence.words import Slip, action_line, action_said, next_words, range_words, reasons
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.levelling import least_height
from deft_bench.core.strings.frame import Array

CERTAIN, LIKELY = 0.95, 0.75
COVERED, ENOUGH_COVERED = 0.9, 0.3
"""Which share of all places must be read of for a call to be certain; under the second share nothing is called but to
read on.
"""
CROWN_SD_MM, WIRE_SD_MM = 0.01, 0.02
"""How well the height of a crown is known that was read, and of one that is worked out from its wire."""
NAMED_SLIP, NEAR_MEANT_MM = 0.5, 0.03
NINE_IN_TEN = (0.05, 0.95)


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
    draws: Draws | None = None,
    levelling: Levelling = AS_USUAL,
) -> Judged:
    """Judge a neck. `held_mm` is the height of its frets over the board, of all or fret by fret (crowns that were read
    count before it), `least_mm` the least worth keeping; `as_it_lies`: that it is straight enough is settled;
    `draws` of the neck, where they were made before; `levelling`: what a level is to leave, and what it takes here.
    """
    draws = likely_neck(neck, evidence, seed) if draws is None else draws
    now = still_holding(evidence, neck.frets)
    room = _room(neck, now, held_mm, least_mm, len(draws.bow_mm), seed)
    spare = None if room is None else max(0.05, float(np.median(room)))
    covered = covered_share(neck.frets, now)
    compared = compare(
        neck,
        draws,
        seed,
        seen_loose(now),
        spare,
        room,
        all_read=covered >= COVERED,
        as_it_lies=as_it_lies,
        levelling=levelling,
    )
    over = draws.over_fair_line(neck.positions_mm)
    heights = _spreads(over)
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


def _spreads(over: Array) -> tuple[tuple[Spread, ...], ...]:
    """Of draws [draws, lanes, frets] the spread at every place."""
    low, high = np.quantile(over, NINE_IN_TEN, axis=0).tolist()
    rows = zip(over.mean(axis=0).tolist(), low, high, strict=True)
    return tuple(tuple(Spread(*one) for one in zip(*row, strict=True)) for row in rows)


def _spread(values: Array) -> Spread:
    low, high = np.quantile(values, NINE_IN_TEN)
    return Spread(float(values.mean()), float(low), float(high))


def seen_loose(evidence: Sequence[Evidence]) -> dict[int, bool]:
    """Of the frets that were looked under against the light, whether any lane showed some; the last look counts."""
    last = {(one.fret, one.lane): one.gap_mm > 0 for one in evidence if isinstance(one, Daylight)}
    return {fret: any(is_so for (of, _), is_so in last.items() if of == fret) for fret, _ in last}


def _room(
    neck: Neck,
    evidence: Sequence[Evidence],
    held_mm: float | Sequence[float] | None,
    least_mm: float | None,
    draws: int,
    seed: int,
) -> Array | None:
    """What every fret may lose, mm, [draws, frets]: known as well as a crown is read, or as wire is alike; None where
    nothing is known of its height.
    """
    read: dict[int, float] = {}
    for one in evidence:
        if isinstance(one, CrownHeight):
            read[one.fret] = min(read.get(one.fret, one.mm), one.mm)
    if held_mm is None and not read:
        return None
    base = np.full(neck.frets, min(read.values()) if held_mm is None else held_mm, dtype=float)
    held = np.array([read.get(fret, base[fret - 1]) for fret in range(1, neck.frets + 1)])
    known = np.array([CROWN_SD_MM if fret in read else WIRE_SD_MM for fret in range(1, neck.frets + 1)])
    off = np.random.default_rng(seed + 3).normal(0, known, (draws, neck.frets))
    return np.asarray(held + off - (least_height(float(base.max())) if least_mm is None else least_mm), dtype=float)


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
        say = f"Read on before any call: {round(100 * covered)} % of the places are read of."
        return Call(say, "read_more", {"covered": covered}, (), (), "unsure", next_words(helps))
    because = reasons(compared, best, slips, covered, length)
    instead = tuple(Instead(action_line(one), range_words(one.worst_mm, length)) for one in compared.actions[1:4])
    figures = {"chance": best.best, "worst_mm": best.worst_mm.mean, "passes": best.passes, "covered": covered}
    say = action_said(best, covered, length)
    return Call(say, best.do, figures, tuple(because), instead, sure, next_words(helps))
