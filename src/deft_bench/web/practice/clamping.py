"""Glue and clamp: clamps by number, looks at both ends, pushes, the clock, and the debrief."""

from typing import Any

from deft_bench.bench.practice.clamping import CLAMPING, UnderTheClamps
from deft_bench.core.practice.clamping import CLAMPS, DRY, ENDS, SECONDS, TIME_SHARE, TRUE_MM, Done, Gluing, do
from deft_bench.web.drawing.clamped_board import clamped_board
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display

SAID = {
    "quarter": "Clamp {clamp}: a quarter turn",
    "turn": "Clamp {clamp}: a whole turn",
    "loosen": "Clamp {clamp} loosened",
    "push": "Pushed the {end} end back",
    "wait": "Waited a minute",
}


def done_words(one: Done) -> str:
    """What was done and what it said."""
    if one.what != "look":
        return SAID[one.what].format(clamp=one.clamp, end=one.end)
    return "; ".join(f"{end} end {off_words(mm)}" for end, mm in zip(ENDS, one.seen_mm, strict=True)).capitalize()


def off_words(mm: float) -> str:
    """How far an end lies off its line, and to which side."""
    return f"{display().fine_mm(abs(mm))} to the {'treble' if mm > 0 else 'bass'} side" if round(mm, 2) else "true"


def off_short(mm: float) -> str:
    """The same for a table."""
    return off_words(mm).replace("to the ", "").removesuffix(" side")


def clock(seconds: float) -> str:
    """Minutes and seconds."""
    return f"{int(seconds) // 60}:{int(seconds) % 60:02d}"


def _reads(form: Form, _: UnderTheClamps) -> Act | None:
    did, end = form.one_of("did", SECONDS), form.one_of("lane", ENDS, default=ENDS[0])
    clamp = form.count("fret", 1, CLAMPS)
    if did is None or end is None or clamp is None:
        return None
    return lambda on: do(on, did, clamp, end)


def _stage(found: UnderTheClamps, form: Form) -> dict[str, Any]:
    look = found.last("look")
    clamp = found.last("quarter", "turn", "loosen")
    push = found.last("push")
    return {
        "drawn": clamped_board(found.piece, look.seen_mm if look else (0.0, 0.0)),
        "fresh": look is not None and found.done[-1] is look,
        "looked": look is not None,
        "clock": clock,
        "takes": SECONDS,
        "ends": ENDS,
        "values": {
            "fret": form.text("fret", str(clamp.clamp if clamp else 1)),
            "lane": form.text("lane", push.end if push else ENDS[0]),
        },
        "true_mm": TRUE_MM,
    }


def _truth(found: UnderTheClamps, _: Gluing) -> dict[str, Any]:
    on = found.piece
    return {
        "drawn": clamped_board(on, (on.nut_mm, on.body_mm)),
        "clock": clock,
        "off_words": off_words,
        "off_short": off_short,
        "true_mm": TRUE_MM,
        "time_share": TIME_SHARE,
    }


def slip(on: Gluing) -> str:
    """What went wrong with a board."""
    late = f", {100 * on.dry:.0f} % not turned in the glue’s time" if on.dry > DRY else ""
    return f"an end {display().fine_mm(on.worst_mm)} off its line{late}"


PAGE = HandPage(CLAMPING, _reads, _stage, _truth, done_words, slip)
