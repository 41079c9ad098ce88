"""A practice neck for whole jobs: frets, bow and rod as one hidden truth that answers surveys and is worked on by hand.

The same seed and level are the same neck. Tools read it as it lies (`core/simulated_neck.py`), the rod answers as in
the drill at the rod, metal comes off where the beam bears. A plan that is carried out by a steady hand ends on the
plan's own lines, as they lie on this neck.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any, Literal, cast

import numpy as np

from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.levelling import LevelRequest, band_width, least_height, plan_level, to_come_off
from deft_bench.core.frets.rocker import around, rock_of
from deft_bench.core.limits import SEATING_GAP_MM
from deft_bench.core.practice.level_work import added, ink_left, ten_strokes, work_points
from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.straight import Feel, RodNeck, why_no_rod
from deft_bench.core.practice.worth import fading
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.core.survey import SurveyHead, pressed_fret
from deft_bench.core.survey_kinds import (
    FLAT_UM,
    GONE_UM,
    HOME_UM,
    LEFT_UM,
    LIGHT_UM,
    PARTLY_UM,
    ROCKS_UM,
    Place,
)

FRETS, SCALE_MM, CROWN_MM = 22, 640.0, 1.2
EVEN_MM, STRAIGHT_MM = 0.005, 0.012
PROUD_MM, LIFTED_MM, LOW_MM, BOW_MM = (0.08, 0.13), (0.1, 0.2), (0.12, 0.2), (0.15, 0.28)
FIRST, LAST = 3, 17
"""Faults are drawn between these frets: low ones further up may be left as fall-away."""
APART = 2
LEVEL_MM, OFF_MM = 0.03, 0.05
"""Half the width of the band that holds a lane: up to the first it is level (the rock that counts, and what the
straight gate lets pass), from the second on worth nothing.
"""
LEAST_MARK_MM = 0.001
"""A stroke that took so much off a fret has touched it."""
MOST_LIFT_MM = 0.5
ROCK_MM = 0.02
SIXTEENTHS = (-4, -2, -1, 1, 2, 4)
"""What the wrench may be turned at once, sixteenths of a turn, tightening positive: never more than a quarter."""
SECONDS: Mapping["What", float] = {
    "turn": 30.0,
    "wait": 600.0,
    "press": 3.0,
    "tap": 10.0,
    "stroke": 20.0,
    "ink": 25.0,
    "lift": 900.0,
    "plan": 1200.0,
    "spot": 120.0,
    "replace": 600.0,
}
"""What each takes on a bench; strokes by the lane; lifting, spot-levelling and replacing by the fret."""
READING_SECONDS = {
    "fret_heights": 2.0,
    "straightness": 6.0,
    "rocker": 4.0,
    "ink": 1.5,
    "blades": 8.0,
    "light": 3.0,
    "seating": 5.0,
    "crown_height": 5.0,
}
"""What a reading of each kind takes: a practice neck answers these surveys."""

What = Literal["turn", "wait", "press", "tap", "stroke", "ink", "lift", "plan", "spot", "replace"]
LEVELS: Mapping[int, str] = {
    1: "a straight neck, a proud fret and a loose one",
    2: "a bowed neck, a loose fret and a low one",
    3: "a neck as it comes: bow either way, a rod with slack, loose, proud and low frets",
}


@dataclass(frozen=True, slots=True)
class PracticeNeck:
    """A neck with its rod; what came off each top since it was inked, and in all, mm by lane; what of that came off
    frets that were out of their slots; and what came off while the neck was bowed.
    """

    neck: SimulatedNeck
    rod: RodNeck
    since_ink: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    taken: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    wasted_mm: float = 0.0
    bowed_mm: float = 0.0

    @property
    def now(self) -> SimulatedNeck:
        """As it lies, with the bow that it shows."""
        return replace(self.neck, bow_mm=self.rod.bow_mm)

    @property
    def settled(self) -> SimulatedNeck:
        """With the bow that it will settle to and every fret home."""
        return replace(self.neck, bow_mm=self.rod.settled_mm, unseated={})

    @property
    def taken_mm(self) -> float:
        """All metal that came off."""
        return sum(sum(offs) for offs in self.taken.values())

    @property
    def band_mm(self) -> float:
        """Half the width of the narrowest band that holds the settled tops of a lane; of the worst lane."""
        xs = self.neck.positions
        return max(band_width(list(zip(xs, tops, strict=True))) for tops in self.settled.heights().values()) / 2

    def ink(self, lane: str) -> tuple[int, ...]:
        """The ink on each fret: 2 whole, 1 thin, 0 gone."""
        return ink_left(self.since_ink.get(lane, (0.0,) * self.neck.frets))

    def to_come_off(self) -> dict[str, tuple[float, ...]]:
        """What the level programme would take off each top, settled and with every fret home."""
        xs = self.neck.positions
        return {lane: tuple(to_come_off(xs, tops)) for lane, tops in self.settled.heights().items()}


@dataclass(frozen=True, slots=True)
class Deed:
    """One thing done by hand, with what it told: how the wrench went, whether a fret gave, what came off in all. Of
    strokes `frets` are those that they touched, with the `hand` over another; `mm` is how far frets were lifted.
    """

    what: What
    frets: tuple[int, ...] = ()
    sixteenths: int = 0
    lanes: tuple[str, ...] = ()
    firm: bool = False
    mm: float = 0.0
    feel: Feel = ""
    gives: bool | None = None
    off_mm: float = 0.0
    hand: int = 0

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        by = len(self.lanes) if self.what == "stroke" else 1
        by = len(self.frets) if self.what in ("lift", "spot", "replace", "tap") else by
        return SECONDS[self.what] * max(1, by)


def practice_neck(seed: int, level: int) -> PracticeNeck:
    """The neck of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 18)
    out = _apart(chance, 4)
    tops = {lane: chance.normal(0, EVEN_MM, FRETS) for lane in LANES}
    unseated = {out[0]: float(chance.uniform(*LIFTED_MM))}
    proud, low = [out[1]] if level != 2 else [], [out[2]] if level > 1 else []
    for fret in proud:
        size = chance.uniform(*PROUD_MM)
        for lane in LANES:
            tops[lane][fret - 1] += size * (chance.uniform(0.6, 1.0) if level == 3 else 1.0)
    for fret in low:
        size = chance.uniform(*LOW_MM)
        for lane in LANES:
            tops[lane][fret - 1] -= size
    if level == 3 and chance.random() < 0.5:
        unseated[out[3]] = float(chance.uniform(*LIFTED_MM))
    return PracticeNeck(
        SimulatedNeck(
            SCALE_MM,
            {lane: tuple(float(mm) for mm in row) for lane, row in tops.items()},
            unseated,
            twist_mm=float(chance.uniform(-0.04, 0.04)) if level == 3 else 0.0,
        ),
        _rod(chance, level),
    )


def why_no_drill(truth: PracticeNeck) -> str:
    """Why a neck cannot be practised on, as far as it can be told without playing it; empty where it can."""
    if truth.taken or truth.since_ink or truth.wasted_mm or truth.bowed_mm:
        return (
            "nothing has come off a neck that nobody has touched: leave taken, since_ink, wasted_mm and bowed_mm empty"
        )
    if truth.neck.bow_mm:
        return "neck.bow_mm: the bow is the rod's, in rod.bow_mm"
    return why_no_rod(truth.rod)


def _apart(chance: np.random.Generator, many: int) -> list[int]:
    """So many frets that do not lie beside each other."""
    while True:
        found = [int(n) for n in chance.choice(np.arange(FIRST, LAST + 1), many, replace=False)]
        if np.diff(sorted(found)).min() > APART:
            return found


def _rod(chance: np.random.Generator, level: int) -> RodNeck:
    rate, creep = float(chance.uniform(0.3, 0.5)), float(chance.uniform(0.1, 0.3))
    if level == 1:
        return RodNeck(float(chance.uniform(-STRAIGHT_MM, STRAIGHT_MM)), rate, creep, 0.0, 2.0)
    bow = float(chance.uniform(*BOW_MM))
    if level == 2:
        return RodNeck(bow, rate, creep, 0.0, 2.0)
    back, slack = bool(chance.random() < 0.5), float(chance.choice([0.0, 0.125]))
    return RodNeck(-bow if back else bow, rate, creep, slack, 2.0, taken_up=slack if back else 0.0)


# --- reading


def answered(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    """What a survey of this heading reads at a place, as it is stored (µm, or an answer's number), rounded to what its
    tool tells. Raises ValueError for a kind that no practice neck answers.
    """
    reader = _READERS.get(head.kind)
    if reader is None:
        raise ValueError(f"a practice neck does not answer that survey: {', '.join(READING_SECONDS)}")
    return reader(found, head, place)


def _rounded(mm: float, head: SurveyHead) -> int:
    return round(mm * 1000 / head.resolution_um) * head.resolution_um


def _height(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    lane, fret = place
    if head.method == "height":
        return _rounded(found.now.height(lane, fret) - found.now.height(lane, found.neck.frets), head)
    return _rounded(found.now.under_edge(lane)[fret - 1], head)


def _bow(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    now, fret = found.now, place[1]
    if head.method != "gap":
        end = pressed_fret(head.method, now.frets, None)
        share = (now.positions[fret - 1] - now.positions[0]) / (now.positions[end - 1] - now.positions[0])
        first, last = now.height("middle", 1), now.height("middle", end)
        return _rounded(max(0.0, first + (last - first) * share - now.height("middle", fret)), head)
    if head.surface == "board":
        wood = [now.board(one) for one in range(1, now.frets + 1)]
        return _rounded(max(wood) - wood[fret - 1], head)
    return _rounded(now.under_edge("middle")[fret - 1], head)


def _rocks(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    """At the tool's own limit it is felt as it is nearer to."""
    lane, fret = place
    now = found.now
    rock = rock_of(now.positions, now.heights()[lane], around(fret, head.reach))
    return ROCKS_UM if rock >= 0.75 * head.resolution_um / 1000 else FLAT_UM


def _ink(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    lane, fret = place
    span = head.at_frets or (1, found.neck.frets)
    kept = found.now.ink(lane, span[0], span[-1], head.strokes)[fret]
    return {0: GONE_UM, 1: PARTLY_UM, 2: LEFT_UM}[kept]


def _blade(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    return round(1000 * found.now.blade(*place, [um / 1000 for um in head.blades_um]))


def _light(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    return LIGHT_UM if found.neck.daylight(place[1]) >= SEATING_GAP_MM else HOME_UM


def _daylight(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    return _rounded(found.neck.daylight(place[1]), head)


def _crown(found: PracticeNeck, head: SurveyHead, place: Place) -> int:
    lane, fret = place
    off = found.taken.get(lane, (0.0,) * found.neck.frets)[fret - 1]
    return _rounded(CROWN_MM - off, head)


_READERS = {
    "fret_heights": _height,
    "straightness": _bow,
    "rocker": _rocks,
    "ink": _ink,
    "blades": _blade,
    "light": _light,
    "seating": _daylight,
    "crown_height": _crown,
}


# --- working


def do(
    found: PracticeNeck,
    what: What,
    frets: Sequence[int] = (),
    *,
    sixteenths: int = 0,
    lanes: Sequence[str] = (),
    firm: bool = False,
    mm: float = 0.0,
) -> tuple[PracticeNeck, Deed]:
    """Do one thing by hand; the neck after it, and what it told. Raises ValueError where it cannot be done."""
    if what not in ("turn", "wait", "ink") and (not frets or not all(1 <= n <= found.neck.frets for n in frets)):
        raise ValueError(f"say which fret: 1 to {found.neck.frets}")
    if what == "turn":
        if sixteenths not in SIXTEENTHS:
            raise ValueError("turn a sixteenth, an eighth or a quarter either way: never more at once")
        rod, feel = found.rod.turned(sixteenths / 16)
        return replace(found, rod=rod), Deed("turn", sixteenths=sixteenths, feel=feel)
    if what == "wait":
        return replace(found, rod=found.rod.waited()), Deed("wait")
    if what == "ink":
        return replace(found, since_ink={}), Deed("ink")
    if what == "stroke":
        return _stroke(found, frets[0], lanes, firm)
    gives = any(fret in found.neck.unseated for fret in frets)
    if what == "tap":
        return replace(found, neck=found.neck.reseat(frets)), Deed("tap", tuple(frets), gives=gives)
    if what == "lift":
        if not 0 < mm <= MOST_LIFT_MM:
            raise ValueError(f"a fret is lifted by more than nothing, up to {MOST_LIFT_MM} mm")
        return lifted(found, dict.fromkeys(frets, mm)), Deed("lift", tuple(frets), mm=mm)
    return found, Deed("press", tuple(frets), gives=gives)


def _stroke(found: PracticeNeck, fret: int, lanes: Sequence[str], firm: bool) -> tuple[PracticeNeck, Deed]:
    """Ten strokes in each of some lanes."""
    now = found.now
    out = [now.unseated.get(n, 0.0) for n in range(1, now.frets + 1)]
    offs = ten_strokes(now.positions, now.heights(), out, fret, lanes, firm=firm)
    after = _off(found, {lane: off.tolist() for lane, off in offs.items()})
    touched = tuple(n for n in range(1, now.frets + 1) if any(off[n - 1] > LEAST_MARK_MM for off in offs.values()))
    total = float(sum(off.sum() for off in offs.values()))
    return after, Deed("stroke", touched, 0, tuple(lanes), firm, off_mm=total, hand=fret)


def _off(found: PracticeNeck, offs: Mapping[str, Sequence[float]]) -> PracticeNeck:
    """With so much metal off each top of some lanes."""
    tops = {
        lane: tuple(top - off for top, off in zip(found.neck.tops[lane], row, strict=True))
        for lane, row in offs.items()
    }
    total = sum(sum(row) for row in offs.values())
    wasted = sum(row[fret - 1] for row in offs.values() for fret in found.neck.unseated)
    bowed = total if abs(found.rod.settled_mm) > LEVEL_MM + STRAIGHT_MM else 0.0
    return replace(
        found,
        neck=replace(found.neck, tops={**found.neck.tops, **tops}),
        since_ink=added(found.since_ink, offs),
        taken=added(found.taken, offs),
        wasted_mm=found.wasted_mm + wasted,
        bowed_mm=found.bowed_mm + bowed,
    )


def lifted(found: PracticeNeck, raise_mm: Mapping[int, float]) -> PracticeNeck:
    """With frets pulled, shimmed and put back so much higher, home."""
    neck = found.neck.reseat(list(raise_mm))
    for fret, mm in raise_mm.items():
        neck = neck.lift(fret, mm)
    return replace(found, neck=neck)


def in_line(found: PracticeNeck, frets: Collection[int], *, up: bool) -> tuple[PracticeNeck, float]:
    """With frets brought up, or filed down, to the line through their neighbours, in every lane; and the metal off."""
    heights, xs = found.now.heights(), found.neck.positions
    over = {
        fret: [_over(xs, tops, fret, frets) for tops in heights.values()]
        for fret in sorted(frets)
        if 1 <= fret <= len(xs)
    }
    if up:
        return lifted(found, {fret: max(0.0, -sum(mm) / len(mm)) for fret, mm in over.items()}), 0.0
    offs = {
        lane: [max(0.0, over[fret][i]) if fret in over else 0.0 for fret in range(1, len(xs) + 1)]
        for i, lane in enumerate(heights)
    }
    after = _off(found, offs)
    return after, after.taken_mm - found.taken_mm


def _over(xs: Sequence[float], tops: Sequence[float], fret: int, these: Collection[int]) -> float:
    """How far a top stands over the line through the nearest on either side that are not worked on."""
    others = [n for n in range(1, len(xs) + 1) if n not in these]
    below, above = [n for n in others if n < fret][-2:], [n for n in others if n > fret][:2]
    pair = [below[-1], above[0]] if below and above else (below or above)
    if len(pair) < 2:
        return 0.0
    (x1, y1), (x2, y2) = ((xs[n - 1], tops[n - 1]) for n in pair)
    return tops[fret - 1] - (y1 + (y2 - y1) * (xs[fret - 1] - x1) / (x2 - x1))


@dataclass(frozen=True, slots=True)
class CutTo:
    """What a plan cuts a lane down to: the heights that it was made from, its line's offset (mm) and slope, the drops,
    and the only frets that it cuts (None: all that stand over).
    """

    heights_mm: Sequence[float | None]
    offset_mm: float
    slope: float
    drops_mm: Sequence[float]
    only: frozenset[int] | None = None


def cut_to_plan(found: PracticeNeck, lanes: Mapping[str, CutTo]) -> tuple[PracticeNeck, Deed]:
    """Carry a plan out with a steady hand: its line lies on this neck where its readings lie best on the true tops."""
    xs = np.array(found.neck.positions)
    offs = {}
    for lane, cut in lanes.items():
        true = np.array(found.now.heights()[lane])
        read = np.array([np.nan if mm is None else mm for mm in cut.heights_mm])
        there = ~np.isnan(read)
        slope, offset = np.polyfit(xs[there], (true - read)[there], 1)
        target = cut.offset_mm + cut.slope * xs - np.array(cut.drops_mm) + offset + slope * xs
        off = np.maximum(true - target, 0.0)
        if cut.only is not None:
            off = np.where([n in cut.only for n in range(1, len(xs) + 1)], off, 0.0)
        offs[lane] = [float(mm) for mm in off]
    after = _off(found, offs)
    return after, Deed("plan", off_mm=after.taken_mm - found.taken_mm)


def replaced(found: PracticeNeck, frets: Collection[int]) -> PracticeNeck:
    """With new wire in some slots, home, as even as new wire comes."""
    tops = {
        lane: tuple(0.0 if n in frets else top for n, top in enumerate(row, 1)) for lane, row in found.neck.tops.items()
    }
    taken = {lane: tuple(0.0 if n in frets else mm for n, mm in enumerate(row, 1)) for lane, row in found.taken.items()}
    return replace(found, neck=replace(found.neck.reseat(list(frets)), tops=tops), taken=taken)


# --- what it was worth


@dataclass(frozen=True, slots=True)
class WholeScore:
    """Of 100: how level it ends, settled and with every fret home, the metal and the seconds against the program's.

    `least_mm` is what the level programme takes off the truth, the neck straight, every fret home or lifted as pays.
    """

    points: int
    band_mm: float
    bow_mm: float
    taken_mm: float
    program_mm: float
    wasted_mm: float
    bowed_mm: float
    least_mm: float
    seconds: float
    program_seconds: float
    program_points: int


def score(
    truth: PracticeNeck, end: PracticeNeck, seconds: float, program_end: PracticeNeck, program_seconds: float
) -> WholeScore:
    """What a job was worth that began on one neck and ended on another, against the program's own play."""
    least = _least(truth)
    return WholeScore(
        _points(end, seconds, program_end.taken_mm, program_seconds),
        end.band_mm,
        end.rod.settled_mm,
        end.taken_mm,
        program_end.taken_mm,
        end.wasted_mm,
        end.bowed_mm,
        least,
        seconds,
        program_seconds,
        _points(program_end, program_seconds, program_end.taken_mm, program_seconds),
    )


def _least(truth: PracticeNeck) -> float:
    """What the level programme takes with the neck straight, every fret home, low ones lifted where that pays, mm."""
    neck = replace(truth.settled, bow_mm=0.0)
    flat, crowns = (0.0,) * neck.frets, (CROWN_MM,) * neck.frets
    request = LevelRequest(
        tuple(neck.positions),
        neck.heights(),
        flat,
        frozenset(),
        "least_metal",
        crowns,
        least_height(CROWN_MM),
        0.0,
        ROCK_MM,
    )
    return plan_level(request).options[0].total_mm


def _points(end: PracticeNeck, seconds: float, their_mm: float, their_seconds: float) -> int:
    spoiled = end.rod.forced or end.neck.unseated
    flat = 0.0 if spoiled else fading(end.band_mm, LEVEL_MM, OFF_MM)
    return work_points(flat, end.taken_mm, their_mm, seconds, their_seconds)


# --- as it is kept


def as_json(one: PracticeNeck | Deed) -> dict[str, Any]:
    """As it is kept."""
    kept = asdict(one)
    if isinstance(one, PracticeNeck):
        kept["neck"]["unseated"] = {str(fret): mm for fret, mm in one.neck.unseated.items()}
    return kept


def neck_from(kept: Mapping[str, Any]) -> PracticeNeck:
    """A neck as it was kept."""

    def lanes(values: Mapping[str, Sequence[float]]) -> dict[str, tuple[float, ...]]:
        return {lane: tuple(row) for lane, row in values.items()}

    true = kept["neck"]
    unseated = {int(fret): mm for fret, mm in true["unseated"].items()}
    neck = SimulatedNeck(**{**true, "tops": lanes(true["tops"]), "unseated": unseated})
    rest = {name: kept[name] for name in ("wasted_mm", "bowed_mm")}
    return PracticeNeck(neck, RodNeck(**kept["rod"]), lanes(kept["since_ink"]), lanes(kept["taken"]), **rest)


def deed_from(kept: Mapping[str, Any]) -> Deed:
    """A deed as it was kept."""
    what = cast("What", kept["what"])
    return Deed(**{**kept, "what": what, "frets": tuple(kept["frets"]), "lanes": tuple(kept["lanes"])})
