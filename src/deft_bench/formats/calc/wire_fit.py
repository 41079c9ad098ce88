"""`wire-fit`: whether a wire holds in a slot, and whether it is overbent enough for the board."""

from typing import Any

from deft_bench.core.frets.wire import wire_call
from deft_bench.formats.calc.fields import POSITIVE, call_fields, request

ABOUT = "How a fret wire fits its slot: press, glue, loose or tight, and whether it is overbent enough"

SCHEMA = request(
    {
        "slot_width_mm": {**POSITIVE, "maximum": 5},
        "tang_width_mm": {**POSITIVE, "maximum": 5},
        "barb_width_mm": {**POSITIVE, "maximum": 5},
        "wire_radius_mm": {**POSITIVE, "maximum": 100_000},
        "board_radius_mm": {"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 100_000},
    },
    ["slot_width_mm", "tang_width_mm", "barb_width_mm", "wire_radius_mm", "board_radius_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; the board's radius is null on a flat board."""
    found, call = wire_call(
        asked["slot_width_mm"],
        asked["tang_width_mm"],
        asked["barb_width_mm"],
        asked["wire_radius_mm"],
        asked["board_radius_mm"],
    )
    return {
        "tang_clearance_mm": found.tang_clearance_mm,
        "barb_bite_mm": found.barb_bite_mm,
        "fit": found.fit,
        "overbend_ok": found.overbend_ok,
        "call": call_fields(call),
    }
