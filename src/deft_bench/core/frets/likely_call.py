"""The call of a level job: what the likely neck says to do, and the exact plan that carries it out.

The likely neck chooses the action and says how sure it is; the linear programme of `levelling` says what it comes to.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.calls import Call, Instead, Length, frets_named, in_mm
from deft_bench.core.evidence.actions import Action, Spread, marked_metal
from deft_bench.core.evidence.judged import Judged
from deft_bench.core.evidence.words import action_line, action_said, next_words, range_words, reasons
from deft_bench.core.frets.heights import fair_line
from deft_bench.core.frets.level_call import REFRET_SHARE, Said, level_said, lift_said, option_to_call, reseat_said
from deft_bench.core.frets.levelling import LevelOption, LevelPlan, local_option, option_of, taken_down
from deft_bench.core.limits import SEATING_GAP_MM

LOCAL = ("spot", "marked", "fall_away")
"""Actions that take down some frets and leave the others as their measure."""


@dataclass(frozen=True, slots=True)
class LikelyCall:
    """The call, the action behind it, and the option of the plan that carries it out."""

    call: Call
    action: Action
    chosen: LevelOption


def likely_call(
    judged: Judged,
    plan: LevelPlan,
    daylight_mm: Mapping[int, float],
    home: Collection[int] = (),
    past_levels_mm: Sequence[float] = (),
    *,
    seated_with: str = "",
    length: Length = in_mm,
) -> LikelyCall:
    """The call on a neck that was judged. `daylight_mm` are gaps that were found under crowns, by fret; `home` frets
    that were checked and found home; `seated_with` names how the frets were seated, if recorded.
    """
    found = judged.compared.actions
    action = found[0]
    if judged.call.do == "read_more" and action.do != "read_more":
        action = replace(action, do="read_more", frets=())
    chosen = _option(plan, action)
    because = reasons(judged.compared, action, judged.slips, judged.covered, length)
    if home:
        every = len(home) >= len(plan.request.positions_mm)
        because.append(f"Checked and found home: {'all frets' if every else frets_named(sorted(home))}.")
    if seated_with and action.do in ("check_seating", "reseat"):
        because.append(f"The frets were seated with {seated_with}.")
    others = [_instead(one, found[0], length) for one in found if one is not found[0] and one.do != "read_more"][:4]
    said = _said(judged, action, chosen, plan, daylight_mm, because, others, past_levels_mm, length)
    say, do, figures, instead, settle = said
    total = {"total_mm": chosen.total_mm, "worst_mm": chosen.worst_mm, "level_all_total_mm": plan.level_all.total_mm}
    chances = {"chance": action.best, "passes": action.passes}
    helps = next_words(judged.next)
    settled = f"{helps[0].upper()}{helps[1:]}." if helps else settle
    figures = {**total, **chances, **figures}
    call = Call(say, do, figures, tuple(because), tuple(instead), judged.sure, settled)
    return LikelyCall(call, action, chosen)


def _option(plan: LevelPlan, action: Action) -> LevelOption:
    """The option of the exact plan that does what an action says."""
    if action.do in ("lift", "partial_refret") and len(action.frets) <= REFRET_SHARE * len(plan.request.positions_mm):
        return option_of(plan, action.frets)
    if action.do == "fall_away" and action.frets:
        return local_option(plan, action.frets)
    if action.do in LOCAL and action.frets:
        return _marked_option(plan, action.frets)
    if action.do == "level":
        return next(option for option in plan.options if not option.lift)
    return option_to_call(plan)


def _marked_option(plan: LevelPlan, frets: Sequence[int]) -> LevelOption:
    """Only the named frets, each down to the line of its neighbours, as the rocker shows them."""
    lanes = {}
    for lane in plan.request.heights:
        bounds = plan.request.bounds(lane)
        x, g = (np.array(column, dtype=float) for column in zip(*((x, g) for _, x, g in bounds), strict=True))
        offset, slope = fair_line([(x, g) for _, x, g in bounds])
        over = marked_metal(g[None, None], x, (offset + slope * x)[None, None])[0, 0]
        off = {fret: float(mm) if fret in frets else 0.0 for (fret, _, _), mm in zip(bounds, over, strict=True)}
        lanes[lane] = offset, slope, off
    return taken_down(plan, lanes)


def look_under(frets: Sequence[int], length: Length) -> str:
    """How frets that may sit loose are looked under."""
    return (
        f"A {length(SEATING_GAP_MM)} blade under the crown of {frets_named(list(frets))}, at both ends and the middle."
    )


def _instead(action: Action, best: Action, length: Length) -> Instead:
    fails = (
        f"; the gate fails in {round(100 * (1 - action.passes))} of 100" if action.passes < best.passes - 0.1 else ""
    )
    return Instead(action_line(action), f"{range_words(action.worst_mm, length)}{fails}")


def _said(
    judged: Judged,
    action: Action,
    chosen: LevelOption,
    plan: LevelPlan,
    daylight_mm: Mapping[int, float],
    because: list[str],
    others: list[Instead],
    past_levels_mm: Sequence[float],
    length: Length,
) -> Said:
    do = action.do
    say = action_said(action, judged.covered, length)
    if do in ("read_more", "leave", "straighten"):
        look = "Straightness on the bare wood with a notched straightedge." if do == "straighten" else None
        return say, {"read_more": "read_on", "leave": "none"}.get(do, do), {}, [] if do == "read_more" else others, look
    if do == "check_seating":
        look = look_under(action.frets, length)
        figures = {"frets": float(len(action.frets))}
        return say, do, figures, others, look
    if do == "reseat":
        gaps = {fret: daylight_mm.get(fret, 0.0) for fret in action.frets}
        return reseat_said(gaps, chosen, because, others, length)
    if do == "lift":
        return lift_said(chosen, plan.level_all, because, others, length)
    if do == "partial_refret":
        return _replace_said(action, plan, others, length)
    if do in LOCAL:
        exact = replace(action, worst_mm=Spread(chosen.worst_mm, chosen.worst_mm, chosen.worst_mm))
        return action_said(exact, judged.covered, length), "level", {}, others, None
    return level_said(plan, chosen, past_levels_mm, because, others, length)


def _replace_said(action: Action, plan: LevelPlan, others: list[Instead], length: Length) -> Said:
    of, least = len(plan.request.positions_mm), length(plan.request.least_height_mm)
    figures = {"below": float(len(action.frets))}
    if len(action.frets) > REFRET_SHARE * of:
        say = f"Refret: {len(action.frets)} of {of} frets would end under {least}."
        return say, "refret", figures, others, None
    say = f"Replace {frets_named(list(action.frets))}, then level: they would end under {least}."
    return say, "partial_refret", figures, others, None
