"""`straightness`: bow, its kind and its place from gaps under a straightedge."""

from typing import Any

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.neck.straightness import straightness, straightness_call
from deft_bench.formats.calc.fields import FRETS, HEIGHT, SCALE, call_fields, listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "Relief, its kind and its place, from gaps under a straightedge"

_READING = {
    "type": "object",
    "properties": {
        "x_mm": {"type": "number", "minimum": 0, "maximum": 5000},
        "gap_mm": {"type": "number", "minimum": -100, "maximum": 100},
    },
    "required": ["x_mm", "gap_mm"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "frets": FRETS,
        "gaps_mm": listed(HEIGHT),
        "readings": listed(_READING, most=500),
        "surface": {"type": "string", "enum": ["board", "fret_tops"]},
        "first_fret": FRETS,
        "last_fret": FRETS,
    },
    ["scale_mm", "frets", "surface", "first_fret", "last_fret"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request. `residual_mm` runs in reading order; with `gaps_mm` it has one entry a fret, null unread."""
    frets, first, last = asked["frets"], asked["first_fret"], asked["last_fret"]
    if last > frets:
        raise RequestError([f"last_fret: {last} is more than the {frets} frets"])
    if first >= last:
        raise RequestError(["first_fret: must be less than last_fret"])
    positions = fret_positions(asked["scale_mm"], frets)
    if ("gaps_mm" in asked) == ("readings" in asked):
        raise RequestError(["gaps_mm: give gaps_mm or readings, one of the two"])
    if "gaps_mm" in asked:
        field = "gaps_mm"
        if len(asked["gaps_mm"]) != frets:
            raise RequestError([f"gaps_mm: must hold one entry a fret, {frets} in all"])
        places = [
            (fret - 1, gap) for fret, gap in enumerate(asked["gaps_mm"], 1) if gap is not None and first <= fret <= last
        ]
        readings = [(positions[place], gap) for place, gap in places]
    else:
        field = "readings"
        readings = [(reading["x_mm"], reading["gap_mm"]) for reading in asked["readings"]]
    try:
        found = straightness(readings, positions, first, last, asked["surface"])
    except ValueError as error:
        raise RequestError([f"{field}: {error}"]) from None
    residual: list[float | None] = list(found.residual_mm)
    if field == "gaps_mm":
        residual = [None] * frets
        for (place, _), value in zip(places, found.residual_mm, strict=True):
            residual[place] = value
    return {
        "relief_mm": found.relief_mm,
        "at_fret": found.at_fret,
        "residual_mm": residual,
        "humps": found.humps,
        "dips": found.dips,
        "kind": found.kind,
        "call": call_fields(straightness_call(found)),
    }
