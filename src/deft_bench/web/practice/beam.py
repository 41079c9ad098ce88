"""Level with the beam: strokes where the hand bears, press, tap, ink, and the debrief with the true tops."""

from typing import Any

from deft_bench.bench.practice.beam import BEAM, UnderTheBeam
from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice.beam import FRETS, LEVEL_MM, POSITIONS, SECONDS, BeamNeck, Done, What, do
from deft_bench.core.practice.level_work import FLAT_SHARE, METAL_SHARE, STROKES
from deft_bench.web.drawing.beamed_neck import UM_FOR_ALL, under_beam
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display

WHATS: dict[str, What] = {
    "light": "stroke",
    "firm": "stroke",
    "press": "press",
    "tap": "tap",
    "ink": "ink",
    "read": "read",
}
ALL_LANES = "all three"


def done_words(one: Done) -> str:
    """What was done and what it said."""
    if one.what == "stroke":
        where = "all three lanes" if len(one.lanes) == len(LANES) else f"the {one.lanes[0]}"
        return f"{STROKES} {'firm' if one.firm else 'light'} strokes along {where}, the hand over fret {one.fret}"
    if one.what == "press":
        return f"Pressed fret {one.fret}: {'it gives' if one.gives else 'it stands firm'}"
    if one.what == "tap":
        return f"Tapped fret {one.fret}: {'it went home' if one.gives else 'it was home already'}"
    if one.what == "ink":
        return "Inked every top again"
    most = max(max(offs) for offs in one.read.values())
    return f"Read the tops: up to {display().fine_mm(most)} should come off"


def _reads(form: Form, _: UnderTheBeam) -> Act | None:
    did, lane, fret = form.one_of("did", WHATS), form.text("lane", ALL_LANES), form.count("fret", 1, FRETS)
    lanes = LANES if lane == ALL_LANES else (lane,)
    if did is None:
        return None
    return lambda neck: do(neck, WHATS[did], fret or 0, lanes, did == "firm")


def _stage(found: UnderTheBeam, form: Form) -> dict[str, Any]:
    last = found.last("read")
    stroke = found.last("stroke")
    lane = stroke.lanes[0] if stroke and len(stroke.lanes) == 1 else ALL_LANES
    return {
        "drawn": under_beam(found.piece, POSITIONS, last.read if last else None),
        "fresh": last is not None and found.done[-1] is last,
        "read": last is not None,
        "takes": SECONDS,
        "strokes": STROKES,
        "lanes": [ALL_LANES, *LANES],
        "values": {"fret": form.text("fret", str(stroke.fret if stroke else 11)), "lane": form.text("lane", lane)},
        "level_mm": LEVEL_MM,
        "for_all_mm": UM_FOR_ALL / 1000,
    }


def _truth(found: UnderTheBeam, _: BeamNeck) -> dict[str, Any]:
    home = found.piece.home()
    left = {lane: home.to_come_off(lane) for lane in LANES}
    out = {n: up for n, up in enumerate(found.truth.lifted, 1) if up}
    return {
        "shares": (FLAT_SHARE, METAL_SHARE),
        "drawn": under_beam(found.piece, POSITIONS, left, out),
        "level_mm": LEVEL_MM,
        "for_all_mm": UM_FOR_ALL / 1000,
    }


def slip(neck: BeamNeck) -> str:
    """What went wrong with a neck."""
    words = f"its worst lane within {display().fine_mm(2 * neck.band_mm)}"
    if neck.wasted_mm >= 0.001:
        words += f", {display().fine_mm(neck.wasted_mm)} ground off what was only out of its slot"
    return words


PAGE = HandPage(BEAM, _reads, _stage, _truth, done_words, slip)
