"""Survey, level, gate and record through the pages, and everything that may go wrong on the way."""

import io
import json
import re
import sqlite3
from pathlib import Path
from uuid import uuid4

import pytest
from werkzeug.test import TestResponse

from deft_bench.bench.metal import metal_now
from deft_bench.bench.survey_results import height_surveys
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.formats import calc
from deft_bench.store import acts, instruments, jobs, seating, surveys
from deft_bench.store.database import Connection, connect
from deft_bench.web import support
from harness import Bench, words

JSON = {"Accept": "application/json"}
HEAD = {
    "kind": "fret_heights",
    "when": "before",
    "method": "gap",
    "tool": "gauge",
    "resolution_um": "0.02",
    "string_state": "off",
    "order": "lane_by_lane",
    "temperature_c": "21",
    "humidity": "48",
}


def job_of(db: Connection, name: str) -> jobs.Job:
    instrument = instruments.find(db, name)[0]
    return jobs.open_of(db, [instrument.id])[instrument.id]


def read(
    bench: Bench, survey: int, lane: str, fret: int, reading: str, expects: int | str = "", token: str = "", **more: str
) -> TestResponse:
    sent = {
        "lane": lane,
        "fret": str(fret),
        "reading": reading,
        "expects": str(expects),
        "token": token or uuid4().hex,
        **more,
    }
    return bench.post(f"/surveys/{survey}/readings", sent, headers=JSON)


def new_survey(bench: Bench, db: Connection, job: int, **changed: str) -> int:
    answer = bench.post(f"/jobs/{job}/surveys/new", HEAD | changed)
    assert answer.status_code == 200, answer.text[-3000:]
    return surveys.of_job(db, job)[-1].id


def fill(bench: Bench, survey: int, frets: int, gaps: dict[int, str] | None = None) -> None:
    """A whole survey by sheet: every fret 0.02 under the straightedge but those named."""
    rows = [f"{fret},{','.join([(gaps or {}).get(fret, '0.02')] * 3)}" for fret in range(1, frets + 1)]
    answer = bench.post(
        f"/surveys/{survey}/sheet", {"text": "fret,bass,middle,treble\n" + "\n".join(rows), "store": "1"}
    )
    assert "readings stored" in answer.text


def shown(text: str) -> dict[str, str]:
    """The accept form of a Level page as a browser would send it."""
    form = text[text.index('class="accept"') :]
    form = form[: form.index("</form>")]
    return dict(re.findall(r'type="hidden" name="(\w+)" value="([^"]*)"', form))


def test_a_reading_is_saved_when_it_is_accepted(bench: Bench, demo: Connection) -> None:
    survey = surveys.of_instrument(demo, instruments.find(demo, "sanderling")[0].id, "fret_heights")[0].id
    first = read(bench, survey, "treble", 24, "0,41").json
    assert (first["value"], first["read"], first["corrected"]) == ("0.41", 32, False)
    assert surveys.values(demo, survey)["treble", 24] == 410
    second = read(bench, survey, "treble", 24, "16 thou", first["id"]).json
    assert (second["value"], second["corrected"]) == ("0.41", True)
    gone = read(bench, survey, "treble", 24, "", second["id"], withdraw="1").json
    assert (gone["id"], gone["read"]) == (None, 31)
    assert [r.typed for r in surveys.history(demo, survey)[-3:]] == ["0,41", "16 thou", ""]


def test_refused_readings_say_what_is_accepted(bench: Bench, demo: Connection) -> None:
    survey = surveys.of_instrument(demo, 1, "fret_heights")[0].id
    for typed, said in [
        ("0.2.5", "Accepted: 0.25"),
        ("30", "outside the range of a fret reading"),
        ("", "Nothing typed"),
        ("1/64", "without its unit"),
    ]:
        answer = read(bench, survey, "bass", 1, typed)
        assert answer.status_code == 422
        assert said in answer.json["error"]
    for lane, fret in [("left", 1), ("bass", 22), ("bass", 0)]:
        assert read(bench, survey, lane, fret, "0.1").status_code == 422
    assert len(surveys.history(demo, survey)) == 63


def test_a_reading_that_can_hardly_be_is_stored_when_it_is_entered_again(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "heron")
    survey = next(one.id for one in surveys.of_job(demo, job.id) if one.head.kind == "fret_heights")
    before = surveys.values(demo, survey)
    there = surveys.readings(demo, survey)["middle", 9].id
    asked = read(bench, survey, "middle", 9, "1.40", there)
    assert asked.status_code == 422
    assert asked.json["asks"]
    assert "1.40 mm beside" in asked.json["error"]
    assert "Enter again keeps it" in asked.json["error"]
    assert surveys.values(demo, survey) == before
    # another slip is asked about too: only the same text entered again is kept
    assert read(bench, survey, "middle", 9, "1.50", there, sure="1.40").status_code == 422
    page = bench.post(
        f"/surveys/{survey}/readings", {"lane": "middle", "fret": "9", "reading": "1.4", "token": "t"}
    ).text
    assert 'name="sure" value="1.4"' in page
    assert re.search(r'id="reading"[^>]*\n?[^>]*value="1.4"', page)
    assert read(bench, survey, "middle", 9, "1.40", there, sure="1.40").status_code == 200
    level = words(bench.get(f"/jobs/{job.id}/level"))
    assert "Fret 9 middle is questioned: 1.40 mm beside" in level
    assert "Why? unsure" in level
    sheet = {"text": "fret,lane,reading\n4,bass,1.9", "preview": "1"}
    assert "Fret 4 bass is questioned" in words(bench.post(f"/surveys/{survey}/sheet", sheet).text)


def test_every_call_names_a_reading_that_can_hardly_be(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "Heron")
    survey = new_survey(bench, demo, job.id, kind="straightness", string_state="tuned", surface="fret_tops")
    for fret in range(1, 22):
        gap = "1.4" if fret == 9 else "0.1"
        assert read(bench, survey, "middle", fret, gap, sure=gap).status_code == 200
    odd = "Questioned: fret 9 middle, 1.40 mm beside 0.10 mm"
    assert odd in words(bench.get(f"/instruments/{job.instrument_id}/neck?aim=playing"))
    assert odd in words(bench.get(f"/instruments/{job.instrument_id}/setup"))
    refret = job_of(demo, "Ruff")
    slots = new_survey(bench, demo, refret.id, kind="slot_depth", method="depth", surface="board")
    assert read(bench, slots, "middle", 9, "0.06", sure="0.06").status_code == 200
    said = "Read again before a slot is cut: fret 9 middle, 0.06 mm is not between 0.50 mm and 4.00 mm"
    assert said in words(bench.get(f"/jobs/{refret.id}/refret"))


def test_a_double_key_makes_one_reading_and_two_windows_are_told(bench: Bench, demo: Connection) -> None:
    survey = surveys.of_instrument(demo, instruments.find(demo, "sanderling")[0].id, "fret_heights")[0].id
    one, two = (read(bench, survey, "treble", 3, "0.4", token="same").json for _ in range(2))
    assert one["id"] == two["id"]
    conflict = read(bench, survey, "treble", 3, "0.7")
    assert conflict.status_code == 409
    assert "read as 0.40 mm in another window" in conflict.json["error"]
    assert conflict.json["current"] == one["id"]
    assert read(bench, survey, "treble", 3, "0.7", one["id"]).status_code == 200


def test_without_script_the_form_walks_by_itself(bench: Bench, demo: Connection) -> None:
    survey = surveys.of_instrument(demo, instruments.find(demo, "sanderling")[0].id, "fret_heights")[0].id
    text = bench.get(f"/surveys/{survey}")
    assert 'data-say="fret">Fret 17<' in text
    sent = {"lane": "middle", "fret": "17", "reading": "0.4", "expects": "", "token": "t1"}
    answer = bench.post(f"/surveys/{survey}/readings", sent)
    assert 'data-say="fret">Fret 16<' in answer.text
    assert "is not a length" in bench.post(f"/surveys/{survey}/readings", {**sent, "reading": "x", "token": "t2"}).text


def test_a_full_disk_loses_nothing_that_was_accepted(
    bench: Bench, demo: Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    survey = surveys.of_instrument(demo, 1, "fret_heights")[0].id
    before = surveys.history(demo, survey)

    def cramped(path: Path) -> sqlite3.Connection:
        db = connect(path)
        db.execute(f"PRAGMA max_page_count = {db.execute('PRAGMA page_count').fetchone()[0]}")
        return db

    with monkeypatch.context() as full:
        full.setattr(support, "connect", cramped)
        for _ in range(400):
            answer = read(bench, survey, "bass", 1, "0.07", surveys.readings(demo, survey)["bass", 1].id)
            if answer.status_code != 200:
                break
        assert answer.status_code == 507
        assert "disk is full" in answer.json["advice"]
        assert bench.client.get(f"/surveys/{survey}").status_code == 200
    kept = surveys.history(demo, survey)
    assert kept[: len(before)] == before
    assert read(bench, survey, "bass", 1, "0.09", surveys.readings(demo, survey)["bass", 1].id).status_code == 200


def test_a_sheet_is_stored_whole_or_not_at_all(bench: Bench, demo: Connection) -> None:
    survey = new_survey(bench, demo, job_of(demo, "heron").id)
    bad = bench.post(f"/surveys/{survey}/sheet", {"text": "fret,bass\n1,0.1\n2,x\n99,0.1", "store": "1"})
    assert bad.status_code == 422
    assert "2 lines cannot be meant; nothing is stored." in bad.text
    assert "fret “99” is not from 1 to 21" in bad.text
    assert surveys.values(demo, survey) == {}
    preview = bench.post(f"/surveys/{survey}/sheet", {"text": "fret,bass\n1,0.1"})
    assert "Store 1 readings" in preview.text
    assert surveys.values(demo, survey) == {}
    fill(bench, survey, 21, {3: "0,05 mm".replace(",", ".")})
    assert len(surveys.values(demo, survey)) == 63
    upload = {"file": (io.BytesIO("fret;bass\n1;0,07".encode("utf-8-sig")), "r.csv"), "store": "1"}
    assert (
        "1 readings stored" in bench.post(f"/surveys/{survey}/sheet", upload, content_type="multipart/form-data").text
    )
    assert [r.value_um for r in surveys.history(demo, survey) if (r.lane, r.fret) == ("bass", 1)] == [20, 70]
    big = {"file": (io.BytesIO(b"x" * 600_000), "r.csv")}
    assert "larger than 500 kB" in bench.post(f"/surveys/{survey}/sheet", big, content_type="multipart/form-data").text
    text = bench.client.get(f"/surveys/{survey}.csv").text
    assert text.splitlines()[0] == "fret,lane,reading,typed,at"
    assert len(text.splitlines()) == 64
    assert len(bench.client.get(f"/surveys/{survey}.csv?history").text.splitlines()) == 65


def test_a_survey_is_not_started_on_nonsense(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "heron").id
    answer = bench.post(
        f"/jobs/{job}/surveys/new", HEAD | {"tool": "", "humidity": "150", "when": "later", "resolution_um": "2"}
    )
    assert answer.status_code == 422
    assert "from 0 to 100" in answer.text
    answer = bench.post(f"/jobs/{job}/surveys/new", HEAD | {"tool": "", "when": "later", "resolution_um": "2"})
    for said in ("Say what it was read with", "0.001 to 0.5 mm", "before, between, after"):
        assert said in answer.text
    assert len(surveys.of_job(demo, job)) == 2


def test_every_demo_neck_gets_the_call_of_its_fault(bench: Bench, demo: Connection) -> None:
    calls = {
        "heron": "Lift fret 9 before you level.",
        "plover": "Straighten the neck first: 0.14 mm of relief.",
        "dunlin": "Replace frets 1, 2 and 4 to 8, then level: they would end under 0.65 mm.",
        "curlew": "Take down only frets 17 to 22, where the board rises past the joint: 0.15 mm at the most.",
        "godwit": "Check the seating of fret 7 before any metal comes off.",
        "avocet": "Take down only frets 2, 3, 9, 11, 14, 15 and 18: ",
    }
    for name, say in calls.items():
        text = bench.get(f"/jobs/{job_of(demo, name).id}/level")
        assert f"<h2>{say}" in text, (name, re.findall(r"<h2>(.*?)</h2>", text)[:1])


def test_choices_are_followed_and_bad_ones_named(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "avocet").id
    plain = bench.get(f"/jobs/{job}/level?lift=none")
    fallen = bench.get(f"/jobs/{job}/level?lift=none&fall_from=14&fall_drop=0.1", headers={"HX-Target": "level"})
    assert "<html" not in fallen
    assert "Level all: 0.14 mm at the most" in fallen
    assert "Level all: 0.08 mm at the most" in plain
    assert "Take fret 3 back" in bench.get(f"/jobs/{job}/level?left_out=3")
    for query, said in [
        ("fall_from=19&fall_drop=.1", "from 1 to 18"),
        ("fall_drop=.1", "From which fret?"),
        ("fall_from=3&fall_drop=x", "not a length"),
        ("fall_from=3&fall_drop=9", "Accepted: 0 to 1.00 mm"),
        ("left_out=1,99,x", "from 1 to 19"),
        ("left_out=٣", "from 1 to 19"),
    ]:
        assert said in bench.get(f"/jobs/{job}/level?{query}"), query


def test_the_page_and_the_command_agree(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "heron").id
    asked = bench.client.get(f"/jobs/{job}/level.json?fall_from=15&fall_drop=0.05").json
    answer = calc.calculate("level-plan", asked)
    text = bench.get(f"/jobs/{job}/level?fall_from=15&fall_drop=0.05")
    assert f"{answer['options'][0]['worst_mm']:.2f} mm off the worst fret" in text
    assert answer["call"]["say"] in text


def test_the_whole_job(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "heron")
    level = f"/jobs/{job.id}/level"
    # lift fret 9 first: that takes no metal and asks for no word about the nut
    sent = shown(bench.get(level))
    assert sent["lift"] == "9"
    assert "Raise fret 9 by" in bench.post(f"{level}/accept", sent).text
    before = jobs.removed_from(demo, job.instrument_id)
    assert "Start reading" in bench.post(f"{level}/done").text
    assert jobs.removed_from(demo, job.instrument_id) == before
    assert "no accepted plan waiting" in bench.post(f"{level}/done").text
    between = new_survey(bench, demo, job.id, when="between")
    fill(bench, between, 21, {12: "0.03", 5: "0.00", 18: "0.04"})
    text = bench.get(f"{level}?lift=none")
    assert "Level all" in text
    assert "nut gap" in text
    # the nut, then a reading that changes behind the page's back
    sent = shown(text)
    assert "out or protected" in bench.post(f"{level}/accept", sent).text
    assert jobs.get(demo, job.id).nut == "in_place"
    read(bench, between, "bass", 5, "0.01", surveys.readings(demo, between)["bass", 5].id)
    refused = bench.post(f"{level}/accept", {**sent, "nut": "out"}).text
    assert "A reading has changed" in refused
    assert 'value="out" checked' in refused  # the choice stays on the page, and is not recorded
    assert jobs.get(demo, job.id).nut == "in_place"
    sent = shown(bench.get(f"{level}?lift=none")) | {"nut": "out"}
    assert "Level to the dashed line" in bench.post(f"{level}/accept", sent).text
    assert "Level to the dashed line" in bench.post(f"{level}/accept", sent).text  # the same accept twice
    plan = jobs.plans(demo, job.id)[-1]
    assert len(jobs.plans(demo, job.id)) == 2
    assert plan.inputs["nut"] == "out"
    assert max(plan.outcome["removed_um"]) == plan.outcome["worst_um"]
    assert 'value="after" selected' in bench.post(f"{level}/done").text
    removed = jobs.removed_from(demo, job.instrument_id)
    assert removed[5] - before.get(5, 0) == plan.outcome["removed_um"][4]
    # an after-survey that misses, by name; then one that passes
    after = new_survey(bench, demo, job.id, when="after")
    fill(bench, after, 21, {7: "0.08"})
    text = bench.get(level)
    assert "The gate has not passed" in text
    assert "7 bass −0.06 mm" in text
    for lane in ("bass", "middle", "treble"):
        read(bench, after, lane, 7, "0.03", surveys.readings(demo, after)[lane, 7].id)
    text = bench.get(level)
    assert "The gate passes: every fret lies within" in text
    assert "The job is closed" in bench.post(f"/jobs/{job.id}/close").text
    text = bench.get(f"/jobs/{job.id}/record")
    for said in ("Before", "After", "The gate passed", "Lifted fret 9", "Levelled: "):
        assert said in text
    assert "open again" in bench.post(f"/undo/closed/{job.id}").text


def test_a_bowed_neck_is_levelled_only_with_a_reason(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "plover")
    level = f"/jobs/{job.id}/level"
    assert 'class="accept"' not in bench.get(level)
    assert "Say in a few words" in bench.post(f"{level}/override", {"note": " "}).text
    assert jobs.plans(demo, job.id) == []
    text = bench.post(f"{level}/override", {"note": "owner plays slide"}).text
    assert "owner plays slide" in text
    assert "Straighten the neck first" not in text


def test_wood_and_fret_tops_that_disagree_are_called(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "plover").id
    survey = new_survey(bench, demo, job, kind="straightness", surface="board", method="gap")
    rows = "\n".join(f"{fret},0.00" for fret in range(1, 21))
    bench.post(f"/surveys/{survey}/sheet", {"text": f"fret,middle\n{rows}", "store": "1"})
    text = bench.get(f"/jobs/{job}/level")
    assert "Wood and fret tops disagree" in text
    assert "Straighten the neck first" not in text


def test_an_accepted_plan_can_be_changed_and_stays_as_it_was_accepted(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "avocet").id
    level = f"/jobs/{job}/level"
    bench.post(f"{level}/accept", shown(bench.get(level)) | {"nut": "out"})
    survey = surveys.of_job(demo, job)[0]
    reading = surveys.readings(demo, survey.id)["bass", 9]
    before = re.findall(r"[\d.]+ mm <br>off", bench.get(level))
    read(bench, survey.id, "bass", 9, "0.3", reading.id)
    assert re.findall(r"[\d.]+ mm <br>off", bench.get(level)) == before
    changing = bench.get(f"{level}?change=1")
    assert "Level to the dashed line" not in changing
    links = re.findall(r'class="toggle-band"[^>]*?href="([^"]+)"', changing)
    assert links
    assert all("change=1" in link for link in links)
    assert 'name="change" value="1"' in changing


def test_too_little_read_is_said_everywhere(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "avocet").id
    read(bench, new_survey(bench, demo, job, when="between"), "bass", 9, "0.1")
    assert "Too little is read for a call" in bench.client.get(f"/jobs/{job}/level", follow_redirects=True).text
    assert "too little is read" in bench.client.get(f"/jobs/{job}/level.json").text
    assert "Too little is read" in bench.post(f"/jobs/{job}/level/accept", {"shown": "x"}).text
    assert jobs.plans(demo, job) == []


def test_checked_seating_lets_the_call_go_on(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "godwit").id
    assert "Check the seating" in bench.get(f"/jobs/{job}/level")
    [named] = re.findall(r'name="frets"\s+value="([\d,]+)"', bench.get(f"/jobs/{job}/level"))
    text = bench.post(f"/jobs/{job}/level/seated", {"frets": named}).text
    assert "<h2>Take down only fret 7" in text, re.findall("<h2>(.*)</h2>", text)
    # it can be taken back, stays in the record, and holds for what was named only
    assert "Check the seating" in bench.post(f"/jobs/{job}/level/seated", {"take_back": "1"}).text
    assert seating.every(demo, job)[-1].taken_back_at
    assert "whole numbers from 1 to" in bench.post(f"/jobs/{job}/level/seated", {"frets": "77"}).text
    frets = sorted(map(int, named.split(",")))
    assert "Check the seating" in bench.post(f"/jobs/{job}/level/seated", {"frets": str(frets[0] + 2)}).text
    bench.post(f"/jobs/{job}/level/seated", {"frets": named})
    text = words(bench.get(f"/jobs/{job}/level"))
    assert "Take down only fret 7" in text
    assert f"Checked and home: frets {frets[0]} and {frets[0] + 2}" in text
    # read again beside it, it is still home: until it is moved
    old = dict(surveys.values(demo, height_surveys(demo, jobs.get(demo, job))[-1].id))
    again = new_survey(bench, demo, job, only=str(frets[0] + 1))
    for lane in ("bass", "middle", "treble"):
        read(bench, again, lane, frets[0] + 1, f"{(old[lane, frets[0] + 1] or 0) / 1000}")
    assert "Checked and home" in words(bench.get(f"/jobs/{job}/level"))
    assert "Say which frets were reseated" in words(bench.post(f"/jobs/{job}/level/reseated").text)
    bench.post(f"/jobs/{job}/level/reseated", {"frets": named})
    assert acts.of_job(demo, job)[-1].frets == tuple(frets)
    assert "Checked and home: fret 9" in words(bench.get(f"/jobs/{job}/level"))


def test_the_metal_budget_starts_from_the_crowns_that_were_read(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "Heron")
    heron = instruments.get(demo, job.instrument_id)
    level = bench.get(f"/jobs/{job.id}/level")
    assert "less what we took:" in words(level)
    assert 'kind=crown_height">read the crowns' in level
    survey = new_survey(bench, demo, job.id, kind="crown_height", method="above_board")
    over = f"{(heron.spec.fret_height_um + 30) / 1000}"
    refused = read(bench, survey, "bass", 4, over)
    assert refused.status_code == 422
    assert "is not between 0.30 mm and" in refused.text
    for lane, height in (("bass", "0.75"), ("middle", "0.70"), ("treble", "0.72")):
        assert read(bench, survey, lane, 4, height).status_code == 200
    now = metal_now(demo, heron)
    assert now.heights_mm[3] == 0.70
    assert list(now.read_at) == [4]
    assert "Crown height now 0.70 mm at fret 4, the lowest, read" in words(bench.get(f"/instruments/{heron.id}"))
    page = words(bench.get(f"/jobs/{job.id}/level"))
    assert "Crown heights were read" in page
    assert "Shortest after this: fret 4," in page
    asked = json.loads(bench.get(f"/jobs/{job.id}/level.json"))
    assert asked["fret_height_mm"][3] == 0.70
    bench.post(f"/undo/survey/{survey}")
    assert metal_now(demo, heron).read_at == {}


def test_a_refret_starts_the_metal_budget_again(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "dunlin")
    level = f"/jobs/{job.id}/level"
    assert "Replace frets 1, 2 and 4 to 8." in bench.post(f"{level}/accept", shown(bench.get(level))).text
    before = jobs.removed_from(demo, job.instrument_id)
    bench.post(f"{level}/done")
    assert jobs.removed_from(demo, job.instrument_id).keys() == before.keys() - {1, 2, 4, 5, 6, 7, 8}


def test_a_survey_cut_short_goes_on_where_it_stopped(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, "sanderling").id
    assert "Finish the survey: 31 of 72 read." in bench.get("/instruments/10")
    assert 'data-say="fret">Fret 17<' in bench.client.get(f"/jobs/{job}/survey", follow_redirects=True).text
    assert SURVEY_KINDS["fret_heights"].places(24, "lane_by_lane")[31] == ("middle", 17)


def test_straightness_outside_a_job_is_kept_as_an_inspection(bench: Bench, demo: Connection) -> None:
    count = len(jobs.of_instrument(demo, 6))
    assert "Straightness, along the middle" in bench.get("/instruments/9/check")
    assert bench.post("/instruments/9/check", HEAD | {"tool": ""}).status_code == 422
    assert len(jobs.of_instrument(demo, 6)) == count
    assert "Fret 20" in bench.post("/instruments/9/check", HEAD | {"kind": "straightness", "surface": "board"}).text
    survey = surveys.of_instrument(demo, 6, limit=1)[0].id
    assert "/surveys/new" in bench.client.get("/instruments/1/check").headers["Location"]
    bench.post(f"/surveys/{survey}/sheet", {"text": "fret,middle\n1,0\n5,.1\n9,.14\n14,.1\n20,0", "store": "1"})
    assert "Straightness, board" in bench.get("/instruments/9")
    assert json.loads(bench.client.get("/instruments/9/record.json").data)["surveys"][-1]["surface"] == "board"
