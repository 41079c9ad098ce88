"""The Neck screen and the rocker survey through the pages."""

import re
from typing import Any

from deft_bench.formats.record_json import export_record
from deft_bench.store import instruments, jobs, rod_turns, shop, surveys
from deft_bench.store.database import Connection
from harness import Bench

HERON, PLOVER, GODWIT = 1, 2, 7


def test_the_rods_answer_and_its_stop_signs(bench: Bench, demo: Connection) -> None:
    text = bench.get(f"/instruments/{PLOVER}/neck?aim=playing")
    assert "2 recorded turns: this rod gives" in text
    assert re.search(r"Tighten (a quarter turn|an eighth of a turn) toward 0\.18\u00a0mm of relief", text)
    assert text.count('class="relief-dot"') == 2
    stop = bench.get(f"/instruments/{GODWIT}/neck?aim=fretwork")
    assert "A single rod that is slack cannot push the neck forward" in stop
    assert "Refer for neck work" in stop
    assert "Turned:" not in stop
    said = bench.post(f"/instruments/{PLOVER}/neck/turned", {"turns": "640", "aim": "playing"}).text
    assert "never more than a whole one" in said
    after = bench.post(f"/instruments/{PLOVER}/neck/turned", {"turns": "16", "aim": "playing"}).text
    assert "Let it settle, retune, and read again." in after
    assert [turn.turns_64 for turn in rod_turns.of_instrument(demo, PLOVER)] == [16, 8, 16]
    assert [turn["turns_64"] for turn in export_record(demo, PLOVER)["rod_turns"]] == [16, 8, 16]
    classical = next(one for one in instruments.page(demo, limit=50) if one.spec.rod == "none")
    assert "There is no rod to turn" in bench.post(f"/instruments/{classical.id}/neck/turned", {"turns": "8"}).text
    assert "This neck has no rod" in bench.get(f"/instruments/{classical.id}/neck")


def test_the_two_gates_are_different(bench: Bench, demo: Connection) -> None:
    shop.change(demo, {"system": "in"})
    fretwork = bench.get(f"/instruments/{HERON}/neck?aim=fretwork")
    playing = bench.get(f"/instruments/{HERON}/neck?aim=playing")
    for text in (fretwork, playing):
        assert "For fretwork" in text
        assert "For playing" in text
        assert not re.search(r"\d mm\b", re.sub(r"<[^>]*>", " ", text))
    assert "side-target" not in fretwork
    assert "side-target" in playing
    # twist is told from heights above one reference only
    assert "needs heights above one reference" in fretwork
    height = next(
        one.id
        for one in instruments.page(demo, limit=50)
        if any(s.head.method == "height" for s in surveys.of_instrument(demo, one.id, "fret_heights"))
    )
    assert "over the scale" in bench.get(f"/instruments/{height}/neck")


def rocker_survey(bench: Bench, db: Connection) -> tuple[str, surveys.Survey]:
    job = jobs.open_of(db, [HERON])[HERON].id
    head = {
        "kind": "rocker",
        "stage": "before",
        "tool": "fret rocker",
        "resolution_um": "0.02",
        "string_state": "off",
        "order": "lane_by_lane",
    }
    where = bench.post(f"/jobs/{job}/surveys/new", head, follow=False).headers["Location"]
    return where, surveys.get(db, int(where.rsplit("/", 1)[1]))


def answer(bench: Bench, where: str, lane: str, fret: int, said: str) -> dict[str, Any]:
    sent = {"lane": lane, "fret": str(fret), "reading": said, "token": f"{lane}{fret}{said}"}
    return bench.post(f"{where}/readings", sent, headers={"Accept": "application/json"}).json or {}


def test_a_rocker_survey_finds_the_culprit_and_says_what_would_settle_it(bench: Bench, demo: Connection) -> None:
    where, survey = rocker_survey(bench, demo)
    assert "Stand the rocker on three frets" in bench.get(where)
    reply = {}
    for fret in range(survey.frets - 1, 1, -1):
        reply = answer(bench, where, "bass", fret, "r" if fret in (8, 10) else "f")
    assert reply["value"] == "flat"
    assert reply["rocker"]["say"].startswith("Lift fret 9: low in the bass.")
    lane = {state["fret"]: state for state in reply["lane"]}
    assert (lane[9]["shape"], lane[8]["shape"], lane[10]["shape"]) == ("low", "even", "even")
    assert reply["rocker"]["next"] is None
    # the middle lane is left half done: two stories fit, a test would settle it, and it is shown
    for fret in range(survey.frets - 1, 9, -1):
        reply = answer(bench, where, "middle", fret, "r" if fret == 10 else "f")
    assert reply["rocker"]["next"]["lane"] == "middle"
    text = bench.get(where)
    assert "pulse" in text
    assert re.search(r'data-edge="edge [\d.]+ mm to [\d.]+ mm"', text)
    # what is no answer is refused; an answer can be changed, and the earlier one stays
    assert "r when it rocks" in answer(bench, where, "treble", 5, "0.05")["error"]
    assert answer(bench, where, "treble", 1, "r")["error"]
    csv = bench.client.get(f"{where}.csv").text
    assert re.search(r"^8,bass,rocks,r,", csv, re.MULTILINE)
    sheet = bench.post(f"{where}/sheet", {"text": "fret,lane,reading\n5,treble,rocks\n1,treble,f\n6,treble,maybe"})
    assert "named by its middle fret" in sheet.text
    assert "is no answer" in sheet.text
    assert surveys.values(demo, survey.id).get(("treble", 5)) is None


def test_where_heights_and_rocker_disagree_it_is_shown(bench: Bench, demo: Connection) -> None:
    where, survey = rocker_survey(bench, demo)
    for fret in range(survey.frets - 1, 1, -1):
        reply = answer(bench, where, "bass", fret, "r" if fret in (13, 15) else "f")
    assert "fret 14 bass: the rocker says low, the heights do not" in reply["rocker"]["disagree"]
    assert "the heights do not" in bench.get(where)
    for fret in range(survey.frets - 1, 1, -1):
        reply = answer(bench, where, "middle", fret, "r" if fret % 2 else "f")
    assert "rocks nearly everywhere in the middle" in reply["rocker"]["say"]
