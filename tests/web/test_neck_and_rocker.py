"""The Neck screen, the rocker survey, tape, crowning and polish through the pages."""

import itertools
import re
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from deft_bench.bench.rod import recorded_turns
from deft_bench.bench.setup.readings import latest_read
from deft_bench.formats.record import export_record
from deft_bench.store import instruments, jobs, rod_turns, shop, surveys
from deft_bench.store.database import Connection
from deft_bench.web import create_app
from harness import NOW, Bench

HERON, PLOVER, GODWIT, KNOT = 1, 2, 7, 8

HEIGHTS = {
    "kind": "fret_heights",
    "when": "between",
    "method": "gap",
    "tool": "gauge",
    "resolution_um": "0.02",
    "string_state": "off",
}


def test_the_rods_answer_and_its_stop_signs(bench: Bench, demo: Connection) -> None:
    text = bench.get(f"/instruments/{PLOVER}/neck?aim=playing")
    assert "2 recorded turns: this rod gives" in text
    assert re.search(r"Tighten (a quarter turn|an eighth of a turn) toward 0\.18\u00a0mm of relief", text)
    assert text.count('class="relief-dot"') == 2
    stop = bench.get(f"/instruments/{GODWIT}/neck?aim=playing")
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
        "when": "before",
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
    # what else was read of this neck counts too
    assert "Lift fret 9 before you level." in bench.get(where)
    reply = {}
    for fret in range(survey.frets - 1, 1, -1):
        reply = answer(bench, where, "bass", fret, "r" if fret in (8, 10) else "f")
    assert reply["value"] == "flat"
    assert reply["rocker"]["say"].startswith("Lift fret 9: low in the bass.")
    call = bench.client.get(f"{where}/call").json
    assert call["say"] == "Lift fret 9 before you level."
    lane = {spot["fret"]: spot for spot in call["spots"] if spot["lane"] == "bass"}
    assert (lane[9]["shape"], lane[8]["shape"], lane[10]["shape"]) == ("low", "even", "even")
    assert "sits flat" in lane[9]["words"]
    assert reply["rocker"]["next"] is None
    # the middle lane is left half done: two stories fit, a test would settle it, and it is shown
    for fret in range(survey.frets - 1, 9, -1):
        reply = answer(bench, where, "middle", fret, "r" if fret == 10 else "f")
    assert reply["rocker"]["next"]["lane"] == "middle"
    text = bench.get(where)
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


def test_a_fall_away_by_tape_reaches_the_plan(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [4])[4].id  # the one that chokes above the fifteenth
    asked = "tape_fret=10&tape_layers=2&beam_layers=1&tape_um=0.05&first_cut=16"
    answer = bench.client.get(f"/jobs/{job}/level/tape?{asked}")
    assert "fall_from=15" in answer.headers["Location"]
    text = bench.get(answer.headers["Location"])
    assert "0.15 mm of tape over fret 10: the beam cuts from fret 16 on" in text
    assert "Stop when fret 16 is just touched" in text
    assert 'id="fall_from" name="fall_from" inputmode="numeric" autocomplete="off" value="15"' in text
    for wrong, said in (
        ("tape_fret=10&tape_layers=0&beam_layers=0&tape_um=0.05&first_cut=16", "more than nothing"),
        ("tape_fret=10&tape_layers=2&beam_layers=0&tape_um=0&first_cut=16", "more than nothing"),
        ("tape_fret=14&tape_layers=2&beam_layers=0&tape_um=0.1&first_cut=15", "first fret cut must lie from 16"),
        ("tape_fret=x&tape_layers=2&beam_layers=0&tape_um=0.1&first_cut=15", "whole number from 1"),
        ("tape_fret=14&tape_layers=9&beam_layers=0&tape_um=0.1&first_cut=16", "at most 1.00 mm is planned"),
    ):
        page = bench.client.get(f"/jobs/{job}/level/tape?{wrong}", follow_redirects=True).text
        assert said in page
        assert (
            'id="tape_layers" name="tape_layers" inputmode="numeric" autocomplete="off" value="'
            + wrong.split("tape_layers=")[1][0]
            in page
        )


def test_crowns_and_the_polish_ladder(bench: Bench, demo: Connection) -> None:
    levelled = next(job for job in jobs.of_instrument(demo, HERON) if jobs.plans(demo, job.id))
    page = f"/jobs/{levelled.id}/dress"
    text = bench.get(page)
    assert "Crown to a thin even line" in text
    assert re.search(r"wanders from -\d+\.\d to \+\d+\.\d cents", text)
    frets = instruments.get(demo, HERON).spec.frets
    for kind, wrong in (("crown_line", "0.45"), ("crown_offset", "-0.2")):
        head = {"kind": kind, "when": "after", "tool": "loupe", "resolution_um": "0.05", "string_state": "off"}
        where = bench.post(f"/jobs/{levelled.id}/surveys/new", head, follow=False).headers["Location"]
        rows = [
            f"{fret},middle,{wrong if fret == (4 if kind == 'crown_line' else 7) else '0.05'}"
            for fret in range(1, frets + 1)
        ]
        assert (
            bench.post(f"{where}/sheet", {"text": "\n".join(["fret,lane,reading", *rows]), "store": "1"}).status_code
            == 200
        )
        assert "0.45 mm wide" in bench.get(where) or kind == "crown_offset"
    assert "Crown frets 4 and 7 again." in bench.get(page)
    ladder = bench.get(f"{page}?finish=mirror&start=30")
    steps = re.findall(r'name="step" value="([^"]+)"', ladder)
    assert steps[0].startswith("fepa_p")
    assert steps[-1] == "pad 6000"
    bench.post(f"{page}/tick", {"step": steps[0], "finish": "mirror", "start": "30"})
    assert bench.get(f"{page}?finish=mirror&start=30").count('class="ticked"') == 1
    assert "Not ticked" in bench.post(f"{page}/tick", {"step": "fepa_p 0"}).text
    assert "was not changed" in bench.post(f"{page}/shelf", {"on_hand": "sandpaper fine"}).text
    bench.post(f"{page}/shelf", {"on_hand": "fepa_p 400", "compounds": "1"})
    assert "is a jump of" in bench.get(f"{page}?finish=mirror&start=30")
    job = next(one for one in export_record(demo, HERON)["jobs"] if one["uid"] == levelled.uid)
    assert [tick["kind"] for tick in job["polished"]] == ["fepa_p"]


def test_after_a_lift_only_the_lifted_fret_is_read_again(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [HERON])[HERON].id
    text = bench.get(f"/jobs/{job}/level")
    hidden = dict(re.findall(r'name="(shown|lift)" value="([^"]*)"', text))
    bench.post(f"/jobs/{job}/level/accept", hidden)
    bench.post(f"/jobs/{job}/level/done")
    before = surveys.values(demo, jobs.plans(demo, job)[-1].survey_id)
    assert re.search(r'id="f-only" name="only" type="text" value="9"', bench.get(f"/jobs/{job}/surveys/new"))
    head = HEIGHTS
    assert "whole numbers from 1" in bench.post(f"/jobs/{job}/surveys/new", {**head, "only": "ninth"}).text
    assert (
        "the same way as the others"
        in bench.post(f"/jobs/{job}/surveys/new", {**head, "only": "9", "method": "height"}).text
    )
    where = bench.post(f"/jobs/{job}/surveys/new", {**head, "only": "9"}, follow=False).headers["Location"]
    survey = int(where.rsplit("/", 1)[1])
    carried = surveys.values(demo, survey)
    assert carried == {place: um for place, um in before.items() if place[1] != 9}
    assert {reading.typed for reading in surveys.readings(demo, survey).values()} == {"as before"}
    assert 'data-say="fret">Fret 9<' in bench.get(where)


@pytest.mark.parametrize("order", ["lane_by_lane", "fret_by_fret"])
def test_named_frets_write_to_named_frets(bench: Bench, demo: Connection, order: str) -> None:
    job = jobs.open_of(demo, [HERON])[HERON].id
    heights = [one for one in surveys.of_job(demo, job) if one.head.kind == "fret_heights"]
    before = surveys.values(demo, heights[-1].id)
    head = {**HEIGHTS, "order": order, "only": "5, 12"}
    where = bench.post(f"/jobs/{job}/surveys/new", head, follow=False).headers["Location"]
    survey = int(where.rsplit("/", 1)[1])
    named = {(lane, fret) for lane in ("bass", "middle", "treble") for fret in (5, 12)}
    # without a script the page itself says where the cursor is, after every reading and every reload
    for count in range(len(named) + 2):
        text = bench.get(where)
        lane, fret = (re.search(rf'name="{name}" value="([^"]*)"', text)[1] for name in ("lane", "fret"))
        assert (lane, int(fret)) in named
        assert f'data-say="read">{min(count, 6)}</strong> of 6 read' in text
        expects = re.search(r'name="expects" value="([^"]*)"', text)[1]
        sent = {"lane": lane, "fret": fret, "reading": f"0.{20 + count}", "token": f"t{count}", "expects": expects}
        bench.post(f"{where}/readings", sent)
    # a correction at a place that is not named is refused, and so is a sheet's
    reply = bench.post(
        f"{where}/readings",
        {"lane": "bass", "fret": "4", "reading": "0.3", "token": "x"},
        headers={"Accept": "application/json"},
    )
    assert reply.status_code == 422
    assert "reads only frets 5 and 12" in reply.json["error"]
    assert "is not read in this survey" in bench.post(f"{where}/sheet", {"text": "fret,bass\n4,0.3", "store": "1"}).text
    after = surveys.values(demo, survey)
    assert {place: um for place, um in after.items() if place not in named} == {
        place: um for place, um in before.items() if place not in named
    }
    assert all(200 <= (after[place] or 0) <= 280 for place in named)


def test_marked_frets_only_takes_less_and_its_gate_holds(bench: Bench, demo: Connection) -> None:
    avocet = next(one for one in instruments.page(demo, limit=50) if one.spec.name.startswith("Avocet"))
    job = jobs.open_of(demo, [avocet.id])[avocet.id].id
    full = bench.get(f"/jobs/{job}/level?lift=none")
    marked = bench.get(f"/jobs/{job}/level?school=marked")
    assert re.search(r"Take down only frets? [\d, andto]+:|Nothing stands proud", marked)
    assert "Full passes until every fret is touched" in marked
    off = [float(found) for found in re.findall(r'class="lane-tag">\w+<br> <span>([\d.]+) mm <br>off', full)]
    less = [float(found) for found in re.findall(r'class="lane-tag">\w+<br> <span>([\d.]+) mm <br>off', marked)]
    assert sum(less) < sum(off)
    assert "Beam along the strings’ paths" in bench.get(f"/jobs/{jobs.open_of(demo, [3])[3].id}/level")


def test_a_reading_that_cannot_be_meant_is_asked_again(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [HERON])[HERON].id
    head = HEIGHTS
    where = bench.post(f"/jobs/{job}/surveys/new", head, follow=False).headers["Location"]
    assert "a fret reading (−2 to 2 mm)" in answer(bench, where, "bass", 5, "2.5")["error"]
    assert answer(bench, where, "bass", 5, "0.25")["value"] == "0.25"
    twisted = next(one for one in instruments.page(demo, limit=50) if one.spec.name.startswith("Sanderling"))
    found = re.search(
        r"([\d.]+)° over the scale, bass side up by ([\d.]+) mm", bench.get(f"/instruments/{twisted.id}/neck")
    )
    assert found
    assert 0.3 < float(found[2]) < 0.5


def test_relief_is_read_in_one_box_at_the_rod_turn_by_turn(demo_path: Path, demo: Connection) -> None:
    clock = itertools.count()
    app = create_app(demo_path, now=lambda: NOW + timedelta(minutes=next(clock)), testing=True)
    bench = Bench(app.test_client())
    here = f"/instruments/{KNOT}/neck"
    spec = instruments.get(demo, KNOT).spec
    x = spec.positions_mm()
    share = (x[6] - x[0]) / (x[spec.joint_fret - 1] - x[0])
    gap = 0.30
    bench.post(f"{here}/relief", {"method": "string_joint", "fret": "7", "gap": f"{gap}"})
    for per_turn in (0.4, 0.4):
        bench.post(f"{here}/turned", {"turns": "8", "aim": "playing"})
        assert "Let it settle, retune, and read again" in bench.get(f"{here}?aim=playing")
        gap -= per_turn / 8 * 4 * share * (1 - share)
        bench.post(f"{here}/relief", {"method": "string_joint", "fret": "7", "gap": f"{gap:.4f}"})
    page = " ".join(bench.get(f"{here}?aim=playing").split())
    assert "by one gap under a string" in page
    # how it was read is remembered
    assert '<option value="string_joint" selected>' in page
    assert "<option selected>7</option>" in page
    answers = [answer for _, answer in recorded_turns(demo, shop.settings(demo), instruments.get(demo, KNOT))]
    assert [answer.before_mm - answer.after_mm for answer in answers if answer] == pytest.approx([0.05, 0.05], abs=1e-3)
    read = latest_read(demo, shop.settings(demo), instruments.get(demo, KNOT)).found.relief_mm
    assert read == pytest.approx(gap / (4 * share * (1 - share)), abs=1e-3)
    for sent, why in (
        ({"method": "string", "fret": "7", "gap": "-0.1"}, "0 or more"),
        ({"method": "string", "fret": "1", "gap": "0.1"}, "between the first"),
        ({"method": "string", "fret": "7", "gap": "much"}, "much"),
    ):
        refused = bench.post(f"{here}/relief", sent)
        assert refused.status_code == 422
        assert why in refused.text
        assert f'value="{sent["gap"]}"' in refused.text
