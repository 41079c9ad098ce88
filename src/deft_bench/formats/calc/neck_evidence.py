"""`neck-evidence`: the likely neck from all the evidence, what to do, how sure that is, and the next reading."""

import json
import zlib
from collections.abc import Callable, Mapping
from dataclasses import asdict
from typing import Any

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.evidence.actions import Levelling
from deft_bench.core.evidence.judged import Judged, judge
from deft_bench.core.evidence.kinds import Act, CrownHeight, Daylight, Evidence, Feeler, Heights, Ink, Rocker
from deft_bench.core.evidence.likely_neck import Neck
from deft_bench.core.evidence.prior import PRIORS
from deft_bench.core.frets.crown import land
from deft_bench.core.frets.heights import LANES
from deft_bench.formats.calc.fields import FRETS, SCALE, call_fields, listed, request
from deft_bench.formats.calc.level_plan import FALL_AWAY, crown_problems, drops_asked
from deft_bench.formats.strict_json import RequestError

ABOUT = "The likely neck from gauges, blades, rocker, ink, light and crowns: heights with spread, actions by chance"

_MM = {"type": "number", "minimum": -20, "maximum": 50}
_LENGTH = {"type": "number", "exclusiveMinimum": 0, "maximum": 20}
_LANE = {"type": "string", "enum": list(LANES)}
_SOME_FRETS = {"type": "array", "items": FRETS, "maxItems": 60}
_ONE = {
    "type": "object",
    "properties": {
        "kind": {
            "type": "string",
            "enum": [
                "heights",
                "feeler",
                "rocker",
                "ink",
                "daylight",
                "crown_height",
                "rod",
                "reseated",
                "lifted",
                "levelled",
            ],
        },
        "lane": _LANE,
        "fret": FRETS,
        "frets": _SOME_FRETS,
        "reference": {"type": "string", "enum": ["gap", "height"]},
        "resolution_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 1},
        "sd_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 1},
        "readings": {"type": "object", "patternProperties": {"^[1-9][0-9]?$": _MM}, "additionalProperties": False},
        "passes_mm": {"type": "number", "minimum": 0, "maximum": 5},
        "stops_mm": {"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 5},
        "rocks": {"type": "boolean"},
        "tolerance_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 0.5},
        "from_fret": FRETS,
        "to_fret": FRETS,
        "strokes": {"type": "integer", "minimum": 1, "maximum": 50},
        "gone": _SOME_FRETS,
        "partly": _SOME_FRETS,
        "left": _SOME_FRETS,
        "gap_mm": {"type": "number", "minimum": 0, "maximum": 1},
        "mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 3},
        "by_mm": {"type": "number", "minimum": -1, "maximum": 1},
    },
    "required": ["kind"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "frets": {**FRETS, "minimum": 3},
        "joint_fret": FRETS,
        "history": {"type": "string", "enum": list(PRIORS), "default": "played"},
        "wire_height_mm": _LENGTH,
        "crown_width_mm": _LENGTH,
        "least_fret_height_mm": _LENGTH,
        "fall_away": FALL_AWAY,
        "seed": {"type": "integer", "minimum": 0, "maximum": 2**31},
        "evidence": listed(_ONE, least=0, most=5000),
    },
    ["scale_mm", "frets", "evidence"],
    ABOUT,
)

_NEEDS = {
    "heights": ("lane", "reference", "resolution_mm", "readings"),
    "feeler": ("lane", "fret", "passes_mm", "stops_mm"),
    "rocker": ("lane", "frets", "rocks"),
    "ink": ("lane", "from_fret", "to_fret", "strokes"),
    "daylight": ("lane", "fret", "gap_mm"),
    "crown_height": ("lane", "fret", "mm"),
}


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; the same request gives the same answer: its draws are seeded by what it says."""
    frets = asked["frets"]
    lines: list[str] = []
    for i, one in enumerate(asked["evidence"]):
        lines += [f"evidence[{i}].{problem}" for problem in _problems(one, frets, asked.get("wire_height_mm"))]
    held, width = asked.get("wire_height_mm"), asked.get("crown_width_mm")
    lines += crown_problems("wire_height_mm", held, width)
    if lines:
        raise RequestError(lines)
    positions = fret_positions(asked["scale_mm"], frets)
    neck = Neck(np.array(positions), asked.get("history", "played"), asked.get("joint_fret"))
    evidence = [_READ[one["kind"]](one) for one in asked["evidence"]]
    seed = asked.get("seed", zlib.crc32(json.dumps(asked, sort_keys=True).encode()))
    levelling = Levelling(tuple(drops_asked(asked, positions)))
    found = judge(neck, evidence, held, asked.get("least_fret_height_mm"), seed, levelling=levelling)
    answered = _answer(found)
    if held is not None and width is not None:
        for one in answered["actions"]:
            one["land_mm"] = land(width, held, one["worst_mm"]["mean"])
    return answered


def _answer(found: Judged) -> dict[str, Any]:
    helps = found.next
    return {
        "heights": {
            lane: [{"mean_mm": one.mean, "low_mm": one.low, "high_mm": one.high} for one in row]
            for lane, row in zip(LANES, found.heights, strict=True)
        },
        "bow_mm": asdict(found.bow),
        "ramp_mm": asdict(found.ramp),
        "twist_mm": asdict(found.twist),
        "loose": {str(fret): chance for fret, chance in found.compared.loose.items()},
        "slips": [
            {"index": one.index, "fret": one.fret, "lane": LANES[one.lane], "chance": one.chance}
            | ({} if one.meant_mm is None else {"meant_mm": one.meant_mm})
            for one in found.slips
        ],
        "actions": [
            {
                "do": one.do,
                "frets": list(one.frets),
                "worst_mm": asdict(one.worst_mm),
                "mean_mm": one.mean_mm,
                "minutes": one.minutes,
                "passes": one.passes,
                "below_least": one.below_least,
                "best": one.best,
            }
            for one in found.compared.actions
        ],
        "covered": found.covered,
        "sure": found.sure,
        "next_reading": None
        if helps is None
        else {"kind": helps.kind, "lane": LANES[helps.lane], "frets": list(helps.frets), "gain": helps.gain},
        "call": call_fields(found.call),
    }


def _lane(one: Mapping[str, Any]) -> int:
    return LANES.index(one["lane"])


_READ: dict[str, Callable[[Mapping[str, Any]], Evidence]] = {
    "heights": lambda one: Heights(
        _lane(one),
        {int(fret): mm for fret, mm in one["readings"].items()},
        one["resolution_mm"],
        one["reference"] == "gap",
        one.get("sd_mm"),
    ),
    "feeler": lambda one: Feeler(_lane(one), one["fret"], one["passes_mm"], one["stops_mm"]),
    "rocker": lambda one: Rocker(
        _lane(one), (one["frets"][0], one["frets"][1], one["frets"][2]), one["rocks"], one.get("tolerance_mm", 0.02)
    ),
    "ink": lambda one: Ink(
        _lane(one),
        one["from_fret"],
        one["to_fret"],
        one["strokes"],
        *(tuple(one.get(name, ())) for name in ("gone", "partly", "left")),
    ),
    "daylight": lambda one: Daylight(_lane(one), one["fret"], one["gap_mm"]),
    "crown_height": lambda one: CrownHeight(_lane(one), one["fret"], one["mm"]),
    **{
        kind: lambda one: Act(one["kind"], tuple(one.get("frets", ())), one.get("by_mm"))
        for kind in ("rod", "reseated", "lifted", "levelled")
    },
}


def _problems(one: Mapping[str, Any], frets: int, wire_mm: float | None) -> list[str]:
    """What cannot be of one piece of evidence, by field."""
    kind = one["kind"]
    missing = [f"{name}: {kind} needs it" for name in _NEEDS.get(kind, ()) if name not in one]
    if missing:
        return missing
    named = [*one.get("frets", ()), *(one[name] for name in ("fret", "from_fret", "to_fret") if name in one)]
    named += [int(fret) for fret in one.get("readings", {})]
    found = [f"frets: this board has {frets} frets" for fret in named[:1] if max(named) > frets]
    if kind == "rocker" and (len(one["frets"]) != 3 or sorted(set(one["frets"])) != one["frets"]):
        found.append("frets: three different frets in order, from the nut up")
    if kind == "ink":
        found += _ink_problems(one)
    return found + _size_problems(one, wire_mm)


def _size_problems(one: Mapping[str, Any], wire_mm: float | None) -> list[str]:
    kind, found = one["kind"], list[str]()
    if kind == "feeler" and one["stops_mm"] is not None and one["stops_mm"] <= one["passes_mm"]:
        found.append("stops_mm: a blade that passes cannot be as thick as one that stops")
    if kind == "crown_height" and wire_mm is not None and one["mm"] > wire_mm + 0.02:
        found.append(f"mm: no crown stands higher than its wire, {wire_mm:g} mm")
    if kind in ("reseated", "lifted") and not one.get("frets"):
        found.append("frets: say which")
    return found


def _ink_problems(one: Mapping[str, Any]) -> list[str]:
    said = [fret for name in ("gone", "partly", "left") for fret in one.get(name, ())]
    first, last = one["from_fret"], one["to_fret"]
    found = ["to_fret: a beam spans two frets or more"] if last <= first else []
    outside = sorted({fret for fret in said if not first <= fret <= last})
    found += [f"gone: fret {fret} lies outside the beam, {first} to {last}" for fret in outside]
    found += [f"left: fret {fret} is said twice" for fret in sorted({fret for fret in said if said.count(fret) > 1})]
    return found
