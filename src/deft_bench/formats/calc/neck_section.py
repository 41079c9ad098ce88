"""`neck-section`: what comes off the back of a neck, and the wood left over the rod."""

from typing import Any

from deft_bench.core.board.section import neck_section
from deft_bench.formats.calc.fields import NOT_NEGATIVE, POSITIVE, listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "Neck thickness worked out at each fret: what to remove, wood over the rod, the board's edge"

_SECTION = {
    "type": "object",
    "properties": {
        "fret": {"type": "number", "minimum": 0, "maximum": 60},
        "blank_mm": POSITIVE,
        "board_mm": POSITIVE,
        "width_mm": POSITIVE,
        "radius_mm": {"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 100_000},
        "rod_channel_mm": NOT_NEGATIVE,
        "target_mm": POSITIVE,
    },
    "required": ["fret", "blank_mm", "board_mm", "width_mm", "radius_mm", "rod_channel_mm", "target_mm"],
    "additionalProperties": False,
}

SCHEMA = request({"sections": listed(_SECTION)}, ["sections"], ABOUT)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request: one entry for each section, in the order given."""
    found = []
    for i, given in enumerate(asked["sections"]):
        try:
            section = neck_section(
                given["blank_mm"],
                given["board_mm"],
                given["width_mm"],
                given["radius_mm"],
                given["rod_channel_mm"],
                given["target_mm"],
            )
        except ValueError as error:
            raise RequestError([f"sections[{i}].width_mm: {error}"]) from None
        found.append(
            {
                "fret": given["fret"],
                "remove_mm": section.remove_mm,
                "wood_over_rod_mm": section.wood_over_rod_mm,
                "board_edge_mm": section.board_edge_mm,
                "warnings": section.warnings,
            }
        )
    return {"sections": found}
