"""`level-plan`: what to take off each fret, what lifting one would save, and what is left."""

from typing import Any

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.calls import Call
from deft_bench.core.frets.crown import tallest
from deft_bench.core.frets.heights import LANES, Fall, Heights
from deft_bench.core.frets.level_call import level_call
from deft_bench.core.frets.levelling import (
    LanePlan,
    LevelOption,
    LevelPlan,
    LevelRequest,
    least_height,
    plan_level,
)
from deft_bench.core.neck.straightness import straightness_call
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey_figures import bow_of_tops
from deft_bench.formats.calc.fields import FRETS, HEIGHT, NOT_NEGATIVE, POSITIVE, SCALE, call_fields, listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "The level plan at the least metal: removal in every lane, what lifting saves, height left, the call"

FALL_AWAY = {
    "type": "object",
    "properties": {"from_fret": FRETS, "drop_mm": {"type": "number", "minimum": 0, "maximum": 10}},
    "required": ["from_fret", "drop_mm"],
    "additionalProperties": False,
}
SCHEMA = request(
    {
        "scale_mm": SCALE,
        "frets": {**FRETS, "minimum": 2},
        "divisions": {"type": "integer", "minimum": 5, "maximum": 60, "default": 12},
        "heights_mm": {
            "type": "object",
            "properties": {lane: listed(HEIGHT) for lane in LANES},
            "additionalProperties": False,
            "minProperties": 1,
        },
        "fall_away": FALL_AWAY,
        "left_out": listed(FRETS, least=0),
        "objective": {"type": "string", "enum": ["least_metal", "least_worst"], "default": "least_metal"},
        "fret_height_mm": {
            "type": ["number", "array"],
            "exclusiveMinimum": 0,
            "maximum": 10,
            "items": {"type": "number", "exclusiveMinimum": 0, "maximum": 10},
        },
        "crown_heights_mm": {
            "type": "object",
            "properties": {
                lane: listed({"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 10}) for lane in LANES
            },
            "additionalProperties": False,
        },
        "least_fret_height_mm": NOT_NEGATIVE,
        "polish_loss_mm": {"type": "number", "minimum": 0, "maximum": 1, "default": 0.01},
        "rock_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 0.5, "default": ShopSettings().rock_mm},
        "crown_width_mm": {**POSITIVE, "maximum": 10},
    },
    ["scale_mm", "frets", "heights_mm", "fret_height_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `lanes`, `height_left_mm`, `below_least` and `land_mm` are of level-all."""
    plan = plan_level(level_request(asked))
    level_all = plan.level_all
    return {
        "lanes": {lane: _lane(found) for lane, found in level_all.lanes.items()},
        "total_mm": level_all.total_mm,
        "worst_mm": level_all.worst_mm,
        "height_left_mm": plan.height_left(),
        "below_least": plan.below_least(),
        "twist_mm": plan.twist_mm(),
        "land_mm": plan.lands(),
        "options": [_option(option) for option in plan.offered],
        "call": call_fields(_call(plan)),
    }


def _call(plan: LevelPlan) -> Call:
    """The call on the frets; on the neck's bow first, where the tops lie off straight."""
    shaped: dict[str, Heights] = {
        lane: [None if h is None else h + drop for h, drop in zip(heights, plan.request.drops_mm, strict=True)]
        for lane, heights in plan.request.heights.items()
    }
    tops = bow_of_tops(shaped, list(plan.request.positions_mm))
    return straightness_call(tops) if tops is not None and not tops.frets_can_be_judged else level_call(plan)


def crown_problems(field: str, height_mm: float | None, width_mm: float | None) -> list[str]:
    """What is wrong with a crown taller than its arc can be; nothing where one of the two is not said."""
    if height_mm is None or width_mm is None or height_mm <= tallest(width_mm):
        return []
    return [f"{field}: {height_mm:g} is too tall for a crown {width_mm:g} wide: at most half of it + 0.3"]


def drops_asked(asked: dict[str, Any], positions_mm: list[float]) -> list[float]:
    """How far under straight `fall_away` leaves each fret, mm; raises RequestError where it cannot begin there."""
    if "fall_away" not in asked:
        return [0.0] * len(positions_mm)
    try:
        return list(Fall(asked["fall_away"]["from_fret"], asked["fall_away"]["drop_mm"]).drops(positions_mm))
    except ValueError as error:
        raise RequestError([f"fall_away.from_fret: {error}"]) from None


def level_request(asked: dict[str, Any]) -> LevelRequest:
    """The core's request from a checked JSON one; raises RequestError where fields contradict each other."""
    frets = asked["frets"]
    positions = fret_positions(asked["scale_mm"], frets, asked.get("divisions", 12))
    heights = asked["fret_height_mm"]
    over = [
        f"left_out[{i}]: fret {fret} is not on this board"
        for i, fret in enumerate(asked.get("left_out", []))
        if fret > frets
    ]
    if isinstance(heights, list) and len(heights) != frets:
        over.append(f"fret_height_mm: must be one number, or one entry a fret, {frets} in all")
    over += [
        f"crown_heights_mm.{lane}: must hold one entry a fret, {frets} in all; null where the crown was not read"
        for lane, read in asked.get("crown_heights_mm", {}).items()
        if len(read) != frets
    ]
    if over:
        raise RequestError(over)
    per_fret = tuple(map(float, heights)) if isinstance(heights, list) else (float(heights),) * frets
    width = asked.get("crown_width_mm")
    if lines := crown_problems("fret_height_mm", max(per_fret), width):
        raise RequestError(lines)
    drops = drops_asked(asked, positions)
    try:
        return LevelRequest(
            positions_mm=tuple(positions),
            heights={lane: asked["heights_mm"][lane] for lane in LANES if lane in asked["heights_mm"]},
            drops_mm=tuple(drops),
            left_out=frozenset(asked.get("left_out", [])),
            objective=asked.get("objective", "least_metal"),
            fret_height_mm=per_fret,
            least_height_mm=asked.get("least_fret_height_mm", least_height(max(per_fret))),
            polish_loss_mm=asked.get("polish_loss_mm", ShopSettings().polish_loss_mm),
            rock_mm=asked.get("rock_mm", ShopSettings().rock_mm),
            crown_width_mm=width,
            crown_heights_mm=asked.get("crown_heights_mm", {}),
        )
    except ValueError as error:
        raise RequestError([str(error)]) from None


def _lane(plan: LanePlan) -> dict[str, Any]:
    return {
        "offset_mm": plan.offset_mm,
        "slope_mm_per_m": plan.slope * 1000,
        "removal_mm": plan.removal_mm,
        "total_mm": plan.total_mm,
        "worst_mm": plan.worst_mm,
    }


def _option(option: LevelOption) -> dict[str, Any]:
    return {
        "lift": option.lift,
        "total_mm": option.total_mm,
        "saves_mm": option.saves_mm,
        "worst_mm": option.worst_mm,
        "leave_low": option.leave,
        "raise_mm": option.raise_mm,
        "lanes": {lane: _lane(found) for lane, found in option.lanes.items()},
    }
