"""Set it up: the rod, slots to a stop, screws, plucks, what is known by string, and the debrief."""

from collections.abc import Mapping, Sequence
from typing import Any

from deft_bench.bench.practice.set_up import SET_UP, Stringing, known
from deft_bench.core.practice.set_up import (
    FILED_MM,
    HIGHER_MM,
    QUIET_SHARE,
    SECONDS,
    SLOT_HIGH_MM,
    SLOT_MM,
    SLOT_SHARE,
    Done,
    StrungNeck,
    do,
)
from deft_bench.core.practice.six_strings import FRETS, STRINGS
from deft_bench.web.drawing.buzz_map import STRING, TOP, BuzzMap, buzz_map
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display

STOP_MOST_UM = 1000
SAID = {
    "tighten": "Tightened an eighth of a turn",
    "loosen": "Loosened an eighth of a turn",
    "raise": "String {n}: screw a quarter turn up",
    "lower": "String {n}: screw a quarter turn down",
    "up": "String {n}: screw a whole turn up",
    "down": "String {n}: screw a whole turn down",
    "slots": "Read the slots: {least} to {most} over the frets",
    "actions": "Read the action at fret 12: {least} to {most}",
    "relief": "Read the relief: {least}",
}


def done_words(one: Done) -> str:
    """What was done and what it said."""
    if one.what == "play":
        return f"Played string {one.string}: {places_words(one.read)}"
    if one.what in FILED_MM:
        strokes = "ten strokes" if one.what == "file" else "two strokes"
        stop = f", blades at {display().fine_mm(one.stop_mm)}" if one.stop_mm else ", no blades"
        return f"String {one.string}: {strokes} in its slot{stop}"
    least, most = (display().fine_mm(of(one.read, default=0.0)) for of in (min, max))
    return SAID[one.what].format(n=one.string, least=least, most=most)


def places_words(places: Sequence[float]) -> str:
    """Where a string buzzes."""
    if not places:
        return "clean"
    return "buzzes " + ", ".join("open" if not place else f"at {place:.0f}" for place in places)


def drawn_of(buzzing: Mapping[int, Sequence[int]], places: int = FRETS - 1) -> BuzzMap:
    """Notes known to buzz, of so many places on each string."""
    return buzz_map([int(f in buzzing.get(n, ())) for n in range(1, STRINGS + 1) for f in range(places)])


def _reads(form: Form, _: Stringing) -> Act | None:
    did, string = form.one_of("did", SECONDS), form.one_of("lane", [str(n) for n in range(1, STRINGS + 1)])
    stop = form.length("stop", optional=True)
    if stop is not None and not 0 <= stop <= STOP_MOST_UM:
        form.errors["stop"] = f"Blades stack to {display().fine_mm(STOP_MOST_UM / 1000)} at most; empty is none."
    if did is None or string is None or form.errors:
        return None
    return lambda on: do(on, did, int(string), (stop or 0) / 1000)


def _stage(found: Stringing, form: Form) -> dict[str, Any]:
    string = next((one.string for one in reversed(found.done) if one.string), STRINGS)
    filed = found.last(*FILED_MM)
    stop = filed.stop_mm if filed else SLOT_MM
    told = known(found.done)
    return {
        "told": told,
        "drawn": drawn_of(told.buzzing),
        "lanes": {str(n): TOP + STRING * (STRINGS - n) for n in range(1, STRINGS + 1)},
        "strings": STRINGS,
        "slot_mm": SLOT_MM,
        "places_words": places_words,
        "values": {
            "lane": form.text("lane", str(string)),
            "stop": form.text("stop", display().fine_number(round(1000 * stop)) if stop else ""),
        },
    }


def _truth(found: Stringing, their_end: StrungNeck) -> dict[str, Any]:
    on = found.piece
    return {
        "drawn": drawn_of(dict(enumerate(on.buzzing(), 1))),
        "rows": list(
            zip(on.slots_mm, on.actions_mm(), their_end.actions_mm(), on.buzzing(), strict=True),
        ),
        "places_words": places_words,
        "slot_mm": SLOT_MM,
        "slot_high_mm": SLOT_HIGH_MM,
        "higher_mm": HIGHER_MM,
        "shares": (QUIET_SHARE, SLOT_SHARE),
        "their_relief_mm": their_end.relief_mm,
    }


def slip(on: StrungNeck) -> str:
    """What went wrong with a setup."""
    buzzing, actions = sum(map(len, on.buzzing())), on.actions_mm()
    return f"{buzzing} notes that buzz, the action {display().fine_mm(sum(actions) / len(actions))} on the mean"


PAGE = HandPage(SET_UP, _reads, _stage, _truth, done_words, slip)
