"""`intonation`: how far to move each saddle, and whether the nut is to blame."""

from typing import Any

from deft_bench.core.strings.intonation import CentsReading, intonation, intonation_call
from deft_bench.formats.calc.fields import FRETS, SCALE, call_fields, listed, request
from deft_bench.formats.calc.strings_fields import NUMBER, STRINGS_MOST, numbers

ABOUT = "Saddle and nut shifts from cents read at any frets, what no shift removes, and the call for each string"

_READING = {
    "type": "object",
    "properties": {"fret": FRETS, "cents": {"type": "number", "minimum": -100, "maximum": 100}},
    "required": ["fret", "cents"],
    "additionalProperties": False,
}
_STRING = {
    "type": "object",
    "properties": {"string": NUMBER, "readings": listed(_READING, most=200)},
    "required": ["readings"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "strings": listed(_STRING, most=STRINGS_MOST),
        "reading_sd_cents": {"type": "number", "exclusiveMinimum": 0, "maximum": 50, "default": 1},
    },
    ["scale_mm", "strings"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `nut_shift_sd_mm` is null where the nut could not be fitted."""
    rows = []
    for number, string in zip(numbers(asked["strings"]), asked["strings"], strict=True):
        readings = [CentsReading(reading["fret"], reading["cents"]) for reading in string["readings"]]
        found = intonation(asked["scale_mm"], readings, asked.get("reading_sd_cents", 1.0))
        call = intonation_call(found, readings)
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
                "sure": call.sure,
                "settle": call.settle,
                "call": call_fields(call),
            }
        )
    return {"strings": rows}
