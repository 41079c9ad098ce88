"""`truss-rod`: how this rod has answered, the next turn, and when to stop."""

from typing import Any

from deft_bench.core.neck.truss_rod import CHANGE_SD_MM, PRIOR_MM, PRIOR_SD, STEP_LIMIT, Turn, truss_rod
from deft_bench.formats.calc.fields import request

ABOUT = "The next truss-rod turn from relief now and wanted, with this rod's own response, or a stop"

_RELIEF = {"type": "number", "minimum": -5, "maximum": 5}
_TURN = {
    "type": "object",
    "properties": {
        "turns": {"type": "number", "minimum": -3, "maximum": 3, "not": {"const": 0}},
        "before_mm": _RELIEF,
        "after_mm": _RELIEF,
    },
    "required": ["turns", "before_mm", "after_mm"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "relief_now_mm": _RELIEF,
        "relief_target_mm": _RELIEF,
        "rod": {"type": "string", "enum": ["single", "dual", "none"]},
        "turns": {"type": "array", "items": _TURN, "maxItems": 200},
        "prior_mm_per_turn": {"type": "number", "exclusiveMinimum": 0, "maximum": 5, "default": PRIOR_MM},
        "prior_sd": {"type": "number", "exclusiveMinimum": 0, "maximum": 5, "default": PRIOR_SD},
        "change_sd_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 1, "default": CHANGE_SD_MM},
        "step_limit_turns": {"type": "number", "minimum": 0.125, "maximum": 1, "default": STEP_LIMIT},
        "slack": {"type": "boolean"},
    },
    ["relief_now_mm", "relief_target_mm", "rod"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; turns are positive where they tighten, `total_turns` is null when the rod is to be left
    alone.
    """
    found = truss_rod(
        asked["relief_now_mm"],
        asked["relief_target_mm"],
        asked["rod"],
        [Turn(turn["turns"], turn["before_mm"], turn["after_mm"]) for turn in asked.get("turns", [])],
        prior_mm=asked.get("prior_mm_per_turn", PRIOR_MM),
        prior_sd=asked.get("prior_sd", PRIOR_SD),
        change_sd_mm=asked.get("change_sd_mm", CHANGE_SD_MM),
        step_limit=asked.get("step_limit_turns", STEP_LIMIT),
        slack=asked.get("slack", False),
    )
    return {
        "mm_per_turn": found.mm_per_turn,
        "mm_per_turn_sd": found.mm_per_turn_sd,
        "turn": found.turn,
        "total_turns": found.total_turns,
        "next_turn": found.next_turn,
        "warnings": list(found.warnings),
    }
