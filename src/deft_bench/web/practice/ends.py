"""File the ends: strokes by side and place, flush or at the bevel, a finger along it, and the debrief."""

from typing import Any

from deft_bench.bench.practice.ends import ENDS, AtTheEdge
from deft_bench.core.practice.ends import (
    BEVEL_MM,
    EDGE_MM,
    FLUSH_MM,
    PLACES,
    SECONDS,
    SIDES,
    TAKES,
    TIME_SHARE,
    Done,
    Ends,
    do,
)
from deft_bench.web.drawing.filed_ends import filed_ends
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display


def done_words(one: Done) -> str:
    """What was done and what it told."""
    if one.what == "feel":
        over, least, most, bare = (display().fine_mm(mm) for mm in one.felt_mm)
        edge = f", {bare} off the board’s edge" if one.felt_mm[3] > EDGE_MM else ""
        return f"{one.side} side: ends up to {over} over, bevels {least} to {most}{edge}".capitalize()
    how = "firm" if one.what.endswith("firm") else "light"
    at = "at the bevel" if one.what.startswith("bevel") else "flush"
    return f"Ten {how} strokes {at}, {one.side} side, the hand at place {one.place}"


def _reads(form: Form, _: AtTheEdge) -> Act | None:
    did, side = form.one_of("did", SECONDS), form.one_of("lane", SIDES, default=SIDES[0])
    place = form.count("fret", 1, PLACES)
    if did is None or side is None or place is None:
        return None
    return lambda on: do(on, did, side, place)


def _stage(found: AtTheEdge, form: Form) -> dict[str, Any]:
    last = found.done[-1] if found.done else None
    stroke = found.last(*TAKES)
    return {
        "drawn": filed_ends(found.piece),
        "takes": SECONDS,
        "sides": SIDES,
        "flush_mm": FLUSH_MM,
        "bevel_mm": BEVEL_MM,
        "values": {
            "fret": form.text("fret", str(stroke.place if stroke else 3)),
            "lane": form.text("lane", last.side if last else SIDES[0]),
        },
    }


def _truth(found: AtTheEdge, _: Ends) -> dict[str, Any]:
    return {
        "drawn": filed_ends(found.piece),
        "rows": list(zip(SIDES, found.piece.sides, strict=True)),
        "flush_mm": FLUSH_MM,
        "bevel_mm": BEVEL_MM,
        "edge_mm": EDGE_MM,
        "time_share": TIME_SHARE,
    }


def slip(on: Ends) -> str:
    """What went wrong with a board."""
    worse = min(on.sides, key=lambda one: one.worth())
    bare = f", {display().fine_mm(max(worse.bare_mm))} off the edge" if max(worse.bare_mm) > EDGE_MM else ""
    return f"ends up to {display().fine_mm(max(worse.over_mm))} over{bare}"


PAGE = HandPage(ENDS, _reads, _stage, _truth, done_words, slip)
