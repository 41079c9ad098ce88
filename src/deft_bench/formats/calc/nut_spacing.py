"""`nut-spacing`: where the strings sit at a nut, by either school."""

from typing import Any

from deft_bench.core.board.strings_on_board import nut_spacing
from deft_bench.formats.calc.fields import NOT_NEGATIVE, POSITIVE, listed, request
from deft_bench.formats.calc.strings_fields import GAUGE, STRINGS_MOST
from deft_bench.formats.strict_json import RequestError

ABOUT = "String centres and gaps at the nut, with equal gaps or equal centres"

SCHEMA = request(
    {
        "nut_width_mm": {**POSITIVE, "maximum": 200},
        "edge_bass_mm": NOT_NEGATIVE,
        "edge_treble_mm": NOT_NEGATIVE,
        "gauges_mm": listed(GAUGE, least=2, most=STRINGS_MOST),
        "school": {"type": "string", "enum": ["equal_centres", "equal_gaps"]},
    },
    ["nut_width_mm", "edge_bass_mm", "edge_treble_mm", "gauges_mm", "school"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; centres from the bass edge, string 1 first."""
    try:
        found = nut_spacing(
            *(asked[name] for name in ("nut_width_mm", "edge_bass_mm", "edge_treble_mm", "gauges_mm", "school"))
        )
    except ValueError as error:
        raise RequestError([f"gauges_mm: {error}"]) from None
    return {"centres_mm": list(found.centres_mm), "gaps_mm": list(found.gaps_mm)}
