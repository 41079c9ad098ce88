"""`datum-transfer`: from the drawing's centre to the datum that the machine is set by."""

from typing import Any

from deft_bench.core.board.fret_lines import fret_lines
from deft_bench.core.board.positions import fret_position
from deft_bench.core.board.transfer import MEASURED_FROM, centre_from_nut, datum_transfer
from deft_bench.core.units import MM_PER_INCH
from deft_bench.formats.calc.board_layout import layout_outline
from deft_bench.formats.calc.fields import SCALE, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "The offset from a drawing's centre to the nut, 12th or square fret, as it can be set, and the re-check"

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "layout": {"type": "object"},
        "frets": {"type": "integer", "minimum": 1, "maximum": 60, "default": 24},
        "datum": {"type": "string", "enum": ["nut", "fret_12", "square_fret"]},
        "drawing_centre_x_mm": {"type": "number", "minimum": -5000, "maximum": 5000},
        "measured_from": {"type": "string", "enum": list(MEASURED_FROM), "default": "nut"},
        "set_fraction": {"type": "integer", "minimum": 1, "maximum": 1024},
    },
    ["datum", "drawing_centre_x_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `cents_at_stake` has one entry a fret: the error if the offset is set to the nearest
    value.
    """
    if ("scale_mm" in asked) == ("layout" in asked):
        raise RequestError(["scale_mm: give scale_mm or layout, one of the two"])
    if "layout" in asked:
        outline = layout_outline(asked["layout"])
        divisions = outline.divisions
        scale = (outline.bass_scale_mm + outline.treble_scale_mm) / 2
        centres, square = [line.centre_x_mm for line in fret_lines(outline)], outline.perpendicular_fret
    else:
        scale, square, divisions = asked["scale_mm"], 0.0, 12
        centres = [fret_position(scale, fret) for fret in range(asked.get("frets", 24) + 1)]
    try:
        centre = centre_from_nut(asked["drawing_centre_x_mm"], asked.get("measured_from", "nut"), centres)
    except ValueError as error:
        raise RequestError([f"measured_from: {error}"]) from None
    try:
        found = datum_transfer(centres, scale, square, asked["datum"], centre, asked.get("set_fraction", 0), divisions)
    except ValueError as error:
        raise RequestError([f"datum: {error}"]) from None
    return {
        "offset_mm": found.offset_mm,
        "offset_in": found.offset_mm / MM_PER_INCH,
        "toward": found.toward,
        "set_mm": found.set_mm,
        "set_steps": found.steps,
        "remainder_mm": found.remainder_mm,
        "cents_at_stake": list(found.cents),
        "recheck": [{"what": check.what, "mm": check.mm} for check in found.recheck],
    }
