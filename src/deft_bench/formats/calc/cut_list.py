"""`cut-list`: fret blanks in holder order, and the fewest pieces of wire that yield them."""

from typing import Any

from deft_bench.core.board.cutting import plan_cutting
from deft_bench.core.board.fret_lines import fret_lines
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
    wanted = sorted(set(asked.get("frets_to_cut", range(1, len(slots) + 1))))
    if wanted[-1] > len(slots):
        raise RequestError([f"frets_to_cut: fret {wanted[-1]} is not on this board of {len(slots)}"])
    crowns = [slots[fret - 1] + 2 * asked["overhang_mm"] for fret in wanted]
    tangs = [slots[fret - 1] - 2 * (asked["binding_mm"] + asked["tang_setback_mm"]) for fret in wanted]
    short = [fret for fret, tang in zip(wanted, tangs, strict=True) if tang <= 0]
    if short:
        raise RequestError([f"tang_setback_mm: with the binding it leaves fret {short[0]} no tang"])
    blanks = [round(crown * 1000) for crown in crowns]
    field = "pieces_mm" if "pieces_mm" in asked else "piece_length_mm"
    stock = asked.get("pieces_mm") or [asked["piece_length_mm"]] * len(blanks)
    try:
        plan = plan_cutting(blanks, [round(piece * 1000) for piece in stock], round(asked["saw_loss_mm"] * 1000))
    except ValueError as error:
        raise RequestError([f"{field}: {error}"]) from None
    pieces = []
    for held, piece in zip(plan.pieces, plan.piece_um, strict=True):
        used = sum(crowns[i] for i in held) + (len(held) - 1) * asked["saw_loss_mm"]
        pieces.append({"frets": [wanted[i] for i in held], "used_mm": used, "left_mm": piece / 1000 - used})
    return {
        "frets": [
            {"fret": fret, "crown_length_mm": crown, "tang_length_mm": tang, "holder_slot": fret}
            for fret, crown, tang in zip(wanted, crowns, tangs, strict=True)
        ],
        "pieces": sorted(pieces, key=lambda piece: piece["frets"]),
        "total_mm": sum(crowns),
        "pieces_needed": len(pieces),
        "proven": plan.proven,
    }
