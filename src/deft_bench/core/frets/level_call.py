"""The judgement on a level plan: seat first, lift before levelling, level, or replace what has no metal left.

The order is that of docs/methods/level-call.md: look for the cheap cause first, and never take metal for a fault that
costs none to cure.
"""

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.calls import Call, Instead, Length, Sure, frets_named, in_mm, listed, listed_words
from deft_bench.core.frets.heights import LANES, Heights, deviations, rocking_share
from deft_bench.core.frets.levelling import (
    LevelOption,
    LevelPlan,
    band_width,
    marked_frets,
    marked_option,
    most_removed,
)
from deft_bench.core.limits import MOST_RESEAT_MM, MOST_SHIM_MM, PROUD_MM, SEATING_GAP_MM

ROCKING_SHARE = 1 / 3
REFRET_SHARE = 1 / 3
CLUSTER = 3
ENOUGH_OF_LANE = 3 / 4
"""The share of a lane's frets that make it a survey of that lane."""


@dataclass(frozen=True, slots=True)
class Seating:
    """Signs that frets are out of their slots rather than uneven on top."""

    every_lane: tuple[int, ...]
    cluster: tuple[int, ...]
    rocking_lanes: tuple[str, ...]
    over_both: tuple[int, ...] = ()

    @property
    def frets(self) -> list[int]:
        """The frets that are named; none where it only rocks nearly everywhere."""
        return sorted({*self.every_lane, *self.over_both, *self.cluster})

    def __bool__(self) -> bool:
        return bool(self.frets or self.rocking_lanes)


@dataclass(frozen=True, slots=True)
class Budget:
    """Fret height left after an option, and what that allows; lengths mm, frets numbered from 1."""

    left_mm: tuple[float, ...]
    shortest_fret: int
    shortest_mm: float
    least_mm: float
    per_level_mm: float
    further_levels: int


def metal_budget(plan: LevelPlan, option: LevelOption, past_levels_mm: Sequence[float] = ()) -> Budget:
    """What is left in the frets, and how many further levels that allows at this neck's own past rate.

    `past_levels_mm` is the most that each earlier level took off any one fret; without any, this plan's own is used,
    never less than one polish loss and one rock.
    """
    left = plan.height_left(option)
    shortest = min(range(len(left)), key=lambda i: left[i])
    own_rate = sum(past_levels_mm) / len(past_levels_mm) if past_levels_mm else option.worst_mm
    rate = max(own_rate, plan.request.rock_mm) + plan.request.polish_loss_mm
    spare = left[shortest] - plan.request.least_height_mm
    return Budget(
        tuple(left),
        shortest + 1,
        left[shortest],
        plan.request.least_height_mm,
        rate,
        max(0, math.floor(spare / rate + 1e-9)),
    )


def seating_signs(plan: LevelPlan, home: Collection[int] = ()) -> Seating:
    """Frets proud in all three lanes or over both neighbours in all three, a run of three or more proud in one lane, or
    rocking nearly everywhere; not those in `home`, which were checked.
    """
    request = plan.request
    proud: dict[str, set[int]] = {}
    over: dict[str, set[int]] = {}
    rocking = []
    for lane, heights in request.heights.items():
        above = deviations(request.positions_mm, heights)
        proud[lane] = {
            fret for fret, d in enumerate(above, 1) if d is not None and d >= PROUD_MM and fret not in request.left_out
        }
        over[lane] = _over_neighbours(request.positions_mm, heights) - request.left_out
        if rocking_share(request.positions_mm, heights, request.rock_mm) > ROCKING_SHARE:
            rocking.append(lane)
    every = set.intersection(*proud.values()) if set(LANES) <= proud.keys() else set()
    both = set.intersection(*over.values()) if set(LANES) <= over.keys() else set()
    cluster = {
        fret
        for frets in proud.values()
        for fret in frets
        if any(set(range(start, start + CLUSTER)) <= frets for start in range(fret - CLUSTER + 1, fret + 1))
    }
    all_home = len(set(home) | request.left_out) >= len(request.positions_mm)
    everywhere = rocking if len(rocking) == len(request.heights) and not all_home else []
    every, both, cluster = every - set(home), both - set(home), cluster - set(home)
    found = every | both
    return Seating(tuple(sorted(every)), tuple(sorted(cluster - found)), tuple(everywhere), tuple(sorted(both - every)))


def _of_all(plan: LevelPlan, frets: Collection[int]) -> str:
    return "all frets" if len(frets) >= len(plan.request.positions_mm) else frets_named(sorted(frets))


def _over_neighbours(positions_mm: Sequence[float], heights: Heights) -> set[int]:
    """Frets that stand PROUD_MM or more over each neighbour, wherever the lane's line runs. The chord between the ends
    takes the tilt of the reference out: a fair line may lie along one side of a bow.
    """
    read = [(x, height) for x, height in zip(positions_mm, heights, strict=True) if height is not None]
    if len(read) < CLUSTER:
        return set()
    (x_first, first), (x_last, last) = read[0], read[-1]
    tilt = (last - first) / (x_last - x_first)
    level = [None if h is None else h - tilt * x for x, h in zip(positions_mm, heights, strict=True)]
    return {
        i + 1
        for i in range(1, len(level) - 1)
        if (here := level[i]) is not None
        and all(beside is not None and here - beside >= PROUD_MM - 1e-9 for beside in (level[i - 1], level[i + 1]))
    }


def option_to_call(plan: LevelPlan) -> LevelOption:
    """The best option that a person would carry out: a fret is lifted only by a gap that counts (0.03 mm) or more."""
    for option in plan.options:
        counts = min((option.raise_mm[fret] for fret in option.lift), default=SEATING_GAP_MM)
        if not (option.lift or option.leave) or (option.saves_mm > 0 and counts >= SEATING_GAP_MM - 1e-9):
            return option
    return plan.level_all


def raised_by(mm: float) -> str:
    """How a fret comes up so far: `reseat`, `shim` or `replace`."""
    return "reseat" if mm <= MOST_RESEAT_MM + 1e-9 else "shim" if mm <= MOST_SHIM_MM + 1e-9 else "replace"


def level_call(
    plan: LevelPlan,
    *,
    home: Collection[int] = (),
    resolution_mm: float = 0.01,
    past_levels_mm: Sequence[float] = (),
    daylight_mm: Mapping[int, float] | None = None,
    seated_with: str = "",
    length: Length = in_mm,
) -> Call:
    """The one sentence on a plan by its numbers alone: what to do next, with its number, its alternatives and its
    reasons. It is never certain: how sure it is the likely neck counts (`likely_call`), which jobs are called by.

    `home` are the frets that were checked and found home: they are no suspects, and the call goes on to the next cause.
    `daylight_mm` are gaps that a seating survey found under crowns, by fret; `seated_with` names how the frets were
    seated, if recorded.
    """
    level_all, best = plan.level_all, option_to_call(plan)
    seating = seating_signs(plan, home)
    daylight_mm = {fret: mm for fret, mm in (daylight_mm or {}).items() if fret not in home}
    below = plan.below_least(best)
    unread, sure, settle = _certainty(plan)
    because = [_readings_named(plan, resolution_mm, length)]
    because += [f"Not read: {unread}."] * bool(unread)
    because += [f"Checked and found home: {_of_all(plan, home)}."] * bool(home)
    others = _other_ways(plan, best, length)

    def call(say: str, do: str, figures: dict[str, float], instead: Sequence[Instead], settle_by: str | None) -> Call:
        total = {"total_mm": best.total_mm, "worst_mm": best.worst_mm, "level_all_total_mm": level_all.total_mm}
        return Call(say, do, {**total, **figures}, tuple(because), tuple(instead), sure, settle_by or settle)

    lanes = [
        [(x, g) for fret, x, g in plan.request.bounds(lane) if fret not in best.leave] for lane in plan.request.heights
    ]
    band = max(band_width(points) for points in lanes)
    straight = band <= plan.request.rock_mm + 1e-9
    if lacks := _too_few(plan, straight=straight):
        return call(f"Read on before any call: {lacks} frets read.", "read_on", {}, (), None)
    if straight:
        low = f", and {frets_named(list(best.leave))} low as fall-away" if best.leave else ""
        within = length(max(band / 2, resolution_mm))
        say = f"Nothing to level: every fret lies within {within} of one straight line{low}."
        return call(say, "none", {}, (), None)
    if seated_with and (daylight_mm or seating):
        because.append(f"The frets were seated with {seated_with}.")
    if daylight_mm:
        return call(*reseat_said(daylight_mm, best, because, others, length))
    if seating:
        return _seating_call(plan, seating, because, others, best, sure, length)
    if below:
        # lifting is no cure where it leaves frets without metal all the same
        return call(*_replace(plan, best, below, because, others, length), None)
    because.append(_sum_said(best, length))
    if best.lift:
        if sure == "likely" and min(best.raise_mm.values()) < SEATING_GAP_MM + resolution_mm - 1e-9:
            sure = "unsure"
            because.append("That is hardly more than the tool can tell.")
        return call(*lift_said(best, level_all, because, others, length))
    return call(*level_said(plan, best, past_levels_mm, because, others, length))


def _other_ways(plan: LevelPlan, best: LevelOption, length: Length) -> list[Instead]:
    """The other options with what each takes, and the marked frets only where that takes less."""
    others = [_option_line(option, length) for option in plan.options if option is not best]
    if not best.lift and (marked := less_by_marks(plan, best)):
        others.append(Instead(f"Take down only {frets_named(marked_frets(marked))}", metal_said(marked, length)))
    return others


def _too_few(plan: LevelPlan, *, straight: bool) -> str:
    """What a survey lacks before it can be judged, empty when it will do: a few readings show neither what is level nor
    what is not. A lane counts with three quarters of its frets read; one lane is enough to plan, not to be done with
    (`straight`: what is read shows nothing to level).
    """
    request = plan.request
    frets = [fret for fret in range(1, len(request.positions_mm) + 1) if fret not in request.left_out]
    read = {
        lane: sum(heights[fret - 1] is not None for fret in frets) if (heights := request.heights.get(lane)) else 0
        for lane in LANES
    }
    enough = [lane for lane, count in read.items() if count >= ENOUGH_OF_LANE * len(frets)]
    if enough and (len(enough) == len(LANES) or not straight):
        return ""
    return listed_words([f"{lane} {read[lane]} of {len(frets)}" for lane in LANES if lane not in enough])


LIFTS = {
    "reseat": "Little enough to be reseated",
    "shim": "Too far to reseat, a shim lifts it",
    "replace": "Farther than a shim should lift, read it again before it comes out",
}
"""What is said of how far frets come up."""
Said = tuple[str, str, dict[str, float], Sequence[Instead], str | None]
"""What a call says, its code, figures and alternatives, and what would settle it."""


def reseat_said(
    daylight_mm: Mapping[int, float], best: LevelOption, because: list[str], others: list[Instead], length: Length
) -> Said:
    """What is said where frets were seen to sit loose; adds its reason to `because`."""
    frets = sorted(daylight_mm)
    worst_gap = max(frets, key=lambda fret: daylight_mm[fret])
    because.append(f"The seating survey found {length(daylight_mm[worst_gap])} of daylight under fret {worst_gap}.")
    reseat = Instead(f"Reseat {frets_named(frets)}, then survey again", "no metal")
    say = f"Reseat {frets_named(frets)} before any metal comes off: {length(daylight_mm[worst_gap])} of daylight."
    again = f"A {length(SEATING_GAP_MM)} feeler under {frets_named(frets)} after reseating."
    figures = {"daylight_mm": daylight_mm[worst_gap]}
    return say, "reseat", figures, (reseat, _option_line(best, length), *others), again


def lift_said(
    best: LevelOption, level_all: LevelOption, because: list[str], others: list[Instead], length: Length
) -> Said:
    """What is said where frets are lifted before the level; adds its reasons to `because`."""
    frets = list(best.lift)
    under = " and ".join(f"fret {f} lies {length(best.raise_mm[f])}" for f in frets)
    because.append(f"{under[:1].upper()}{under[1:]} under the line that the others allow.")
    how = {way: [fret for fret in frets if raised_by(best.raise_mm[fret]) == way] for way in LIFTS}
    because += [f"{LIFTS[way]}: {frets_named(some)}." for way, some in how.items() if some]
    because.append(
        f"Levelling down to {frets_named(frets)} would take {length(level_all.total_mm)} of metal "
        f"instead of {length(best.total_mm)}."
    )
    look = (
        f"Daylight or a {length(SEATING_GAP_MM)} feeler under the crown of {frets_named(frets)} with the fret"
        " pressed down."
    )
    raises = {f"raise_{f}_mm": best.raise_mm[f] for f in frets}
    figures = {"saves_mm": best.saves_mm, **raises}
    lifted, new = _lifted_and_new(best)
    if not lifted:
        return f"Replace {frets_named(new)}, then level.", "partial_refret", figures, others, look
    say = f"Lift {frets_named(lifted)}{f' and replace {frets_named(new)}' if new else ''} before you level."
    return say, "lift", figures, others, look


def level_said(
    plan: LevelPlan,
    best: LevelOption,
    past_levels_mm: Sequence[float],
    because: list[str],
    others: list[Instead],
    length: Length,
) -> Said:
    """What is said of a level; adds its reasons to `because`."""
    worst_fret = max(range(len(plan.request.positions_mm)), key=lambda i: most_removed(best)[i]) + 1
    budget = metal_budget(plan, best, past_levels_mm)
    because.append(
        f"The shortest fret after it is {budget.shortest_fret}: {length(budget.shortest_mm)} high,"
        f" {length(budget.shortest_mm - budget.least_mm)} above the least worth keeping."
    )
    figures = {
        "worst_fret": float(worst_fret),
        "height_left_mm": budget.shortest_mm,
        "further_levels": float(budget.further_levels),
    }
    say = f"Level all: {length(best.worst_mm)} at the most, off fret {worst_fret}."
    if best.leave:
        ends = frets_named(list(best.leave))
        say = f"Level, and leave {ends} low: {length(best.worst_mm)} at the most, off fret {worst_fret}."
        because.append(
            f"The last frets may lie low, as fall-away: {ends}, up to {length(max(best.raise_mm.values()))} under the"
            f" line. Down to them {length(plan.level_all.total_mm)} would come off."
        )
    return say, "level", figures, others, None


def marked_call(plan: LevelPlan, option: LevelOption, full: Call, length: Length = in_mm) -> Call:
    """The call of the other school: take only what stands proud of the fair line. `full` is the call of full passes."""
    frets = marked_frets(option)
    if not frets:
        return Call(
            "Nothing stands proud by a rock that counts: leave the tops as they are.",
            "none",
            {"total_mm": 0.0},
            full.because,
            (Instead("Full passes until every fret is touched", metal_said(plan.level_all, length)),),
            full.sure,
            full.settle,
        )
    because = (
        *full.because[:1],
        (
            f"{frets_named(frets)[:1].upper()}{frets_named(frets)[1:]} stand{'s' if len(frets) == 1 else ''}"
            f" {length(plan.request.rock_mm)} or more over the fair line; the neighbours are the reference and stay."
        ),
    )
    return Call(
        f"Take down only {frets_named(frets)}: {length(option.worst_mm)} at the most.",
        "level",
        {"total_mm": option.total_mm, "worst_mm": option.worst_mm, "frets": float(len(frets))},
        because,
        (Instead("Full passes until every fret is touched", metal_said(plan.level_all, length)),),
        full.sure,
        full.settle,
    )


def _seating_call(
    plan: LevelPlan,
    seating: Seating,
    because: list[str],
    others: list[Instead],
    best: LevelOption,
    sure: Sure,
    length: Length,
) -> Call:
    frets = seating.frets
    if frets:
        say = f"Check the seating of {frets_named(frets)} before any metal comes off."
        what = []
        if seating.every_lane:
            what.append(f"{frets_named(list(seating.every_lane))}: proud in all three lanes")
        if seating.over_both:
            what.append(f"{frets_named(list(seating.over_both))}: over both neighbours in all three lanes")
        if seating.cluster:
            what.append(f"{frets_named(list(seating.cluster))}: proud side by side")
        because.append(
            "; ".join(what).capitalize()
            + f", by {length(PROUD_MM)} or more. A fret that is out of its slot looks like this."
        )
    else:
        say = "It rocks nearly everywhere: check the seating before any metal comes off."
        because.append(f"Over a third of the triples rock in {listed_words(list(seating.rocking_lanes))}.")
    costs = [Instead("Reseat what is loose, then survey again", "no metal"), _option_line(best, length), *others]
    settle = (
        f"A {length(SEATING_GAP_MM)} feeler under the crown of {frets_named(frets) if frets else 'each fret'}, at both"
        " ends and the middle."
    )
    return Call(
        say,
        "check_seating",
        {"total_mm": best.total_mm, "frets": float(len(frets))},
        tuple(because),
        tuple(costs),
        sure,
        settle,
    )


def _replace(
    plan: LevelPlan, best: LevelOption, below: list[int], because: list[str], others: list[Instead], length: Length
) -> tuple[str, str, dict[str, float], list[Instead]]:
    """What to say, do, count and offer when frets would end under the least height; adds its reason to `because`."""
    least = plan.request.least_height_mm
    left = plan.height_left(best)
    lowest = min(below, key=lambda fret: left[fret - 1])
    because.append(
        f"After levelling, {frets_named(below)} would stand under {length(least)}, the least worth keeping; "
        f"fret {lowest} would be left with {length(left[lowest - 1])}."
    )
    instead = [Instead("Level all the same", f"fret {lowest} left {length(left[lowest - 1])} high"), *others]
    figures = {"below": float(len(below)), "height_left_mm": left[lowest - 1]}
    if len(below) > REFRET_SHARE * len(plan.request.positions_mm):
        say = f"Refret: {len(below)} of {len(plan.request.positions_mm)} frets would end under {length(least)}."
        return say, "refret", figures, instead
    return f"Replace {frets_named(below)}, then level.", "partial_refret", figures, instead


def _option_line(option: LevelOption, length: Length) -> Instead:
    return Instead(option_said(option), metal_said(option, length))


def option_said(option: LevelOption) -> str:
    """An option as a line of a list: `Lift 9, then level`."""
    if option.leave:
        return f"Level, leave {listed(list(option.leave))} low as fall-away"
    if not option.lift:
        return "Level as it stands"
    lifted, new = _lifted_and_new(option)
    words = [f"lift {listed(lifted)}"] * bool(lifted) + [f"replace {listed(new)}"] * bool(new)
    return f"{' and '.join(words).capitalize()}, then level"


def _lifted_and_new(option: LevelOption) -> tuple[list[int], list[int]]:
    """The frets of an option that come up, and those that lie too far down for it and are replaced."""
    new = [fret for fret in option.lift if raised_by(option.raise_mm[fret]) == "replace"]
    return [fret for fret in option.lift if fret not in new], new


def metal_said(option: LevelOption, length: Length) -> str:
    """What an option takes, as it is felt: `0.05 mm off the worst fret, 0.01 mm on average`."""
    return f"{length(option.worst_mm)} off the worst fret, {length(option.mean_mm)} on average"


def chosen_call(
    plan: LevelPlan, option: LevelOption, called: Call, past_levels_mm: Sequence[float] = (), length: Length = in_mm
) -> Call:
    """The call for an option that was chosen instead of the one that was called: its sentence, figures and reasons."""
    because = [*called.because[:1], _sum_said(option, length)]
    others = _other_ways(plan, option, length)
    if option.lift:
        say, do, figures, instead, settle = lift_said(option, plan.level_all, because, others, length)
    else:
        say, do, figures, instead, settle = level_said(plan, option, past_levels_mm, because, others, length)
    total = {"total_mm": option.total_mm, "worst_mm": option.worst_mm, "level_all_total_mm": plan.level_all.total_mm}
    return Call(say, do, {**total, **figures}, tuple(because), tuple(instead), called.sure, settle or called.settle)


def less_by_marks(plan: LevelPlan, than: LevelOption) -> LevelOption | None:
    """Taking down the marked frets only, where that takes less metal than an option and leaves any fret better."""
    marked = marked_option(plan)
    return marked if 0 < marked.total_mm < than.total_mm - 1e-9 else None


def _sum_said(option: LevelOption, length: Length) -> str:
    return f"{length(option.total_mm)} off in all, over every place of {listed_words([*option.lanes])}."


def _readings_named(plan: LevelPlan, resolution_mm: float, length: Length) -> str:
    heights = plan.request.heights
    read = sum(h is not None for lane in heights.values() for h in lane)
    lanes = listed_words([*heights]) + (" lanes" if len(heights) > 1 else " lane")
    return f"{read} readings, {lanes}, tool good to {length(resolution_mm)}."


def _certainty(plan: LevelPlan) -> tuple[str, Sure, str | None]:
    """Which readings are missing, how sure that leaves the call, and the one that would settle most."""
    request = plan.request
    missing = {
        lane: [f for f, h in enumerate(heights, 1) if h is None and f not in request.left_out]
        for lane, heights in request.heights.items()
    }
    missing = {lane: frets for lane, frets in missing.items() if frets}
    absent = [lane for lane in LANES if lane not in request.heights]
    words = [f"{lane} {listed(frets)}" for lane, frets in missing.items()] + [f"the {lane} lane" for lane in absent]
    count = sum(map(len, missing.values()))
    settle = None
    if absent:
        settle = f"The {absent[0]} lane."
    elif missing:
        lane, frets = next(iter(missing.items()))
        settle = f"Fret {frets[0]} in the {lane} lane."
    if not missing and not absent:
        return "", "likely", None
    poor = len(absent) == 2 or count > len(request.positions_mm) * len(request.heights) / 4
    return "; ".join(words), "unsure" if poor else "likely", settle
