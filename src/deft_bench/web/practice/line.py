"""Thin the line: strokes of a crowning file by side, angle and zone, a look at the crown, and the debrief."""

from typing import Any

from deft_bench.bench.practice.line import LINE, UnderTheFile, last_read
from deft_bench.core.frets.crown_filing import ANGLES, SIDES
from deft_bench.core.frets.heights import LANES
from deft_bench.core.limits import LAND_MM, LAND_OFF_CENTRE_MM
from deft_bench.core.practice.line import (
    AIM_MM,
    ALL,
    LINE_SHARE,
    METAL_MM2,
    READ_MM,
    READING_S,
    ROUND_MM,
    ROUND_SHARE,
    SECONDS,
    Done,
    Fret,
    do,
    in_zones,
)
from deft_bench.web.drawing.crowned_fret import crowned_fret
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display

SIDE_NAMES = dict(zip(("nut", "saddle"), SIDES, strict=True))
ZONES = (*LANES, ALL)
FILES = {f"{angle}_{strokes}": (angle, strokes) for strokes in METAL_MM2 for angle in ANGLES}
KEYS = {"45_10": "s", "30_10": "m", "15_10": "f", "45_3": "4", "30_3": "3", "15_3": "1"}
READ = "read"


def done_words(one: Done) -> str:
    """What was done and what it said."""
    mm = display().fine_mm
    if one.what == READ:
        least, most = (mm(of(right - left for left, right, _, _ in one.read)) for of in (min, max))
        wide = most if least == most else f"{least} to {most}"
        aside = max((abs(left + right) / 2 for left, right, _, _ in one.read))
        over, under = max(read[3] for read in one.read), max(read[2] for read in one.read)
        stands = f"a shoulder stands {mm(over)} over" if over >= under else f"a shoulder lies {mm(under)} under"
        middle = f", up to {mm(aside)} off the middle" if aside >= READ_MM / 2 else ""
        return f"A line of {wide}{middle}; {stands} the arc"
    where = "" if len(one.zones) == len(LANES) else f", {one.zones[0]} only"
    side = next(name for name, sign in SIDE_NAMES.items() if sign == one.side)
    return f"{one.strokes} strokes at {one.angle}° on the {side} side{where}"


def _reads(form: Form, _: UnderTheFile) -> Act | None:
    did, side = form.one_of("did", [*FILES, READ]), form.one_of("lane", SIDE_NAMES, default="nut")
    zone = form.count("fret", 1, len(ZONES))
    if did is None or side is None or zone is None:
        return None
    if did == READ:
        return lambda on: do(on, "read")
    angle, strokes = FILES[did]
    zones = LANES if ZONES[zone - 1] == ALL else (ZONES[zone - 1],)
    return lambda on: do(on, "file", SIDE_NAMES[side], angle, strokes, zones)


def _stage(found: UnderTheFile, form: Form) -> dict[str, Any]:
    last = last_read(found)
    stroke = found.last("file")
    zone = 1 + ZONES.index(stroke.zones[0]) if stroke and len(stroke.zones) == 1 else len(ZONES)
    side = "saddle" if stroke and stroke.side > 0 else "nut"
    return {
        "drawn": crowned_fret(found.piece, last[1] if last else None),
        "fresh": last is not None and found.done[-1] is last[0],
        "read": last is not None,
        "takes": SECONDS,
        "reading": READING_S,
        "sides": list(SIDE_NAMES),
        "zones": ZONES,
        "files": {strokes: [(f"{angle}_{strokes}", angle) for angle in ANGLES] for strokes in METAL_MM2},
        "keys": KEYS,
        "values": {"fret": form.text("fret", str(zone)), "lane": form.text("lane", side)},
        "wanted_mm": (LAND_MM, LAND_OFF_CENTRE_MM, ROUND_MM),
    }


def _truth(found: UnderTheFile, _: Fret) -> dict[str, Any]:
    return {
        "drawn": crowned_fret(found.piece, found.piece),
        "shares": (LINE_SHARE, ROUND_SHARE),
        "zones": [(name, one, one.off_round(AIM_MM)) for name, one in in_zones(found.piece)],
        "widest": widest,
        "wanted_mm": (LAND_MM, LAND_OFF_CENTRE_MM, ROUND_MM),
    }


def widest(on: Fret) -> float:
    """Its widest line."""
    return max(right - left for left, right in (one.line() for one in on.zones))


def slip(on: Fret) -> str:
    """What went wrong with a fret."""
    if lost := max(one.lost_mm for one in on.zones):
        return f"its top lost {display().fine_mm(lost)}: the line is gone"
    off = max(max(one.off_round(AIM_MM)) for one in on.zones)
    return f"left a line of {display().fine_mm(widest(on))}, its shoulders up to {display().fine_mm(off)} off round"


PAGE = HandPage(LINE, _reads, _stage, _truth, done_words, slip)
