"""Pieces of requests that the calculations of strings and setup share."""

from collections.abc import Mapping, Sequence
from math import isinf
from typing import Any

from deft_bench.core.strings.capo import capo_heights, capo_problem
from deft_bench.core.strings.clearance import OverString, Strung, Worst
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.notes import A4_HZ, note_hz
from deft_bench.core.strings.string_set import CONSTRUCTIONS, WRAPS, StringMake, set_problem
from deft_bench.core.strings.stroke import AWAY_SHARE, PLUCK_FROM_SADDLE_MM
from deft_bench.formats.calc.fields import FRETS, SCALE, Schema, listed
from deft_bench.formats.strict_json import RequestError

STRINGS_MOST = 18
STRING_FIELDS = {"gauge": "gauge_mm", "core": "core_mm", "weight": "unit_weight_kg_per_m"}
"""What a string's problems are about, as a request names it."""
GAUGE: Schema = {"type": "number", "minimum": 0.1, "maximum": 5, "description": "gauge, mm"}
A4: Schema = {"type": "number", "minimum": 380, "maximum": 500, "default": A4_HZ}
MM: Schema = {"type": "number", "minimum": -100, "maximum": 100}
ACTION: Schema = {"type": "number", "minimum": 0, "maximum": 30}

NUMBER: Schema = {"type": "integer", "minimum": 1, "maximum": STRINGS_MOST, "description": "1 is the highest string"}

MAKE: Schema = {
    "type": "object",
    "properties": {
        "string": NUMBER,
        "note": {"type": "string"},
        "hz": {"type": "number", "minimum": 10, "maximum": 5000},
        "gauge_mm": GAUGE,
        "construction": {"type": "string", "enum": list(CONSTRUCTIONS)},
        "core_mm": {"type": "number", "minimum": 0.1, "maximum": 5},
        "wrap": {"type": "string", "enum": list(WRAPS), "default": "nickel_steel"},
        "unit_weight_kg_per_m": {"type": "number", "exclusiveMinimum": 0, "maximum": 1},
        "scale_mm": SCALE,
        "action_12_mm": ACTION,
    },
    "required": ["gauge_mm", "construction"],
    "additionalProperties": False,
}


def numbers(strings: Sequence[Mapping[str, Any]]) -> list[int]:
    """The number of each string asked about: its own, or its place in the list. Raises RequestError for one twice."""
    found = [int(string.get("string", i)) for i, string in enumerate(strings, 1)]
    lines = [
        f"strings[{i}].string: string {number} stands twice" for i, number in enumerate(found) if number in found[:i]
    ]
    if lines:
        raise RequestError(lines)
    return found


_ERROR_LIST = listed({"type": "number", "minimum": -5, "maximum": 5}, least=12)

FRAME: dict[str, Schema] = {
    "scale_mm": SCALE,
    "frets": {**FRETS, "minimum": 12},
    "divisions": {"type": "integer", "const": 12},
    "relief_from_fret": FRETS,
    "relief_to_fret": FRETS,
    "height_error_mm": {
        "type": ["array", "object"],
        "items": _ERROR_LIST["items"],
        "properties": dict.fromkeys(("bass", "middle", "treble"), _ERROR_LIST),
        "additionalProperties": False,
    },
    "drop_mm": listed({"type": "number", "minimum": 0, "maximum": 10}, least=12),
    "pluck_from_saddle_mm": {
        "type": "number",
        "exclusiveMinimum": 0,
        "maximum": 2000,
        "default": PLUCK_FROM_SADDLE_MM,
    },
    "capo": {"type": "integer", "minimum": 0, "maximum": 60, "default": 0, "description": "fret it is on, 0 none"},
    "joint_fret": FRETS,
    "away_share": {"type": "number", "minimum": 0, "maximum": 1, "default": AWAY_SHARE},
}
RELIEF: Schema = {"type": "number", "minimum": -5, "maximum": 5}
OVER: Schema = {
    "type": "object",
    "properties": {
        "string": NUMBER,
        "tension_n": {"type": "number", "exclusiveMinimum": 0, "maximum": 1000},
        "nut_height_mm": {"type": "number", "minimum": -5, "maximum": 20},
        "action_12_mm": ACTION,
        "saddle_height_mm": {"type": "number", "minimum": -20, "maximum": 60},
        "pluck_n": {"type": "number", "minimum": 0, "maximum": 100},
        "height_error_mm": _ERROR_LIST,
    },
    "required": ["string", "tension_n", "nut_height_mm", "pluck_n"],
    "additionalProperties": False,
}


def makes(asked: list[dict[str, Any]], a4_hz: float) -> list[StringMake]:
    """Strings from a checked request; raises RequestError by path."""
    found, lines = [], []
    for i, one in enumerate(asked):
        here = f"strings[{i}]"
        make = StringMake(
            one.get("note", ""),
            one["gauge_mm"],
            one["construction"],
            one.get("wrap", "nickel_steel"),
            one.get("core_mm"),
            one.get("unit_weight_kg_per_m"),
            one.get("hz"),
        )
        if ("note" in one) == ("hz" in one):
            lines.append(f"{here}: give either `note` or `hz`")
        elif "note" in one:
            try:
                note_hz(one["note"], a4_hz)
            except ValueError as error:
                lines.append(f"{here}.note: {error}")
        problem = set_problem(make)
        if problem:
            lines.append(f"{here}.{STRING_FIELDS[problem[0]]}: {problem[1]}")
        found.append(make)
    if lines:
        raise RequestError(lines)
    return found


def frame(asked: dict[str, Any], relief_mm: float) -> StringFrame:
    """The neck from a checked request; raises RequestError by path."""
    frets = asked["frets"]
    lines = []
    start, end = asked.get("relief_from_fret", 1), asked.get("relief_to_fret", frets)
    if end > frets:
        lines.append(f"relief_to_fret: this board has {frets} frets")
    elif end - start < 2:
        lines.append("relief_to_fret: relief is read between two frets at least two apart")
    if problem := capo_problem(asked.get("capo", 0), frets, asked.get("joint_fret")):
        lines.append(f"capo: {problem}")
    errors = asked.get("height_error_mm")
    lists = {"height_error_mm": errors} if isinstance(errors, list) else {}
    if isinstance(errors, dict):
        lists = {f"height_error_mm.{lane}": values for lane, values in errors.items()}
    if "drop_mm" in asked:
        lists["drop_mm"] = asked["drop_mm"]
    lists |= {
        f"strings[{i}].height_error_mm": one["height_error_mm"]
        for i, one in enumerate(asked["strings"])
        if "height_error_mm" in one
    }
    lines += [
        f"{name}: must hold one entry a fret, {frets} in all" for name, values in lists.items() if len(values) != frets
    ]
    if lines:
        raise RequestError(lines)
    return StringFrame(asked["scale_mm"], frets, relief_mm, start, end, errors, asked.get("drop_mm"))


def strings(asked: dict[str, Any], placed: bool = True) -> list[OverString]:
    """Strings from a checked request, string 1 first; `placed` says that each needs its action or saddle height."""
    lines = []
    numbers = [string["string"] for string in asked["strings"]]
    if sorted(numbers) != list(range(1, len(numbers) + 1)):
        lines.append(f"strings: their numbers must be 1 to {len(numbers)}, each once")
    for i, one in enumerate(asked["strings"]):
        given = [name for name in ("action_12_mm", "saddle_height_mm") if name in one]
        if placed and len(given) != 1:
            lines.append(f"strings[{i}]: give either `action_12_mm` or `saddle_height_mm`")
        if not placed and given:
            lines.append(f"strings[{i}].{given[0]}: is what is solved for; leave it out")
    if lines:
        raise RequestError(lines)
    return [
        OverString(
            string["string"],
            string["tension_n"],
            string["nut_height_mm"],
            string["pluck_n"],
            string.get("action_12_mm"),
            string.get("saddle_height_mm"),
            string.get("height_error_mm"),
        )
        for string in sorted(asked["strings"], key=lambda string: int(string["string"]))
    ]


def strung_fields(one: Strung) -> dict[str, Any]:
    """One string's answer as `clearance` gives it."""
    rows = one.margin.tolist()
    return {
        "string": one.string,
        "saddle_height_mm": one.saddle_height_mm,
        "action_12_mm": one.action_12_mm,
        "margin_mm": [
            [None if n <= f or isinf(value) else value for n, value in enumerate(row, 1)] for f, row in enumerate(rows)
        ],
        "worst": worst_fields(one.worst()),
    }


def capo_fields(found: Sequence[Strung], asked: dict[str, Any]) -> dict[str, Any] | None:
    """How the open strings lie with the capo that was asked for; null without one."""
    if not asked.get("capo"):
        return None
    lie = capo_heights(found, asked["scale_mm"], asked["frets"], asked["capo"])
    return {
        "fret": asked["capo"],
        "open_length_mm": lie.length_mm,
        "over_fret": lie.over_fret,
        "heights_mm": list(lie.heights_mm),
    }


def worst_fields(worst: Worst) -> dict[str, Any]:
    """A tightest place."""
    return {"fretted": worst.fretted, "over": worst.over, "margin_mm": worst.margin_mm}


def buzz_fields(found: list[Strung]) -> list[dict[str, Any]]:
    """All negative margins."""
    return [
        {"string": string.string, "fretted": f, "over": n, "margin_mm": value}
        for string in found
        for f, row in enumerate(string.margin.tolist())
        for n, value in enumerate(row, 1)
        if n > f and value < 0
    ]
