"""`crown-filing`: what strokes of a crowning file make of a levelled crown, and what brings it to a line."""

from typing import Any

from deft_bench.core.frets.crown import tallest
from deft_bench.core.frets.crown_filing import ANGLES, SIDES, Crown
from deft_bench.formats.calc.fields import NOT_NEGATIVE, POSITIVE, listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "A levelled crown under the file: the line that is left, how round it is, and what brings it to a line"
SIDE_NAMES = dict(zip(("nut", "saddle"), SIDES, strict=True))
MOST_PASSES = 500

SCHEMA = request(
    {
        "width_mm": {**POSITIVE, "minimum": 0.5, "maximum": 10},
        "height_mm": {**POSITIVE, "minimum": 0.1, "maximum": 5},
        "removed_mm": {**POSITIVE, "maximum": 5},
        "lean": {"type": "number", "minimum": -0.5, "maximum": 0.5, "default": 0},
        "line_mm": {**POSITIVE, "maximum": 10, "default": 0.3},
        "passes": listed(
            {
                "type": "object",
                "properties": {
                    "side": {"enum": list(SIDE_NAMES)},
                    "angle_deg": {"enum": list(ANGLES)},
                    "metal_mm2": {**NOT_NEGATIVE, "maximum": 10},
                },
                "required": ["side", "angle_deg", "metal_mm2"],
                "additionalProperties": False,
            },
            least=0,
            most=MOST_PASSES,
        ),
    },
    ["width_mm", "height_mm", "removed_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `to_line` is what each flat takes from there to the arc through a line of `line_mm`, steep
    flats first.
    """
    width, height, line = asked["width_mm"], asked["height_mm"], asked.get("line_mm", 0.3)
    if height > tallest(width):
        raise RequestError([f"height_mm: taller than a crown of that width can be; at most {tallest(width):g}"])
    if asked["removed_mm"] >= height:
        raise RequestError([f"removed_mm: must be less than the fret's height, {height:g}"])
    if line >= width:
        raise RequestError([f"line_mm: must be less than the crown's width, {width:g}"])
    crown = Crown(width, height, asked["removed_mm"], asked.get("lean", 0.0))
    for at, one in enumerate(asked.get("passes", [])):
        crown = crown.filed(SIDE_NAMES[one["side"]], one["angle_deg"], one["metal_mm2"])
        if float(crown.section().max()) <= 0:
            raise RequestError([f"passes[{at}].metal_mm2: there is not so much metal left"])
    nut, saddle = crown.line()
    names = {side: name for name, side in SIDE_NAMES.items()}
    under, over = crown.off_round(line)
    return {
        "line_mm": saddle - nut,
        "off_centre_mm": (saddle + nut) / 2,
        "lost_mm": crown.lost_mm,
        "under_mm": under,
        "over_mm": over,
        "to_line": [
            {"side": names[side], "angle_deg": angle, "metal_mm2": metal} for side, angle, metal in crown.to_line(line)
        ],
    }
