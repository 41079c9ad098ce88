"""`board-layout`: fret lines, strings and outline of a straight or fanned board."""

from typing import Any

from deft_bench.core.board.fret_lines import Outline
from deft_bench.core.board.layout import board_layout
from deft_bench.core.field_checks import FieldError
from deft_bench.formats.calc.fields import DIVISIONS, FRETS, NOT_NEGATIVE, POSITIVE, SCALE, listed, request
from deft_bench.formats.strict_json import RequestError, check

ABOUT = "A board in plan, straight or fanned: fret lines, string paths with their worst error, outline"

_FIELDS: dict[str, Any] = {
    "bass_scale_mm": SCALE,
    "treble_scale_mm": SCALE,
    "perpendicular_fret": {"type": "number", "minimum": 0, "maximum": 60},
    "frets": FRETS,
    "divisions": DIVISIONS,
    "strings": {"type": "integer", "minimum": 2, "maximum": 18},
    "string_spread_nut_mm": POSITIVE,
    "string_spread_saddle_mm": POSITIVE,
    "edge_margin_mm": {
        "type": "object",
        "properties": {"bass": NOT_NEGATIVE, "treble": NOT_NEGATIVE},
        "required": ["bass", "treble"],
        "additionalProperties": False,
    },
    "measured_along": {"type": "string", "enum": ["outer_strings", "centreline"]},
    "end_overhang_mm": NOT_NEGATIVE,
    "gauges_mm": listed(POSITIVE, least=2, most=18),
    "spacing": {"type": "string", "enum": ["equal_centres", "equal_gaps"], "default": "equal_centres"},
}
_REQUIRED = [
    "bass_scale_mm",
    "treble_scale_mm",
    "perpendicular_fret",
    "frets",
    "strings",
    "string_spread_nut_mm",
    "string_spread_saddle_mm",
    "edge_margin_mm",
    "end_overhang_mm",
]

SCHEMA = request(_FIELDS, _REQUIRED, ABOUT)


def outline_of(asked: dict[str, Any]) -> Outline:
    """The core's outline from a checked request; raises RequestError where fields contradict each other."""
    bass, treble = asked["bass_scale_mm"], asked["treble_scale_mm"]
    spread = asked["string_spread_saddle_mm"] - asked["string_spread_nut_mm"]
    lines = []
    if asked["perpendicular_fret"] > asked["frets"]:
        lines.append(f"perpendicular_fret: lies past the board; accepted: 0 (nut) to {asked['frets']}")
    if spread < 0:
        lines.append("string_spread_saddle_mm: strings spread toward the saddle: at least string_spread_nut_mm")
    along = asked.get("measured_along", "centreline" if bass == treble else "outer_strings") == "outer_strings"
    if along and spread / 2 >= min(bass, treble):
        lines.append("string_spread_saddle_mm: wider than a string of that scale can reach")
    if lines:
        raise RequestError(lines)
    margins = asked["edge_margin_mm"]
    return Outline(
        bass,
        treble,
        asked["perpendicular_fret"],
        asked["frets"],
        asked["string_spread_nut_mm"],
        asked["string_spread_saddle_mm"],
        (margins["bass"], margins["bass"]),
        (margins["treble"], margins["treble"]),
        asked.get("divisions", 12),
        along,
    )


def layout_outline(layout: object) -> Outline:
    """The outline of a board-layout request that stands inside another; raises RequestError under `layout.`."""
    try:
        check(layout, SCHEMA)
        return outline_of(layout)  # type: ignore[arg-type]
    except RequestError as error:
        raise RequestError(f"layout.{line}" for line in error.lines) from None


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; points are [x, y] with x = 0 where the nut line crosses the centreline, bass y negative."""
    gauges, spacing = asked.get("gauges_mm"), asked.get("spacing", "equal_centres")
    if gauges is not None and len(gauges) != asked["strings"]:
        raise RequestError([f"gauges_mm: must hold one entry a string, {asked['strings']} in all"])
    if spacing == "equal_gaps" and gauges is None:
        raise RequestError(["gauges_mm: missing; equal gaps need the gauges"])
    outline = outline_of(asked)
    try:
        layout = board_layout(outline, asked["strings"], asked["end_overhang_mm"], gauges, spacing)
    except FieldError as error:
        raise RequestError([f"{'gauges_mm' if error.field == 'gauges' else error.field}: {error}"]) from None
    return {
        "frets": [
            {
                "fret": line.fret,
                "bass_edge": line.bass_edge,
                "treble_edge": line.treble_edge,
                "centre_x_mm": line.centre_x_mm,
                "slot_length_mm": line.length_mm,
                "angle_deg": line.angle_deg,
            }
            for line in layout.frets
        ],
        "strings": [
            {
                "string": path.string,
                "nut": path.nut,
                "saddle": path.saddle,
                "effective_scale_mm": path.effective_scale_mm,
                "worst_cents": path.worst_cents,
                "worst_fret": path.worst_fret,
            }
            for path in layout.strings
        ],
        "outline": layout.outline,
    }
