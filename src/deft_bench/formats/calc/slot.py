"""`slot`: how deep to cut, and what each school of slotting leaves under the wire."""

from typing import Any

from deft_bench.core.board.section import slot
from deft_bench.core.field_checks import FieldError
from deft_bench.formats.calc.fields import NOT_NEGATIVE, POSITIVE, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "Slot depths under a radius by three schools, the hollow at the centre and the wood left"

SCHEMA = request(
    {
        "tang_depth_mm": POSITIVE,
        "under_tang_gap_mm": NOT_NEGATIVE,
        "radius_mm": {"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 100_000},
        "width_mm": POSITIVE,
        "board_thickness_mm": POSITIVE,
        "school": {"type": "string", "enum": ["flat_before_radius", "two_stage", "follow_radius"]},
        "guide_depth_mm": {**NOT_NEGATIVE, "default": 0.8},
    },
    ["tang_depth_mm", "under_tang_gap_mm", "radius_mm", "width_mm", "board_thickness_mm", "school"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; a slot that would come through the board is refused."""
    try:
        found = slot(
            asked["tang_depth_mm"],
            asked["under_tang_gap_mm"],
            asked["radius_mm"],
            asked["width_mm"],
            asked["board_thickness_mm"],
            asked["school"],
            asked.get("guide_depth_mm", 0.8),
        )
    except FieldError as error:
        raise RequestError([f"{error.field}_mm: {error}"]) from None
    return {
        "first_cut_mm": found.first_cut_mm,
        "final_depth_mm": found.final_depth_mm,
        "void_at_centre_mm": found.void_at_centre_mm,
        "wood_under_slot_mm": found.wood_under_slot_mm,
        "edge_thickness_mm": found.edge_thickness_mm,
        "warnings": found.warnings,
    }
