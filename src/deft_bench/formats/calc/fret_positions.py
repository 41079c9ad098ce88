"""`fret-positions`: where the frets go, and what a rule makes of it."""

from itertools import accumulate, pairwise
from typing import Any

from deft_bench.core.board.positions import RuleStep, fret_position, marks
from deft_bench.core.board.positions import fret_positions as positions_of
from deft_bench.formats.calc.fields import DIVISIONS, FRETS, POSITIVE, SCALE, listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "Fret positions from the nut, nearest marks on a rule, and what chaining the marks would cost"

_STEP = {
    "type": "object",
    "properties": {"to_mm": POSITIVE, "step_mm": POSITIVE},
    "required": ["to_mm", "step_mm"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "frets": FRETS,
        "divisions": DIVISIONS,
        "rule_steps": listed(_STEP, most=20),
        "rule_step_mm": POSITIVE,
        "read_fraction": {"type": "number", "exclusiveMinimum": 0, "maximum": 1, "default": 1},
    },
    ["scale_mm", "frets"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; positions and errors have one entry a fret, fret 1 first."""
    scale = asked["scale_mm"]
    positions = positions_of(scale, asked["frets"], asked.get("divisions", 12))
    found: dict[str, Any] = {
        "positions_mm": positions,
        "spacing_mm": [after - before for before, after in pairwise([0.0, *positions])],
        "half_scale_mm": fret_position(scale, 12),
    }
    steps = _steps(asked)
    if steps:
        field = "rule_steps" if "rule_steps" in asked else "rule_step_mm"
        try:
            on_rule = marks(scale, positions, steps, asked.get("read_fraction", 1.0))
        except ValueError as error:
            raise RequestError([f"{field}: {error}"]) from None
        from_nut = [mark.readable_mm / 2 for mark in on_rule]
        found |= {
            "marks_mm": [mark.mark_mm for mark in on_rule],
            "mark_error_cents": [mark.error_cents for mark in on_rule],
            "worst_error_from_nut_mm": from_nut,
            "worst_error_chained_mm": list(accumulate(from_nut)),
        }
    return found


def _steps(asked: dict[str, Any]) -> list[RuleStep]:
    if "rule_steps" in asked and "rule_step_mm" in asked:
        raise RequestError(["rule_step_mm: give rule_steps or rule_step_mm, not both"])
    if "rule_step_mm" in asked:
        return [RuleStep(asked["scale_mm"], asked["rule_step_mm"])]
    steps = [RuleStep(step["to_mm"], step["step_mm"]) for step in asked.get("rule_steps", [])]
    for i, (before, after) in enumerate(pairwise(steps), start=1):
        if after.to_mm <= before.to_mm:
            raise RequestError([f"rule_steps[{i}].to_mm: must be more than the entry before it"])
    if not steps and "read_fraction" in asked:
        raise RequestError(["read_fraction: needs a rule: give rule_steps or rule_step_mm"])
    return steps
