"""`cut-list`: fret blanks in holder order, and the fewest pieces of wire that yield them."""

from typing import Any

from deft_bench.core.board.fret_lines import fret_lines
from deft_bench.core.frets.cut_list import CutListError, cut_list
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
    },
    ["overhang_mm", "binding_mm", "tang_setback_mm", "saw_loss_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `pieces` are in order of their first fret, `proven` says that no fewer can do."""
    if ("layout" in asked) == ("slot_lengths_mm" in asked):
        raise RequestError(["slot_lengths_mm: give slot_lengths_mm or layout, one of the two"])
    if ("piece_length_mm" in asked) == ("pieces_mm" in asked):
        raise RequestError(["piece_length_mm: give piece_length_mm or pieces_mm, one of the two"])
    slots = asked.get("slot_lengths_mm") or [line.length_mm for line in fret_lines(layout_outline(asked["layout"]))[1:]]
    wanted = asked.get("frets_to_cut", range(1, len(slots) + 1))
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
    }
