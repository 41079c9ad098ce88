"""`rocker`: which frets explain what rocked, lane by lane."""

from typing import Any

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.rocker import Observation, RockerLane, rocker_lane
from deft_bench.core.frets.rocker_call import rocker_call
from deft_bench.formats.calc.fields import FRETS, SCALE, call_fields, listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "The smallest sets of proud and low frets that explain a rocker survey, and the test that would settle it"

_OBSERVATION = {
    "type": "object",
    "properties": {
        "lane": {"type": "string", "enum": list(LANES)},
        "frets": {"type": "array", "items": FRETS, "minItems": 3, "maxItems": 3},
        "rocks": {"type": "boolean"},
    },
    "required": ["lane", "frets", "rocks"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "frets": {**FRETS, "minimum": 3},
        "tolerance_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 0.5, "default": 0.02},
        "observations": {"type": "array", "items": _OBSERVATION, "minItems": 1, "maxItems": 2000},
        "planned_drop_mm": listed({"type": "number", "minimum": 0, "maximum": 5}),
    },
    ["scale_mm", "frets", "observations"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request. `sure` lists frets that every smallest explanation displaces, negative where low."""
    frets, drop = asked["frets"], asked.get("planned_drop_mm")
    lines = []
    for i, seen in enumerate(asked["observations"]):
        a, b, c = seen["frets"]
        if (b, c) != (a + 1, a + 2) or c > frets:
            lines.append(f"observations[{i}].frets: must be three neighbours in order, up to fret {frets}")
    if drop is not None and len(drop) != frets:
        lines.append(f"planned_drop_mm: must hold one entry a fret, {frets} in all")
    if lines:
        raise RequestError(lines)
    positions = fret_positions(asked["scale_mm"], frets)
    lanes: dict[str, RockerLane] = {}
    taken: dict[str, int] = {}
    for lane in LANES:
        seen_here = [
            Observation((seen["frets"][0], seen["frets"][1], seen["frets"][2]), seen["rocks"])
            for seen in asked["observations"]
            if seen["lane"] == lane
        ]
        if seen_here:
            lanes[lane] = rocker_lane(positions, seen_here, asked.get("tolerance_mm", 0.02), drop)
            taken[lane] = len({seen.frets for seen in seen_here})
    return {
        "lanes": {lane: _lane(found) for lane, found in lanes.items()},
        "call": call_fields(rocker_call(lanes, taken, frets)),
    }


def _lane(found: RockerLane) -> dict[str, Any]:
    return {
        "kind": found.kind,
        "explanations": [
            {
                "proud": {str(fret): mm for fret, mm in sorted(explanation.proud.items())},
                "low": {str(fret): mm for fret, mm in sorted(explanation.low.items())},
            }
            for explanation in found.explanations
        ],
        "more": found.more,
        "sure": [fret * sign for fret, sign in sorted(found.sure)],
        "next_test": list(found.next_test) if found.next_test else None,
        "contradictions": [list(triple) for triple in found.contradictions],
        "against_plan": [list(triple) for triple in found.against_plan],
    }
