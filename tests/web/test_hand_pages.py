"""Drills that work a piece by hand, over HTTP: plain forms, what is refused, the debrief, what is told of a slip."""

import html
import re

import pytest

from deft_bench.web.practice.hand_pages import HAND_PAGES
from harness import Bench, words

ACTS = {
    "line": (
        ({"did": "45_10", "lane": "nut", "fret": "4"}, "10 strokes at 45° on the nut side."),
        ({"did": "15_3", "lane": "saddle", "fret": "1"}, "3 strokes at 15° on the saddle side, bass only."),
        ({"did": "read", "lane": "nut", "fret": "4"}, "a shoulder stands 0"),
    ),
    "clamping": (
        ({"did": "turn", "fret": "3", "lane": "nut"}, "Clamp 3: a whole turn."),
        ({"did": "look", "fret": "3", "lane": "nut"}, "Nut end 0."),
        ({"did": "push", "fret": "3", "lane": "body"}, "Pushed the body end back."),
        ({"did": "loosen", "fret": "3", "lane": "nut"}, "Clamp 3 loosened."),
        ({"did": "wait", "fret": "3", "lane": "nut"}, "Waited a minute."),
    ),
    "sawing": (
        ({"did": "on", "lane": "well_to"}, "The kerf lies"),
        ({"did": "back", "lane": "straight"}, "Backed out, to saw that again"),
        ({"did": "stone", "lane": "straight"}, "Stoned the teeth that cut more"),
    ),
    "set_up": (
        ({"did": "relief", "lane": "6"}, "Read the relief: "),
        ({"did": "slots", "lane": "6"}, "over the frets."),
        ({"did": "play", "lane": "6"}, "Played string 6: "),
        ({"did": "file", "lane": "3", "stop": "0.15"}, "String 3: ten strokes in its slot, blades at 0.15 mm."),
        ({"did": "up", "lane": "3", "stop": "0.15"}, "String 3: screw a whole turn up."),
        ({"did": "tighten", "lane": "3"}, "before the rod was turned"),
    ),
    "scratches": (
        ({"did": "look", "lane": "along", "fret": "1"}, "Under the lamp: "),
        ({"did": "rub", "lane": "along", "fret": "2"}, "10 strokes along with P400 paper."),
        ({"did": "rub_more", "lane": "across", "fret": "4"}, "50 strokes across with P800 paper."),
        ({"did": "cover", "lane": "across", "fret": "4"}, "the pickups are covered"),
        ({"did": "oil", "lane": "across", "fret": "4"}, "Took the tape off and oiled the board."),
        ({"did": "tape", "lane": "across", "fret": "4"}, "on oil the tape does not hold"),
    ),
    "seating": (
        ({"did": "tap", "fret": "2", "lane": "bass"}, "Fret 2, bass: it goes in."),
        ({"did": "press", "fret": "2", "lane": "bass"}, "Pressed fret 2: it goes in."),
        ({"did": "pull", "fret": "2", "lane": "bass"}, "Pulled fret 2."),
        ({"did": "bend", "fret": "2", "lane": "bass"}, "Bent fret 2 tighter."),
        ({"did": "notch", "fret": "2", "lane": "bass"}, "Notched the tang of fret 2, bass."),
        ({"did": "glue", "fret": "2", "lane": "bass"}, "Glued and clamped fret 2."),
        ({"did": "look", "fret": "1", "lane": "bass"}, "Daylight under fret 1: 1.20 mm bass, 1.20 mm middle"),
    ),
    "ends": (
        (
            {"did": "flush_firm", "fret": "2", "lane": "treble"},
            "firm strokes flush, treble side, the hand at place 2.",
        ),
        (
            {"did": "bevel", "fret": "2", "lane": "bass"},
            "light strokes at the bevel, bass side, the hand",
        ),
        ({"did": "feel", "fret": "2", "lane": "bass"}, "Bass side: ends up to 0."),
    ),
    "datum": (
        ({"did": "lay_line", "fret": "1"}, "Laid the rule with its 10 mm line at the nut."),
        ({"did": "clamp", "fret": "1"}, "Clamped the rule down."),
        ({"did": "mark", "fret": "41"}, "Marked fret 1 along the rule."),
        ({"did": "step", "fret": "1"}, "Stepped fret 2 off with the dividers."),
        ({"did": "check", "fret": "1"}, "Looked at the nut: the rule lies as it was laid."),
    ),
}
REFUSED = {
    "line": (({"did": "grind", "fret": "4"}, "Choose one of: 45_10"), ({"did": "read", "fret": "5"}, "1 to 4")),
    "clamping": (({"did": "look", "fret": "7"}, "1 to 6"), ({"did": "look", "fret": "1", "lane": "heel"}, "nut, body")),
    "sawing": (({"did": "saw", "lane": "over"}, "Choose one of: well_off"), ({"did": "split"}, "Choose one of: saw")),
    "set_up": (
        ({"did": "play", "lane": "7"}, "one of: 1, 2"),
        ({"did": "file", "lane": "1", "stop": "3"}, "most"),
    ),
    "scratches": (
        ({"did": "look", "fret": "11"}, "1 to 10"),
        ({"did": "look", "fret": "1", "lane": "up"}, "across"),
    ),
    "seating": (({"did": "tap", "fret": "7"}, "1 to 6"), ({"did": "tap", "fret": "1", "lane": "nut"}, "bass, middle")),
    "ends": (({"did": "feel", "fret": "6"}, "1 to 5"), ({"did": "feel", "fret": "1", "lane": "nut"}, "bass, treble")),
    "datum": (({"did": "mark", "fret": "90"}, "1 to 81"), ({"did": "mark", "fret": "1"}, "Lay the rule first")),
}
SLIPS = {
    "line": "left a line of",
    "clamping": "not turned in the glue’s time",
    "sawing": "not sawn through",
    "set_up": "notes that buzz, the action",
    "scratches": "where the finish has 0.2",
    "seating": "daylight of 1.20 mm left",
    "ends": "ends up to 0.",
    "datum": "2 frets marked of 12",
}


@pytest.mark.parametrize("drill", ACTS)
def test_a_piece_is_worked_with_plain_forms_and_the_truth_is_shown_after(bench: Bench, drill: str) -> None:
    sent = {"person": "Ida", "level": 3, "seed": "8", "drill": drill}
    url = str(bench.post("/practice", sent, follow=False).headers["Location"])
    for fields, why in REFUSED[drill]:
        answer = bench.post(f"{url}/work", fields)
        assert answer.status_code == 422
        assert why in words(answer.text)
    for fields, says in ACTS[drill]:
        page = bench.post(f"{url}/work", fields)
        assert page.status_code == 200
        assert says in words(page.text), fields
    # a script gets the stage alone, and each button says its key
    part = bench.post(f"{url}/work", ACTS[drill][-1][0], headers={"HX-Request": "true"}).text
    assert "<html" not in part
    keys = re.findall(r'data-key="([^"]+)"', part)
    assert len(keys) == len(set(keys)) >= 3
    assert "What the program would have done" not in part
    seen = words(bench.post(f"{url}/handed-in", {}).text)
    assert "of 100" in seen
    assert "What the program would have done" in seen
    assert "answered already" in words(bench.post(f"{url}/work", ACTS[drill][0][0]).text)
    found = html.unescape(words(bench.get("/practice/people")))
    assert SLIPS[drill].casefold() in found.casefold()


def test_every_drill_by_hand_is_played_here() -> None:
    assert set(HAND_PAGES) == {*ACTS, "beam", "radius"}
