"""`fall-away-tape`: what a beam riding on tape cuts off the last frets."""

from typing import Any

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.field_checks import FieldError
from deft_bench.core.frets.fall_away_tape import fall_by_first_fret, fall_by_last_drop
from deft_bench.formats.calc.fields import FRETS, POSITIVE, SCALE, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "The fall-away that tape on one fret and on the beam's end cuts into the last frets, and when to stop"

_LAYERS = {"type": "integer", "minimum": 0, "maximum": 40}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "frets": {**FRETS, "minimum": 3},
        "tape_fret": FRETS,
        "fret_layers": _LAYERS,
        "beam_layers": _LAYERS,
        "tape_thickness_mm": {**POSITIVE, "maximum": 2},
        "last_drop_mm": {**POSITIVE, "maximum": 5},
        "first_cut_fret": FRETS,
    },
    ["scale_mm", "frets", "tape_fret", "fret_layers", "beam_layers", "tape_thickness_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `drops_mm` has one entry a fret."""
    if ("last_drop_mm" in asked) == ("first_cut_fret" in asked):
        raise RequestError(["last_drop_mm: give last_drop_mm or first_cut_fret, one of the two"])
    layers = asked["fret_layers"] + asked["beam_layers"]
    if layers == 0:
        raise RequestError(["fret_layers: there must be tape on the fret or on the beam"])
    positions = fret_positions(asked["scale_mm"], asked["frets"])
    height = layers * asked["tape_thickness_mm"]
    try:
        if "last_drop_mm" in asked:
            found = fall_by_last_drop(positions, asked["tape_fret"], height, asked["last_drop_mm"])
        else:
            found = fall_by_first_fret(positions, asked["tape_fret"], height, asked["first_cut_fret"])
    except FieldError as error:
        raise RequestError([f"{error.field}: {error}"]) from None
    return {
        "drops_mm": list(found.drops_mm),
        "first_cut_fret": found.first_cut_fret,
        "crossing_mm": found.crossing_mm,
        "last_drop_mm": found.last_drop_mm,
    }
