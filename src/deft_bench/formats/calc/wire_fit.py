"""`wire-fit`: whether a wire holds in a slot, and whether it is overbent enough for the board."""

from typing import Any

from deft_bench.core.board.section import wire_fit
from deft_bench.core.calls import Call, Instead
from deft_bench.formats.calc.fields import POSITIVE, call_fields, request

ABOUT = "How a fret wire fits its slot: press, glue, loose or tight, and whether it is overbent enough"

SCHEMA = request(
    {
        "slot_width_mm": {**POSITIVE, "maximum": 5},
        "tang_width_mm": {**POSITIVE, "maximum": 5},
        "barb_width_mm": {**POSITIVE, "maximum": 5},
        "wire_radius_mm": {**POSITIVE, "maximum": 100_000},
        "board_radius_mm": {"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 100_000},
    },
    ["slot_width_mm", "tang_width_mm", "barb_width_mm", "wire_radius_mm", "board_radius_mm"],
    ABOUT,
)

_SAY = {
    "press": ("Press or hammer it in dry: the barbs bite {bite:.2f} mm.", ()),
    "glue": ("Glue it: the barbs bite only {bite:.2f} mm.", (Instead("A wire with wider barbs", "order"),)),
    "loose": ("Too loose: the barbs bite {bite:.2f} mm.", (Instead("Glue and clamp until cured", "clamps, a day"), Instead("A wire with wider barbs", "order"))),
    "tight": ("Too tight: open the slot or choose another wire.", (Instead("Press it all the same", "the neck is pushed backward"),)),
}  # fmt: skip


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; the board's radius is null on a flat board."""
    slot, tang, barb = asked["slot_width_mm"], asked["tang_width_mm"], asked["barb_width_mm"]
    found = wire_fit(slot, tang, barb, asked["wire_radius_mm"], asked["board_radius_mm"])
    say, instead = _SAY[found.fit]
    because = [f"Slot {slot:g}, tang {tang:g}, over the barbs {barb:g} mm."]
    if found.tang_clearance_mm < 0:
        because.append(f"The tang is {-found.tang_clearance_mm:.2f} mm wider than the slot.")
    if not found.overbend_ok:
        because.append("Bend the wire to between 70 % of the board's radius and just under it.")
    if found.fit in ("press", "tight"):
        because.append("Tangs in tight slots push the neck backward: read its straightness again after seating.")
    figures = {"tang_clearance_mm": found.tang_clearance_mm, "barb_bite_mm": found.barb_bite_mm}
    settle = "One fret seated in an offcut slotted with the same saw."
    call = Call(say.format(bite=found.barb_bite_mm), found.fit, figures, tuple(because), instead, "likely", settle)
    return {
        "tang_clearance_mm": found.tang_clearance_mm,
        "barb_bite_mm": found.barb_bite_mm,
        "fit": found.fit,
        "overbend_ok": found.overbend_ok,
        "call": call_fields(call),
    }
