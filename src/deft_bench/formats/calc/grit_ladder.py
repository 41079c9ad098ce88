"""`grit-ladder`: the fewest abrasives on hand from the coarsest mark to the finish."""

from typing import Any

from deft_bench.core.frets.grit_ladder import FINISH_UM, KINDS, Abrasive, grit_ladder
from deft_bench.formats.calc.fields import listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "The fewest abrasives on hand from the coarsest mark to a finish, and the jumps that leave scratches"

_ABRASIVE = {
    "type": "object",
    "properties": {
        "kind": {"type": "string", "enum": list(KINDS)},
        "grit": {"type": "number", "exclusiveMinimum": 0, "maximum": 20000},
    },
    "required": ["kind", "grit"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "coarsest_mark_um": {"type": "number", "exclusiveMinimum": 0, "maximum": 1000},
        "start": _ABRASIVE,
        "finish": {"type": "string", "enum": list(FINISH_UM)},
        "on_hand": listed(_ABRASIVE, most=100),
        "max_ratio": {"type": "number", "exclusiveMinimum": 1, "maximum": 10, "default": 2.0},
    },
    ["finish", "on_hand"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; each step names its kind, grit, particle size and how much finer it is than what came
    before.
    """
    if ("coarsest_mark_um" in asked) == ("start" in asked):
        raise RequestError(["coarsest_mark_um: give coarsest_mark_um or start, one of the two"])
    start = asked.get("coarsest_mark_um") or _size(asked["start"], "start")
    on_hand = [Abrasive(given["kind"], given["grit"]) for given in asked["on_hand"]]
    for i, given in enumerate(asked["on_hand"]):
        _size(given, f"on_hand[{i}]")
    found = grit_ladder(start, asked["finish"], on_hand, asked.get("max_ratio", 2.0))
    return {
        "steps": [
            {"kind": rung.abrasive.kind, "grit": rung.abrasive.grit, "size_um": rung.size_um, "ratio": rung.ratio}
            for rung in found.steps
        ],
        "gaps": [{"from_um": gap.from_um, "to_um": gap.to_um, "ratio": gap.ratio} for gap in found.gaps],
        "advice": list(found.advice),
    }


def _size(given: dict[str, Any], where: str) -> float:
    try:
        return Abrasive(given["kind"], given["grit"]).size_um
    except ValueError as error:
        raise RequestError([f"{where}.grit: {error}"]) from None
