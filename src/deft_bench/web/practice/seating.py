"""Seat the frets: blows by zone, the press, looks, what is pulled, bent, notched and glued, and the debrief."""

from typing import Any

from deft_bench.bench.practice.seating import SEATING, AtTheSlots, looked
from deft_bench.core.practice.seating import FRETS, HOME_MM, SECONDS, TIME_SHARE, ZONES, Done, Slotted, do
from deft_bench.web.drawing.seated_board import seated_board
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display

FEELS = {
    "goes": "it goes in",
    "home": "it sits",
    "springs": "it springs back",
    "rings": "it rings, and goes no further",
}
SAID = {
    "pull": "Pulled fret {n}",
    "bend": "Bent fret {n} tighter",
    "notch": "Notched the tang of fret {n}, {zone}",
    "glue": "Glued and clamped fret {n}",
}


def done_words(one: Done) -> str:
    """What was done and what it told."""
    if one.what == "tap":
        return f"Fret {one.fret}, {one.zone}: {FEELS[one.feels]}"
    if one.what == "press":
        return f"Pressed fret {one.fret}: {FEELS[one.feels]}"
    if one.what == "look":
        light = [f"{display().fine_mm(mm)} {zone}" for zone, mm in zip(ZONES, one.seen_mm, strict=True) if mm > 0]
        return f"Daylight under fret {one.fret}: {', '.join(light) or 'none'}"
    return SAID[one.what].format(n=one.fret, zone=one.zone)


def _reads(form: Form, _: AtTheSlots) -> Act | None:
    did, zone = form.one_of("did", SECONDS), form.one_of("lane", ZONES, default="bass")
    fret = form.count("fret", 1, FRETS)
    if did is None or zone is None or fret is None:
        return None
    return lambda on: do(on, did, fret, zone)


def _stage(found: AtTheSlots, form: Form) -> dict[str, Any]:
    last = found.done[-1] if found.done else None
    return {
        "drawn": seated_board([one.up_mm for one in found.piece.frets], looked(found.done)),
        "takes": SECONDS,
        "zones": ZONES,
        "home_mm": HOME_MM,
        "values": {
            "fret": form.text("fret", str(last.fret if last else 1)),
            "lane": form.text("lane", last.zone if last else ZONES[0]),
        },
    }


def _truth(found: AtTheSlots, _: Slotted) -> dict[str, Any]:
    on = found.piece
    return {
        "drawn": seated_board([one.up_mm for one in on.frets], {n: one.up_mm for n, one in enumerate(on.frets, 1)}),
        "rows": [
            (before, after, before.springs_mm(on.board_mm), daylight)
            for before, after, daylight in zip(found.truth.frets, on.frets, on.daylight_mm(), strict=True)
        ],
        "zones": ZONES,
        "home_mm": HOME_MM,
        "time_share": TIME_SHARE,
    }


def slip(on: Slotted) -> str:
    """What went wrong with a board."""
    if on.cracked:
        return "a fret driven on what was in its way: the board cracked"
    return f"daylight of {display().fine_mm(max(on.daylight_mm()))} left under a fret"


PAGE = HandPage(SEATING, _reads, _stage, _truth, done_words, slip)
