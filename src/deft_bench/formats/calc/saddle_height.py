"""`saddle-height`: how far each saddle moves for an action, a one-piece saddle's cut, and the shim when out of
travel.
"""

from dataclasses import asdict
from typing import Any

from deft_bench.core.strings.saddle_height import one_piece, pocket_shim, raise_for
from deft_bench.formats.calc.fields import FRETS, NOT_NEGATIVE, POSITIVE, SCALE, listed, request
from deft_bench.formats.calc.strings_fields import ACTION, NUMBER, STRINGS_MOST, numbers
from deft_bench.formats.strict_json import RequestError

ABOUT = "Saddle moves for an action, what comes off a one-piece saddle at both ends, and the neck shim out of travel"

_STRING = {
    "type": "object",
    "properties": {
        "string": NUMBER,
        "now_mm": ACTION,
        "target_mm": ACTION,
        "travel_mm": {
            "type": "object",
            "properties": {"up": NOT_NEGATIVE, "down": NOT_NEGATIVE},
            "required": ["up", "down"],
            "additionalProperties": False,
        },
    },
    "required": ["now_mm", "target_mm"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "compensation_mm": {"type": "number", "minimum": -20, "maximum": 50},
        "at_fret": {**FRETS, "default": 12},
        "strings": listed(_STRING, most=STRINGS_MOST),
        "string_spread_saddle_mm": POSITIVE,
        "saddle_overhang_mm": NOT_NEGATIVE,
        "pocket": {
            "type": "object",
            "properties": {"length_mm": POSITIVE, "mouth_to_saddle_mm": POSITIVE},
            "required": ["length_mm", "mouth_to_saddle_mm"],
            "additionalProperties": False,
        },
    },
    ["scale_mm", "compensation_mm", "strings"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; the take-offs and `shim` are null where they were not asked for or nothing is out of
    travel.
    """
    number = numbers(asked["strings"])
    moves = [
        raise_for(
            asked["scale_mm"],
            asked["compensation_mm"],
            string["now_mm"],
            string["target_mm"],
            asked.get("at_fret", 12),
            (string["travel_mm"]["up"], string["travel_mm"]["down"]) if "travel_mm" in string else None,
        )
        for string in asked["strings"]
    ]
    found: dict[str, Any] = {
        "strings": [
            {"string": string, "raise_mm": move.raise_mm, "out_of_travel_mm": move.over_mm}
            for string, move in zip(number, moves, strict=True)
        ]
    }
    found |= dict.fromkeys(("take_off_bass_mm", "take_off_treble_mm", "residual_mm"))
    if "string_spread_saddle_mm" in asked:
        in_order = [move for _, move in sorted(zip(number, moves, strict=True), key=lambda pair: pair[0])]
        try:
            found |= asdict(one_piece(in_order, asked["string_spread_saddle_mm"], asked.get("saddle_overhang_mm", 0.0)))
        except ValueError as error:
            raise RequestError([f"strings: {error}"]) from None
    try:
        shim = (
            pocket_shim(moves, asked["pocket"]["length_mm"], asked["pocket"]["mouth_to_saddle_mm"])
            if "pocket" in asked
            else None
        )
    except ValueError as error:
        raise RequestError([f"pocket.mouth_to_saddle_mm: {error}"]) from None
    found["shim"] = shim and {
        "at": shim.at,
        "thickness_mm": shim.thickness_mm,
        "out_mm": shim.out_mm,
        "or_else": shim.or_else,
        "after": [
            {"string": string, "out_of_travel_mm": shim.over_after(move)}
            for string, move in zip(number, moves, strict=True)
        ],
    }
    return found
