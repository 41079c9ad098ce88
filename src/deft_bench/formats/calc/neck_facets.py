"""`neck-facets`: the lines and depths by which the back of a neck is carved."""

from typing import Any

from deft_bench.core.neck.facets import FULLNESS, STAGES, FacetMark, Facets, neck_facets
from deft_bench.formats.calc.fields import POSITIVE, listed, request

ABOUT = "Facets of a neck's back at each fret: where the lines are drawn, how deep each flat goes, what is left"

_SECTION = {
    "type": "object",
    "properties": {
        "fret": {"type": "number", "minimum": 0, "maximum": 60},
        "width_mm": {**POSITIVE, "maximum": 200},
        "depth_mm": {**POSITIVE, "maximum": 100},
        "shape": {"type": "string", "enum": list(FULLNESS), "default": "c"},
        "fullness": {"type": "number", "exclusiveMinimum": 1, "maximum": 20},
    },
    "required": ["fret", "width_mm", "depth_mm"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "sections": listed(_SECTION),
        "stages": {"type": "integer", "minimum": min(STAGES), "maximum": max(STAGES), "default": 2},
    },
    ["sections"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request: one entry for each section, in the order given; `fullness` counts before `shape`."""
    return {"sections": [_section(given, asked.get("stages", 2)) for given in asked["sections"]]}


def _section(given: dict[str, Any], stages: int) -> dict[str, Any]:
    fullness = given.get("fullness", FULLNESS[given.get("shape", "c")])
    found: Facets = neck_facets(given["width_mm"], given["depth_mm"], fullness, stages)
    return {
        "fret": given["fret"],
        "facets": [
            {
                "stage": facet.stage,
                "angle_deg": facet.angle_deg,
                "inner": _mark(facet.inner),
                "outer": _mark(facet.outer),
                "touches": _mark(facet.touches),
            }
            for facet in found.facets
        ],
        "left_mm": found.left_mm,
    }


def _mark(mark: FacetMark) -> dict[str, float]:
    return {"from_centre_mm": mark.from_centre_mm, "from_board_mm": mark.from_board_mm}
