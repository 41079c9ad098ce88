"""Fret wire in its slot: the call on how it holds, and how far it is bent for the board."""

from collections.abc import Callable, Sequence

from deft_bench.core.board.section import WireFit, wire_fit
from deft_bench.core.calls import Call, Instead, Length, in_mm, long_in_mm
from deft_bench.core.limits import GLUE_BITE_MM, LOOSE_BITE_MM, OVERBEND_SHARE, PRESS_BITE_MM
from deft_bench.core.units import LengthError, System, parse_length

GLUE_AND_CLAMP = Instead("Glue and clamp until cured", "clamps, a day")
WIDER_BARBS = Instead("A wire with wider barbs", "order")
_INSTEAD: dict[str, tuple[Instead, ...]] = {
    "press": (),
    "glue": (WIDER_BARBS,),
    "loose": (GLUE_AND_CLAMP, WIDER_BARBS),
    "tight": (
        Instead("Widen the slots with a thicker saw, tried on an offcut", "wood"),
        Instead("Press it all the same", "the neck is pushed backward"),
    ),
}


def wire_call(
    slot_mm: float,
    tang_mm: float,
    barb_mm: float,
    wire_radius_mm: float,
    board_radius_mm: float | None,
    length: Length = in_mm,
    long: Length = long_in_mm,
) -> tuple[WireFit, Call]:
    """How this wire holds in this slot: press, glue, loose or tight, and its reason. All lengths mm; a flat board is
    None.
    """
    found = wire_fit(slot_mm, tang_mm, barb_mm, wire_radius_mm, board_radius_mm)
    bite = length(found.barb_bite_mm)
    say = {
        "press": f"Press or hammer it in dry: the barbs bite {bite}.",
        "glue": f"Glue it: the barbs bite only {bite}.",
        "loose": f"Too loose: the barbs bite {bite}.",
        "tight": "Too tight: open the slot or choose another wire.",
    }[found.fit]
    because = [f"Slot {length(slot_mm)}, tang {length(tang_mm)}, over the barbs {length(barb_mm)}."]
    if found.tang_clearance_mm < 0:
        because.append(f"The tang is {length(-found.tang_clearance_mm)} wider than the slot.")
    because.append(
        f"A bite under {length(LOOSE_BITE_MM)} is loose, under {length(GLUE_BITE_MM)} wants glue, up to"
        f" {length(PRESS_BITE_MM)} presses in."
    )
    if not found.overbend_ok and board_radius_mm is not None:
        because.append(
            f"Bend the wire to between {long(OVERBEND_SHARE * board_radius_mm)} and just under {long(board_radius_mm)}:"
            f" 70 % of the board's radius and a little less than it. It is at {long(wire_radius_mm)}."
        )
    if found.fit in ("press", "tight"):
        because.append("Tangs in tight slots push the neck backward: read its straightness again after seating.")
    figures = {"tang_clearance_mm": found.tang_clearance_mm, "barb_bite_mm": found.barb_bite_mm}
    settle = "One fret seated in an offcut slotted with the same saw."
    return found, Call(say, found.fit, figures, tuple(because), _INSTEAD[found.fit], "likely", settle)


PIECES_FORM = "give pieces as “6 × 305; 2 × 220”"


def read_pieces(text: str, system: System) -> tuple[int, ...]:
    """Pieces of wire as `6 × 305; 2 × 9 in`, a bare length being one piece, in µm; raises ValueError in words."""
    found: list[int] = []
    for part in text.split(";"):
        if not part.strip():
            continue
        many, times, length = part.replace("x", "×").partition("×")
        count = many.strip() if times else "1"
        try:
            um = parse_length(length if times else part, system)
        except LengthError as error:
            raise ValueError(f"{error}. {PIECES_FORM[:1].upper()}{PIECES_FORM[1:]}.") from None
        if not (count.isascii() and count.isdigit() and 0 < int(count[:4]) <= 200):
            raise ValueError(f"“{part.strip()[:30]}” is not understood: {PIECES_FORM}.")
        found += [um] * int(count)
    return tuple(found)


def write_pieces(pieces_um: Sequence[int], entry: Callable[[int], str]) -> str:
    """Pieces as they are typed, the like together."""
    return "; ".join(f"{pieces_um.count(um)} × {entry(um)}" for um in dict.fromkeys(pieces_um))
