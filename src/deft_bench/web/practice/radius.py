"""Radius by scribble: strokes with the radius block, pencil, the gauge, and the debrief with what is left."""

from typing import Any

from deft_bench.bench.practice.radius import RADIUS, UnderTheBlock, gauged
from deft_bench.core.practice.level_work import FLAT_SHARE, METAL_SHARE
from deft_bench.core.practice.radius import ALONG, LEANS, PLACES, SECONDS, STROKES, TRUE_MM, Blank, Done, Lean, What, do
from deft_bench.web.drawing.scribbled_blank import UM_FOR_ALL, scribbled_blank
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display

WHATS: dict[str, What] = {
    "light": "sand",
    "firm": "sand",
    "along_light": "sand",
    "along_firm": "sand",
    "scribble": "scribble",
    "gauge": "gauge",
}
HAND: dict[Lean, str] = {"bass": "the bass side", "even": "the middle", "treble": "the treble side"}


def done_words(one: Done) -> str:
    """What was done and what it said."""
    if one.what == "scribble":
        return "Scribbled over it again"
    if one.what == "gauge":
        most = max(one.gaps_mm)
        if not most:
            return f"Gauge at place {one.place}: no light"
        across = one.gaps_mm.index(most) / (len(one.gaps_mm) - 1)
        where = "the bass edge" if across < 0.3 else "the treble edge" if across > 0.7 else "the middle"
        return f"Gauge at place {one.place}: light of up to {display().fine_mm(most)}, most at {where}"
    firm = "firm" if one.firm else "light"
    over = "along the whole" if one.place == ALONG else f"over place {one.place}"
    return f"{STROKES} {firm} strokes {over}, the hand on {HAND[one.lean]}"


def _reads(form: Form, _: UnderTheBlock) -> Act | None:
    did, lean = form.one_of("did", WHATS), form.one_of("lane", LEANS, default="even")
    place = form.count("fret", 1, PLACES)
    if did is None or lean is None:
        return None
    at = ALONG if did.startswith("along") else place or 0
    return lambda on: do(on, WHATS[did], at, lean, firm=did.endswith("firm"))


def _stage(found: UnderTheBlock, form: Form) -> dict[str, Any]:
    stroke = next((one for one in reversed(found.done) if one.place), None)
    sanded = found.last("sand")
    light = gauged(found)
    return {
        "drawn": scribbled_blank(found.piece, light),
        "gauged": bool(light),
        "takes": SECONDS,
        "strokes": STROKES,
        "leans": list(LEANS),
        "values": {
            "fret": form.text("fret", str(stroke.place if stroke else 5)),
            "lane": form.text("lane", sanded.lean if sanded else "even"),
        },
        "true_mm": TRUE_MM,
        "for_all_mm": UM_FOR_ALL / 1000,
    }


def _truth(found: UnderTheBlock, _: Blank) -> dict[str, Any]:
    return {
        "shares": (FLAT_SHARE, METAL_SHARE),
        "drawn": scribbled_blank(found.piece, off=found.piece.to_come_off()),
        "true_mm": TRUE_MM,
        "for_all_mm": UM_FOR_ALL / 1000,
    }


def slip(on: Blank) -> str:
    """What went wrong with a blank."""
    return f"left within {display().fine_mm(2 * on.band_mm)} of the radius"


PAGE = HandPage(RADIUS, _reads, _stage, _truth, done_words, slip)
