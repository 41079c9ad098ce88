"""`intonation`: how far to move each saddle, what it can reach, and whether anything points at the nut."""

from dataclasses import asdict
from typing import Any

from deft_bench.core.board.positions import fret_position
from deft_bench.core.strings.intonation import (
    OPEN_SD_CENTS,
    READING_SD_CENTS,
    CentsReading,
    intonation,
    intonation_call,
    pressing_of,
)
from deft_bench.core.strings.nut_depth import gap_side, gap_target
from deft_bench.core.strings.string_set import CONSTRUCTIONS, StringMake, set_problem
from deft_bench.formats.calc.fields import FRETS, SCALE, call_fields, listed, request
from deft_bench.formats.calc.strings_fields import ACTION, GAUGE, NUMBER, STRING_FIELDS, STRINGS_MOST, numbers
from deft_bench.formats.strict_json import RequestError

ABOUT = "Saddle and nut shifts from cents read at any frets, what no shift removes, and the call for each string"

_READING = {
    "type": "object",
    "properties": {"fret": FRETS, "cents": {"type": "number", "minimum": -100, "maximum": 100}},
    "required": ["fret", "cents"],
    "additionalProperties": False,
}
_SD = {"type": "number", "exclusiveMinimum": 0, "maximum": 50, "default": READING_SD_CENTS}
_OPEN_SD = {"type": "number", "minimum": 0, "maximum": 50, "default": OPEN_SD_CENTS}
_STRING = {
    "type": "object",
    "properties": {
        "string": NUMBER,
        "readings": listed(_READING, most=200),
        "reading_sd_cents": _SD,
        "open_sd_cents": _OPEN_SD,
        "action_12_mm": ACTION,
        "gap_over_1_mm": {"type": "number", "minimum": 0, "maximum": 10},
        "gauge_mm": GAUGE,
        "core_mm": {"type": "number", "minimum": 0.1, "maximum": 5},
        "construction": {"type": "string", "enum": list(CONSTRUCTIONS)},
        "tension_n": {"type": "number", "exclusiveMinimum": 0, "maximum": 1000},
    },
    "required": ["readings"],
    "additionalProperties": False,
}
PRESSED = ("action_12_mm", "gap_over_1_mm", "gauge_mm", "tension_n")
"""What is asked for before the part of pressing is known."""

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "strings": listed(_STRING, most=STRINGS_MOST),
        "reading_sd_cents": _SD,
        "open_sd_cents": _OPEN_SD,
        "capo": {"type": "integer", "minimum": 0, "maximum": 60, "default": 0},
    },
    ["scale_mm", "strings"],
    ABOUT,
)


def _sd(asked: dict[str, Any], string: dict[str, Any], name: str, usual: float) -> float:
    """A string's own spread, or that of all."""
    found: float = string.get(name, asked.get(name, usual))
    return found


def _make(string: dict[str, Any]) -> StringMake:
    """The string, a wound one where its core is given."""
    made = string.get("construction") or ("round_wound" if "core_mm" in string else "plain")
    return StringMake("", string["gauge_mm"], made, core_mm=string.get("core_mm"))


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `nut_shift_sd_mm` is null where the nut could not be fitted. With a `capo` cents are against
    the string held there, and what stands for the nut is the capo's fret.
    """
    rows, capo = [], asked.get("capo", 0)
    # a string that begins at the capo is a shorter string with fewer frets
    scale = asked["scale_mm"] - (fret_position(asked["scale_mm"], capo) if capo else 0.0)
    for i, (number, string) in enumerate(zip(numbers(asked["strings"]), asked["strings"], strict=True)):
        behind = [k for k, reading in enumerate(string["readings"]) if reading["fret"] <= capo]
        if behind and capo:
            raise RequestError([f"strings[{i}].readings[{k}].fret: is not past the capo" for k in behind])
        readings = [CentsReading(reading["fret"] - capo, reading["cents"]) for reading in string["readings"]]
        pressing = side = None
        if not capo and all(name in string for name in PRESSED):
            make = _make(string)
            if problem := set_problem(make):
                raise RequestError([f"strings[{i}].{STRING_FIELDS[problem[0]]}: {problem[1]}"])
            pressing = pressing_of(
                make, asked["scale_mm"], string["tension_n"], string["action_12_mm"], string["gap_over_1_mm"]
            )
            low, high = gap_target(make.gauge_mm, make.construction, asked["scale_mm"])
            side = gap_side(string["gap_over_1_mm"], low, high)
        found = intonation(
            scale,
            readings,
            _sd(asked, string, "reading_sd_cents", READING_SD_CENTS),
            _sd(asked, string, "open_sd_cents", OPEN_SD_CENTS),
            pressing,
        )
        call = intonation_call(found, readings, first_gap=side)
        rows.append(
            {
                "string": number,
                "saddle_shift_mm": found.saddle_shift_mm,
                "nut_shift_mm": found.nut_shift_mm,
                "saddle_shift_sd_mm": found.saddle_sd_mm,
                "nut_shift_sd_mm": found.nut_sd_mm,
                "residual_cents": list(found.residual_cents),
                "reachable_cents": found.reachable_cents,
                "at_12_only_mm": found.at_12_only_mm,
                "open_off_cents": found.open_off_cents,
                "pressing_cents": None if found.pressing_cents is None else list(found.pressing_cents),
                "with_nut": None if found.with_nut is None else asdict(found.with_nut),
                "sure": call.sure,
                "settle": call.settle,
                "call": call_fields(call),
            }
        )
    return {"strings": rows}
