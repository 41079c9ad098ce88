"""`nut-depth`: how far to file each nut slot, and with which file."""

from typing import Any

from deft_bench.core.strings.nut_depth import LOW_REMEDIES, TOO_LOW_MM, nut_slot
from deft_bench.formats.calc.fields import FRETS, SCALE, listed, request
from deft_bench.formats.calc.strings_fields import GAUGE, NUMBER, STRINGS_MOST, numbers

ABOUT = "Nut slots from the gap over fret 1: heights now and wanted, how far to file in steps, which file"

_GAP = {"type": "number", "minimum": 0, "maximum": 3}
_STRING = {
    "type": "object",
    "properties": {"string": NUMBER, "gap_over_1_mm": _GAP, "target_gap_mm": _GAP, "gauge_mm": GAUGE},
    "required": ["gap_over_1_mm", "target_gap_mm"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "bearing_fret": {**FRETS, "minimum": 2, "default": 2},
        "strings": listed(_STRING, most=STRINGS_MOST),
        "files_on_hand_mm": listed({"type": "number", "exclusiveMinimum": 0, "maximum": 10}, least=0),
    },
    ["scale_mm", "strings"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; a negative `file_mm` is a slot that is too low already, with what can be done."""
    rows = []
    for number, string in zip(numbers(asked["strings"]), asked["strings"], strict=True):
        found = nut_slot(
            asked["scale_mm"],
            string["gap_over_1_mm"],
            string["target_gap_mm"],
            asked.get("bearing_fret", 2),
            string.get("gauge_mm"),
            asked.get("files_on_hand_mm", ()),
        )
        rows.append(
            {
                "string": number,
                "slot_height_mm": found.slot_height_mm,
                "target_height_mm": found.target_height_mm,
                "file_mm": found.file_mm,
                "slot_width_mm": found.slot_width_mm,
                "file_choice": found.file_choice_mm,
                "file_choice_mm": found.file_choice_mm,
                "file_is_wide": found.file_is_wide,
                "steps_mm": list(found.steps_mm),
                "instead": (
                    [{"say": say, "cost": cost} for say, cost in LOW_REMEDIES] if found.file_mm < -TOO_LOW_MM else []
                ),
            }
        )
    return {"strings": rows}
