"""`datum-transfer`: from the drawing's centre to the datum that the machine is set by."""

import math
from typing import Any

from deft_bench.core.board.fret_lines import fret_lines
from deft_bench.core.board.positions import fret_position
from deft_bench.core.units import UM_PER_INCH
from deft_bench.formats.calc.board_layout import layout_outline
from deft_bench.formats.calc.fields import SCALE, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "The offset from a drawing's centre to the nut, 12th or square fret, as it can be set, and the re-check"

MM_PER_INCH = UM_PER_INCH / 1000
SET_MM = 0.01
"""Without a fraction the offset is set on a readout in hundredths of a millimetre."""

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "layout": {"type": "object"},
        "frets": {"type": "integer", "minimum": 1, "maximum": 60, "default": 24},
        "datum": {"type": "string", "enum": ["nut", "fret_12", "square_fret"]},
        "drawing_centre_x_mm": {"type": "number", "minimum": -5000, "maximum": 5000},
        "set_fraction": {"type": "integer", "minimum": 1, "maximum": 1024},
    },
    ["datum", "drawing_centre_x_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `cents_at_stake` has one entry a fret: the error if the offset is set to the nearest value."""
    if ("scale_mm" in asked) == ("layout" in asked):
        raise RequestError(["scale_mm: give scale_mm or layout, one of the two"])
    if "layout" in asked:
        outline = layout_outline(asked["layout"])
        scale = (outline.bass_scale_mm + outline.treble_scale_mm) / 2
        centres = [line.centre_x_mm for line in fret_lines(outline)]
        square, frets = outline.perpendicular_fret, outline.frets
    else:
        scale, frets, square = asked["scale_mm"], asked.get("frets", 24), 0.0
        centres = [fret_position(scale, fret) for fret in range(frets + 1)]
    if asked["datum"] == "fret_12" and frets < 12:
        raise RequestError(["datum: this board has no 12th fret"])
    # a perpendicular fret need not be whole: its line is square, so its centre lies at its own fraction of the scale
    datum = {"nut": 0.0, "fret_12": centres[min(12, frets)], "square_fret": _square_centre(centres, square)}[
        asked["datum"]
    ]
    offset = datum - asked["drawing_centre_x_mm"]
    step = MM_PER_INCH / asked["set_fraction"] if "set_fraction" in asked else SET_MM
    count = math.floor(offset / step + 0.5)
    nearest = count * step
    off = nearest - offset
    cents = [
        1200 * math.log2((scale - x) / (scale - x - off))
        for x in (fret_position(scale, n) for n in range(1, frets + 1))
    ]
    return {
        "offset_mm": offset,
        "offset_in": offset / MM_PER_INCH,
        "set_mm": nearest,
        "set_steps": count,
        "remainder_mm": -off,
        "cents_at_stake": cents,
        "recheck": [
            {"what": "drawing centre to datum, measured after setting", "mm": offset},
            {"what": "nut to 12th fret: half the scale", "mm": scale / 2},
            {"what": "nut to the datum", "mm": datum},
        ],
    }


def _square_centre(centres: list[float], fret: float) -> float:
    whole = int(fret)
    if fret == whole:
        return centres[whole]
    before, after = fret_position(1, whole), fret_position(1, whole + 1)
    share = (fret_position(1, fret) - before) / (after - before)
    return centres[whole] + (centres[whole + 1] - centres[whole]) * share
