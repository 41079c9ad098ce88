"""`clearance`: how much room every string has over every fret, open and fretted."""

from typing import Any

from deft_bench.core.strings.capo import with_capo
from deft_bench.core.strings.clearance import Strung, clearance
from deft_bench.core.strings.stroke import AWAY_SHARE, PLUCK_FROM_SADDLE_MM, Stroke
from deft_bench.formats.calc.fields import listed, request
from deft_bench.formats.calc.strings_fields import (
    FRAME,
    OVER,
    RELIEF,
    STRINGS_MOST,
    buzz_fields,
    capo_fields,
    frame,
    strings,
    strung_fields,
)
from deft_bench.formats.strict_json import RequestError

ABOUT = "Room of every swinging string over every fret, open and fretted at each, and what buzzes"

PLACED: dict[str, Any] = {**FRAME, "relief_mm": RELIEF, "strings": listed(OVER, most=STRINGS_MOST)}
NEEDED = ["scale_mm", "frets", "relief_mm", "strings"]

SCHEMA = request(PLACED, NEEDED, ABOUT)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; margins are [fretted 0..N−1][over 1..N], null where the string is held down, and
    behind a capo.
    """
    neck, over = frame(asked, asked["relief_mm"]), strings(asked)
    found = clearance(neck, over, stroke(asked))
    refuse_arched(asked["relief_mm"], found)
    lie = capo_fields(found, asked)
    found = [with_capo(string, asked.get("capo", 0)) for string in found]
    return {"strings": [strung_fields(string) for string in found], "buzzes": buzz_fields(found), "capo": lie}


def refuse_arched(relief_mm: float, found: list[Strung]) -> None:
    """Refuse a back-bow so strong that an open string lies on the neck: no such neck can be read."""
    for string in found:
        if relief_mm < 0 and (place := string.lies_on()):
            fret, high = place
            why = f"lifts the middle of the neck above string {string.string}: {high:.2f} mm too high at fret {fret}"
            raise RequestError([f"relief_mm: {why}"])


def stroke(asked: dict[str, Any]) -> Stroke:
    """Where and how the strings are plucked; raises RequestError past the string."""
    place: float = asked.get("pluck_from_saddle_mm", PLUCK_FROM_SADDLE_MM)
    if place >= asked["scale_mm"]:
        raise RequestError(["pluck_from_saddle_mm: lies past the nut"])
    return Stroke(place, asked.get("away_share", AWAY_SHARE))
