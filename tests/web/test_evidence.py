"""All kinds of evidence through the pages: ink, blades, acts on single frets, the reading that would help, and what the
bench learns.
"""

import re
from uuid import uuid4

import pytest

from deft_bench.bench import likely as likely_module
from deft_bench.bench.likely import evidence_of
from deft_bench.core.evidence.kinds import Daylight, Rocker
from deft_bench.core.evidence.prior import missed_share
from deft_bench.core.survey import SurveyHead
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.store import acts, instruments, jobs, seating, shop, surveys
from deft_bench.store.database import Connection
from harness import Bench, words

HEAD = {"when": "between", "string_state": "off", "order": "lane_by_lane", "tool": "beam"}
JSON = {"Accept": "application/json"}


@pytest.fixture
def heron(demo: Connection) -> jobs.Job:
    instrument = instruments.find(demo, "heron")[0]
    return jobs.open_of(demo, [instrument.id])[instrument.id]


def begin(bench: Bench, demo: Connection, job: jobs.Job, kind: str, **head: str) -> surveys.Survey:
    answer = bench.post(f"/jobs/{job.id}/surveys/new", {**HEAD, "kind": kind, **head})
    assert answer.status_code == 200, words(answer.text)[-600:]
    return surveys.of_job(demo, job.id)[-1]


def read(bench: Bench, survey: surveys.Survey, lane: str, fret: int, typed: str) -> tuple[int, dict[str, object]]:
    sent = {"lane": lane, "fret": str(fret), "reading": typed, "expects": "", "token": uuid4().hex}
    answer = bench.post(f"/surveys/{survey.id}/readings", sent, headers=JSON)
    assert answer.json
    return answer.status_code, answer.json


def test_ink_is_read_under_its_beam_only(bench: Bench, demo: Connection, heron: jobs.Job) -> None:
    survey = begin(bench, demo, heron, "ink", strokes="4", at_frets="3-9")
    assert (survey.head.strokes, survey.head.at_frets) == (4, tuple(range(3, 10)))
    assert read(bench, survey, "bass", 5, "o")[1]["value"] == "gone"
    status, said = read(bench, survey, "bass", 12, "o")
    assert (status, str(said["error"])) == (
        422,
        "This survey reads only frets 3 to 9: the others stand as they were. Start another to read them.",
    )
    assert "o when it is gone, p when it is partly gone" in str(read(bench, survey, "bass", 6, "0.02")[1]["error"])
    refused = bench.post(f"/jobs/{heron.id}/surveys/new", {**HEAD, "kind": "ink", "strokes": "0", "at_frets": "4"})
    assert refused.status_code == 422
    assert 'value="0"' in refused.text


def test_light_is_seen_or_not_and_an_edge_reaches_further(bench: Bench, demo: Connection, heron: jobs.Job) -> None:
    light = begin(bench, demo, heron, "light")
    assert read(bench, light, "bass", 9, "l")[1]["value"] == "light"
    assert read(bench, light, "bass", 8, "h")[1]["value"] == "home"
    assert "l when it shows light, h when it is home" in str(read(bench, light, "bass", 7, "0.05")[1]["error"])
    rocker = begin(bench, demo, heron, "rocker", reach="3", resolution_um="0.02")
    assert rocker.head.reach == 3
    assert read(bench, rocker, "middle", 9, "f")[0] == 200
    assert read(bench, rocker, "middle", 3, "f")[0] == 422
    told = [one.evidence for one in evidence_of(demo, heron, instruments.get(demo, heron.instrument_id))]
    assert Rocker(1, (6, 9, 12), rocks=False) in told
    assert {(one.fret, one.gap_mm > 0) for one in told if isinstance(one, Daylight)} >= {(9, True), (8, False)}
    assert bench.post(f"/jobs/{heron.id}/surveys/new", {**HEAD, "kind": "rocker", "reach": "7"}).status_code == 422


def test_a_blade_is_one_of_the_set(bench: Bench, demo: Connection, heron: jobs.Job) -> None:
    survey = begin(bench, demo, heron, "blades", blades_um="0.05; 0.10; 0.15")
    assert survey.head.blades_um == (50, 100, 150)
    assert read(bench, survey, "middle", 9, "0.10")[1]["value"] == "0.10"
    assert "no blade of this set. Accepted: the thickest that passes, 0.05 · 0.10 · 0.15" in str(
        read(bench, survey, "middle", 8, "0.07")[1]["error"]
    )
    assert read(bench, survey, "middle", 8, "0")[0] == 200
    sheet = {"text": "fret,lane,reading\n5,bass,0.10\n6,bass,0.07", "store": "1"}
    assert "is no blade of this set" in bench.post(f"/surveys/{survey.id}/sheet", sheet).text
    assert ("bass", 5) not in surveys.values(demo, survey.id)
    said = bench.post(f"/jobs/{heron.id}/surveys/new", {**HEAD, "kind": "blades", "blades_um": "thin"}).text
    assert "with semicolons between the blades" in said


def test_hundredths_are_typed_without_a_point_where_the_shop_does(
    bench: Bench, demo: Connection, heron: jobs.Job
) -> None:
    kind = SURVEY_KINDS["fret_heights"]
    assert kind.read("14", hundredths=True) == kind.read("0.14") == kind.read("0.14", hundredths=True) == 140
    assert kind.read("14", "in", hundredths=True) == kind.read("14 thou") == 356
    assert SURVEY_KINDS["strings"].read("1.4", hundredths=True) == 1400
    shop.change(demo, {"hundredths": "yes"})
    survey = begin(bench, demo, heron, "fret_heights", method="gap", resolution_um="0.01")
    assert read(bench, survey, "bass", 5, "14")[1]["value"] == "0.14"


def test_the_call_so_far_is_asked_for_while_it_is_read(bench: Bench, demo: Connection, heron: jobs.Job) -> None:
    survey = begin(bench, demo, heron, "rocker", resolution_um="0.02")
    call = bench.client.get(f"/surveys/{survey.id}/call").json
    assert (call["say"], call["sure"]) == ("Lift fret 9 before you level.", "certain")
    assert {spot["shape"] for spot in call["spots"] if spot["fret"] == 9} == {"low"}
    page = bench.get(f"/surveys/{survey.id}")
    assert 'class="soft"' in page
    # what was read there is said in the shop's units
    assert any("gauge 0.10 mm" in spot["words"] for spot in call["spots"])
    shop.change(demo, {"system": "in"})
    inches = bench.client.get(f"/surveys/{survey.id}/call").json["spots"]
    assert any("gauge 0.0039 in" in spot["words"] for spot in inches)
    assert not any("mm" in spot["words"] for spot in inches)
    shop.change(demo, {"system": "mm"})
    # a job of which nothing is read has no call
    fresh = instruments.find(demo, "knot")[0]
    opened = jobs.get(demo, jobs.open_job(demo, fresh.id, "level_and_dress", "2026-08-24T09:00:00.000Z", None))
    assert bench.client.get(f"/surveys/{begin(bench, demo, opened, 'rocker', resolution_um='0.02').id}/call").json == {}


def test_what_was_done_to_single_frets_is_recorded_in_one_tap(bench: Bench, demo: Connection, heron: jobs.Job) -> None:
    level = f"/jobs/{heron.id}/level"
    said = bench.post(f"{level}/did", {"kind": "lift", "frets": "99"}).text
    assert "Frets are whole numbers from 1 to 21" in words(said)
    assert 'value="99"' in said
    text = words(bench.post(f"{level}/did", {"kind": "lift", "frets": "9"}).text)
    assert "Recorded: fret 9 lifted." in text
    assert "frets were lifted" in text
    assert [act.kind for act in acts.of_job(demo, heron.id)] == ["lift"]
    assert "Taken back: fret 9 lifted." in words(bench.post(f"/undo/act/{heron.id}").text)
    assert "Lift fret 9 before you level." in words(bench.get(level))
    assert acts.of_job(demo, heron.id)[0].taken_back_at
    assert "Nothing that was done to single frets" in words(bench.post(f"/undo/act/{heron.id}").text)


@pytest.mark.parametrize("name", ["godwit", "heron", "curlew", "plover"])
def test_one_key_goes_to_the_reading_that_would_help(bench: Bench, demo: Connection, name: str) -> None:
    instrument = instruments.find(demo, name)[0]
    job = jobs.open_of(demo, [instrument.id])[instrument.id]
    shown = bench.get(f"/jobs/{job.id}/level")
    page = words(shown)
    where = bench.post(f"/jobs/{job.id}/next-reading", follow=False).headers["Location"]
    asked = re.search(
        r"(Stand the rocker on|Read|Look for daylight under) frets? ([\d, ]+)(?: in the (\w+) lane)? r", page
    )
    if asked is None:
        assert "data-next-reading" not in shown
        assert where.endswith(f"/jobs/{job.id}/level")
        return
    what, frets, lane = asked.groups()
    kind = {"Stand": "rocker", "Read": "fret_heights", "Look": "light"}[what.split()[0]]
    survey = surveys.get(demo, int(re.findall(r"/surveys/(\d+)", where)[0]))
    assert survey.head.kind == kind
    named = [int(fret) for fret in frets.split(",")]
    assert where.endswith(f"?lane={lane or 'middle'}&fret={named[len(named) // 2]}")
    # again: the same survey goes on
    assert bench.post(f"/jobs/{job.id}/next-reading", follow=False).headers["Location"] == where


def test_the_bench_learns_and_what_it_learned_is_put_back(bench: Bench, demo: Connection, heron: jobs.Job) -> None:
    base = surveys.of_job(demo, heron.id)[0].id
    before = words(bench.get("/settings"))
    assert "Played frets 0 0 30 % 30 %" in before
    for fret in range(1, 7):
        seating.keep(demo, heron.id, base, [fret], "2026-08-24T07:00:00.000Z")
    acts.keep(demo, heron.id, "reseat", [7, 8], "2026-08-24T07:00:00.000Z")
    assert "Played frets 8 2 28 % 30 %" in words(bench.get("/settings"))
    assert "Played frets 0 0 30 % 30 %" in words(bench.post("/settings/learned", {"forget": "1"}).text)
    assert "Played frets 8 2 28 % 30 %" in words(bench.post("/settings/learned").text)


def test_lifts_that_held_and_missed_are_counted(bench: Bench, demo: Connection, heron: jobs.Job) -> None:
    assert "No lifted fret was read again yet. It is taken that 6 % miss." in words(bench.get("/settings"))
    head = next(one.head for one in surveys.of_job(demo, heron.id) if one.head.kind == "fret_heights")
    acts.keep(demo, heron.id, "lift", [9, 12], "2026-08-24T07:00:00.000Z")
    frets = instruments.get(demo, heron.instrument_id).spec.frets
    made = surveys.start(demo, heron.instrument_id, heron.id, frets, head, "2026-08-24T07:30:00.000Z")
    rows = [
        ((lane, fret), 200 if fret == 12 else 0, "")
        for lane in ("bass", "middle", "treble")
        for fret in range(1, frets + 1)
    ]
    surveys.add_many(demo, made, rows, "2026-08-24T07:30:00.000Z")
    assert "Of 2 lifted frets that were read again 1 stood in line. It is taken that 12 % miss." in words(
        bench.get("/settings")
    )
    assert missed_share(1, 1) == pytest.approx((12 * 0.06 + 1) / 14)


def test_levels_that_take_more_than_planned_are_learned_from_crowns_read_before_and_after(
    bench: Bench, demo: Connection
) -> None:
    assert "No crown was read before and after a level yet" in words(bench.get("/settings"))
    [done] = demo.execute("SELECT * FROM material_removed WHERE removed_um > 0 ORDER BY at DESC LIMIT 1")
    head = SurveyHead(
        "crown_height", "before", "above_board", "fret_tops", "depth gauge", 10, "slack", None, None, "lane_by_lane"
    )
    frets = instruments.get(demo, done["instrument_id"]).spec.frets
    for day, um in (("2000-01-01", 1_200), ("2026-11-01", 1_200 - done["removed_um"] - 90)):
        at = f"{day}T08:00:00.000Z"
        made = surveys.start(demo, done["instrument_id"], None, frets, head, at)
        surveys.add_many(demo, made, [(("middle", done["fret"]), um, "")], at)
    page = words(bench.get("/settings"))
    assert "Of 1 levelled fret the crown was read before and after: 0.09 mm more came off than was planned" in page
    # one fret among as if eight others that came off as planned
    assert "Calls now expect 0.01 mm more than the plan says." in page


def test_a_neck_is_drawn_by_its_evidence_whoever_asks_first(demo: Connection, heron: jobs.Job) -> None:
    instrument, found = instruments.get(demo, heron.instrument_id), []
    for asks in ((False,), (True, False)):
        likely_module._judged.clear()
        likely_module._drawn.clear()
        for as_it_lies in asks:
            told = likely_module.likely(demo, shop.settings(demo), heron, instrument, as_it_lies=as_it_lies)
        assert told is not None
        found.append([(one.do, one.frets, one.best, one.below_least) for one in told.judged.compared.actions])
    assert found[0] == found[1]


def test_a_closed_jobs_survey_says_what_was_likely_then(bench: Bench, demo: Connection) -> None:
    """The neck was worked on since: that makes the readings no fewer than they were."""
    closed = demo.execute(
        "SELECT s.id FROM survey s JOIN job j ON j.id = s.job_id JOIN reading r ON r.survey_id = s.id"
        " WHERE s.kind = 'fret_heights' AND j.closed_at IS NOT NULL GROUP BY s.id HAVING count(*) >= 60"
    ).fetchall()
    assert closed
    for (survey,) in closed:
        assert "Read on before any call" not in bench.get(f"/surveys/{survey}")
