"""`setup-solve`: the lowest setup that the hand plays clean."""

from typing import Any

from deft_bench.core.field_checks import FieldError
from deft_bench.core.strings.customary import CUSTOMS, LEAST_BASS_MM, customary_action, offered, usual_range
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.setup_call import setup_call
from deft_bench.core.strings.setup_solve import BridgeShape, Solved, one_fret_costs, setup_solve
from deft_bench.formats.calc.clearance import stroke
from deft_bench.formats.calc.fields import POSITIVE, call_fields, listed, request
from deft_bench.formats.calc.strings_fields import (
    FRAME,
    OVER,
    RELIEF,
    STRINGS_MOST,
    capo_fields,
    frame,
    strings,
    strung_fields,
    worst_fields,
)
from deft_bench.formats.strict_json import RequestError

FIELDS = {
    "relief_range": "relief_range_mm",
    "bridge_radius": "bridge_radius_mm",
    "frets": "frets",
}
ABOUT = "Relief and saddle heights of the least mean action at which no fretted note buzzes"

SCHEMA = request(
    {
        **FRAME,
        "strings": listed(OVER, most=STRINGS_MOST),
        "relief_range_mm": listed(RELIEF, least=2, most=2),
        "margin_mm": {"type": "number", "minimum": -1, "maximum": 5},
        "bridge": {"type": "string", "enum": ["individual", "two_post", "one_piece"]},
        "string_spread_saddle_mm": POSITIVE,
        "board_radius_at_saddle_mm": {"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 100_000},
        "bridge_radius_mm": {"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 100_000},
        "post_spacing_mm": POSITIVE,
        "kind": {"type": "string", "enum": list(CUSTOMS)},
    },
    ["scale_mm", "frets", "strings", "relief_range_mm", "margin_mm", "bridge"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `bridge_settings` is null with individual saddles, heights above the board's own arc."""
    low, high = asked["relief_range_mm"]
    neck, over = frame(asked, low), strings(asked, placed=False)
    still = [i for i, one in enumerate(asked["strings"]) if one["pluck_n"] <= 0]
    if still:
        raise RequestError(
            [f"strings[{i}].pluck_n: a string that is not plucked has no lowest setup; over 0 N" for i in still]
        )
    shape = None
    if asked["bridge"] != "individual":
        needs = ("string_spread_saddle_mm", "board_radius_at_saddle_mm", "bridge_radius_mm")
        missing = [f"{name}: a {asked['bridge']} bridge needs it" for name in needs if name not in asked]
        if missing:
            raise RequestError(missing)
        spread, board, bridge = (asked[name] for name in needs)
        shape = BridgeShape(spread, board, bridge, asked.get("post_spacing_mm"))

    def solve(on: StringFrame) -> Solved:
        bridge, capo = asked["bridge"], asked.get("capo", 0)
        return setup_solve(on, over, (low, high), asked["margin_mm"], bridge, shape, stroke(asked), capo)

    try:
        found = solve(neck)
    except FieldError as error:
        raise RequestError([f"{FIELDS[error.field]}: {error}"]) from None
    kind = asked.get("kind", "bass" if asked["scale_mm"] >= LEAST_BASS_MM else "electric")
    customary = [customary_action(kind, one.string, len(over)) for one in found.strung]
    rows = []
    for one, limit, open_worst, custom in zip(found.strung, found.limited_by, found.open_worst, customary, strict=True):
        least, most = usual_range(custom)
        rows.append(
            strung_fields(one)
            | {
                "limited_by": worst_fields(limit) if limit else None,
                "open_worst_mm": open_worst,
                "usual_mm": [least, most],
                "usual": least <= one.action_12_mm <= most,
                "offered": offered(one.action_12_mm, custom),
            }
        )
    settings = None
    if found.posts_mm is not None:
        settings = {
            "height_mm": found.height_mm,
            "tilt_mm_per_mm": found.tilt,
            "bass_post_mm": found.posts_mm[0],
            "treble_post_mm": found.posts_mm[1],
        }
    return {
        "relief_mm": found.relief_mm,
        "mean_action_12_mm": found.mean_action_mm,
        "strings": rows,
        "kind": kind,
        "one_fret_costs": [
            {"fret": one.fret, "mean_action_12_mm": one.mean_action_mm} for one in one_fret_costs(neck, found, solve)
        ],
        "bridge_settings": settings,
        "capo": capo_fields(found.strung, asked),
        "call": call_fields(setup_call(found, asked["margin_mm"], customary_mm=customary, fixed_relief=low == high)),
    }
