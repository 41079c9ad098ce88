"""`land`: the flat that levelling leaves on a crown, and how far the pitch wanders on it."""

from typing import Any

from deft_bench.core.board.positions import fret_position
from deft_bench.core.frets.crown import land, removed_of, tallest, wander_cents
from deft_bench.formats.calc.fields import FRETS, NOT_NEGATIVE, POSITIVE, SCALE, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "The land left on a crown by levelling, what was removed, and the cents at either edge of it"

SCHEMA = request(
    {
        "crown_width_mm": {**POSITIVE, "maximum": 10},
        "fret_height_mm": {**POSITIVE, "maximum": 5},
        "removed_mm": {**NOT_NEGATIVE, "maximum": 5},
        "land_mm": {**NOT_NEGATIVE, "maximum": 10},
        "scale_mm": SCALE,
        "fret": FRETS,
    },
    ["crown_width_mm", "fret_height_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; the cents are null without `scale_mm` and `fret`."""
    width, height = asked["crown_width_mm"], asked["fret_height_mm"]
    if ("removed_mm" in asked) == ("land_mm" in asked):
        raise RequestError(["removed_mm: give removed_mm or land_mm, one of the two"])
    if ("scale_mm" in asked) != ("fret" in asked):
        raise RequestError([f"{'fret' if 'scale_mm' in asked else 'scale_mm'}: missing; cents need both"])
    if height > tallest(width):
        raise RequestError([f"fret_height_mm: taller than a crown of that width can be; at most {tallest(width):g}"])
    if "removed_mm" in asked:
        removed = asked["removed_mm"]
        if removed >= height:
            raise RequestError([f"removed_mm: must be less than the fret's height, {height:g}"])
        flat = land(width, height, removed)
    else:
        flat = asked["land_mm"]
        if flat > width:
            raise RequestError([f"land_mm: wider than the crown; at most {width:g}"])
        removed = removed_of(width, height, flat)
    nut_edge = saddle_edge = None
    if "scale_mm" in asked:
        place = fret_position(asked["scale_mm"], asked["fret"])
        if flat >= 2 * (asked["scale_mm"] - place):
            raise RequestError(["fret: the land would reach the saddle"])
        nut_edge, saddle_edge = wander_cents(asked["scale_mm"], place, flat)
    return {"land_mm": flat, "removed_mm": removed, "cents_nut_edge": nut_edge, "cents_saddle_edge": saddle_edge}
