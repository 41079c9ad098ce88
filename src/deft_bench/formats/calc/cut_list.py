"""`cut-list`: fret blanks in holder order, and the fewest pieces of wire that yield them."""

from collections.abc import Sequence
from typing import Any

from deft_bench.core.board.fret_lines import FretLine, fret_lines
from deft_bench.core.frets.cut_list import CutListError, cut_list
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.notch import Obstruction, notches
from deft_bench.formats.calc.board_layout import layout_outline
from deft_bench.formats.calc.fields import FRETS, NOT_NEGATIVE, POSITIVE, listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "Crown and tang length of every fret, and the fewest pieces of wire to cut them from"

SCHEMA = request(
    {
        "layout": {"type": "object"},
        "slot_lengths_mm": listed(POSITIVE),
        "overhang_mm": NOT_NEGATIVE,
        "binding_mm": NOT_NEGATIVE,
        "tang_setback_mm": NOT_NEGATIVE,
        "piece_length_mm": POSITIVE,
        "pieces_mm": listed(POSITIVE, most=200),
        "saw_loss_mm": NOT_NEGATIVE,
        "frets_to_cut": listed(FRETS),
        "tang_depth_mm": {**POSITIVE, "maximum": 5},
        "obstructions": listed(
            {
                "type": "object",
                "properties": {
                    "fret": FRETS,
                    "what": {"type": "string", "minLength": 1, "maxLength": 200},
                    "lane": {"type": "string", "enum": list(LANES)},
                    "at_mm": {**NOT_NEGATIVE, "maximum": 200},
                    "depth_mm": {**NOT_NEGATIVE, "maximum": 5},
                },
                "required": ["fret", "what"],
                "additionalProperties": False,
            },
            least=0,
        ),
    },
    ["overhang_mm", "binding_mm", "tang_setback_mm", "saw_loss_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `pieces` are in order of their first fret, `proven` says that no fewer can do; `notches` are
    those of the tangs over what is in their slots, from the slot's bass end, null where it was not measured.
    """
    if ("layout" in asked) == ("slot_lengths_mm" in asked):
        raise RequestError(["slot_lengths_mm: give slot_lengths_mm or layout, one of the two"])
    if ("piece_length_mm" in asked) == ("pieces_mm" in asked):
        raise RequestError(["piece_length_mm: give piece_length_mm or pieces_mm, one of the two"])
    if "layout" in asked:
        lines = fret_lines(layout_outline(asked["layout"]))[1:]
    else:
        lines = [_straight(fret, length) for fret, length in enumerate(asked["slot_lengths_mm"], 1)]
    slots = asked.get("slot_lengths_mm") or [line.length_mm for line in lines]
    wanted = asked.get("frets_to_cut", range(1, len(slots) + 1))
    if asked.get("obstructions") and "tang_depth_mm" not in asked:
        raise RequestError(["tang_depth_mm: missing: a notch is as high as the tang is deep over what is in its way"])
    stock = asked.get("pieces_mm") or [asked["piece_length_mm"]] * len(slots)
    try:
        found = cut_list(
            slots,
            wanted,
            asked["overhang_mm"],
            asked["binding_mm"],
            asked["tang_setback_mm"],
            stock,
            asked["saw_loss_mm"],
        )
    except CutListError as error:
        field = error.field if error.field != "pieces_mm" or "pieces_mm" in asked else "piece_length_mm"
        raise RequestError([f"{field}: {error}"]) from None
    return {
        "frets": [
            {
                "fret": blank.fret,
                "crown_length_mm": blank.crown_mm,
                "tang_length_mm": blank.tang_mm,
                "holder_slot": blank.fret,
            }
            for blank in found.blanks
        ],
        "pieces": [
            {"frets": list(piece.frets), "used_mm": piece.used_mm, "left_mm": piece.left_mm} for piece in found.pieces
        ],
        "total_mm": found.total_mm,
        "pieces_needed": len(found.pieces),
        "proven": found.proven,
        "notches": _notches(asked, lines, [blank.fret for blank in found.blanks]),
    }


def _notches(asked: dict[str, Any], lines: Sequence[FretLine], frets: Sequence[int]) -> list[dict[str, Any]]:
    """The notch over each obstruction."""
    there = [
        Obstruction(one["fret"], one["what"], one.get("lane", ""), _um(one.get("at_mm")), _um(one.get("depth_mm")))
        for one in asked.get("obstructions", [])
    ]
    made = notches(there, frets, lines, round(asked.get("tang_depth_mm", 0) * 1000), {})
    return [{"fret": one.fret, "what": one.what, "at_mm": one.at_mm, "height_mm": one.height_mm} for one in made]


def _um(mm: float | None) -> int | None:
    return None if mm is None else round(mm * 1000)


def _straight(fret: int, length_mm: float) -> FretLine:
    """A fret of which only the slot's length is known: the outer strings lie a sixth of it inside its ends."""
    half, string = length_mm / 2, length_mm / 3
    return FretLine(fret, (0.0, -half), (0.0, half), (0.0, -string), (0.0, string))
