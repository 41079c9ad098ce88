"""Saw to a line: the hand's turn, so far on, backed out, the teeth stoned, and the debrief."""

from typing import Any

from deft_bench.bench.practice.sawing import SAWING, AtTheKerf
from deft_bench.core.practice.sawing import (
    MANY,
    SECONDS,
    STEP_MM,
    TIME_SHARE,
    TURNS,
    WIDE_MM,
    WOOD_SHARE,
    Done,
    Kerf,
    do,
)
from deft_bench.web.drawing.sawn_kerf import sawn_kerf
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display

TURN_WORDS = {
    "well_off": "well away from it",
    "off": "a little away from it",
    "straight": "straight along it",
    "to": "a little to it",
    "well_to": "well to it",
}
TOLD = {"back": "Backed out, to saw that again", "stone": "Stoned the teeth that cut more"}


def done_words(one: Done) -> str:
    """What was done."""
    if one.what in TOLD:
        return TOLD[one.what]
    far = display().long(round(1000 * STEP_MM * MANY[one.what]))
    turn = next(name for name, turn in TURNS.items() if turn == one.turn)
    return f"Sawed on {far}, the hand {TURN_WORDS[turn]}"


def lies(mm: float) -> str:
    """Where a kerf lies."""
    if abs(mm) < 0.005:
        return "on the line"
    return f"{display().fine_mm(abs(mm))} {'off it, in the waste' if mm > 0 else 'over the line'}"


def _reads(form: Form, _: AtTheKerf) -> Act | None:
    did, turn = form.one_of("did", SECONDS), form.one_of("lane", TURNS, default="straight")
    if did is None or turn is None:
        return None
    return lambda on: do(on, did, TURNS[turn])


def _stage(found: AtTheKerf, form: Form) -> dict[str, Any]:
    last = found.last(*MANY)
    turn = next(name for name, turn in TURNS.items() if turn == (last.turn if last else 0))
    return {
        "drawn": sawn_kerf(found.piece),
        "lies": lies(found.piece.now_mm),
        "takes": SECONDS,
        "turns": TURN_WORDS,
        "step_um": round(1000 * STEP_MM),
        "many": MANY,
        "values": {"lane": form.text("lane", turn)},
        "wide_mm": WIDE_MM,
    }


def _truth(found: AtTheKerf, _: Kerf) -> dict[str, Any]:
    return {
        "drawn": sawn_kerf(found.piece),
        "lies": lies,
        "shares": (WOOD_SHARE, TIME_SHARE),
        "step_um": round(1000 * STEP_MM),
    }


def slip(on: Kerf) -> str:
    """What went wrong with a kerf."""
    if not on.through:
        return "not sawn through"
    over = f"{display().fine_mm(on.over_mm)} over the line" if on.over_mm else "never over the line"
    return f"{over}, up to {display().fine_mm(max(on.at_mm))} off it in the waste"


PAGE = HandPage(SAWING, _reads, _stage, _truth, done_words, slip)
