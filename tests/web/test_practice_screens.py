"""Practice over HTTP: a drill without a script, what is refused, what was left half-way; the truth stays hidden."""

import html
import io
import json
import re
from datetime import timedelta
from pathlib import Path

import pytest

from deft_bench.bench.practice.beam import BEAM
from deft_bench.bench.practice.culprit import practising
from deft_bench.bench.practice.handing_in import PLAYS
from deft_bench.bench.practice.intonate import at_the_saddle
from deft_bench.bench.practice.order import in_order
from deft_bench.bench.practice.rounds import in_rounds
from deft_bench.bench.practice.straight import at_the_rod
from deft_bench.bench.practice.whole import WHOLE_KINDS, whole_job
from deft_bench.core.practice import intonate, radius
from deft_bench.core.practice.drills import DRILLS, IN_ROUNDS, WHOLE, WHOLE_SETUP
from deft_bench.core.practice.whole_neck import CROWN_MM
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.notes import cents_between
from deft_bench.core.strings.pitch import pitch
from deft_bench.core.times import stamp
from deft_bench.formats.challenge import shipped, write_challenge
from deft_bench.formats.recording import read_recording
from deft_bench.store import jobs, practice, practice_necks, rod_turns, surveys
from deft_bench.store.database import Connection
from harness import NOW, Bench, words

MANY = "SELECT (SELECT count(*) FROM instrument) + (SELECT count(*) FROM survey) + (SELECT count(*) FROM job)"


def start(bench: Bench, person: str = "Ida", level: int = 2, seed: str = "7", drill: str = "culprit") -> str:
    sent = {"person": person, "level": level, "seed": seed, "drill": drill}
    answer = bench.post("/practice", sent, follow=False)
    return str(answer.headers["Location"])


def test_a_drill_is_done_with_plain_forms(bench: Bench, demo: Connection) -> None:
    before = demo.execute(MANY).fetchone()[0]
    url = start(bench)
    truth = practising(demo, int(url.rsplit("/", 1)[1])).truth
    (fret, sign), *_ = truth.signed
    for at in (fret - 1, fret, fret + 1):
        page = bench.post(f"{url}/read", {"tool": "rocker", "lane": "middle", "fret": at})
        assert page.status_code == 200
        assert f"{truth.out_mm[fret]:+.2f}".replace("-", "−") not in page.text
    assert "3 readings, about 12 s" in words(page.text)
    assert f"{fret} {'proud' if sign > 0 else 'low'}" in words(page.text)
    bench.post(f"{url}/read", {"tool": "straightedge", "lane": "treble"})
    page = bench.post(f"{url}/answer", {"proud" if sign > 0 else "low": fret})
    assert "of 100" in page.text
    assert "Named rightly" in page.text
    assert f"{truth.out_mm[fret]:+.2f}".replace("-", "−") in page.text
    # what was believed can be gone through
    early = bench.get(f"{url}?step=1")
    assert early.count("pr-sits") + early.count("pr-rocks") < page.text.count("pr-sits") + page.text.count("pr-rocks")
    assert "Ida" in bench.get("/practice")
    assert demo.execute(MANY).fetchone()[0] == before
    assert "Ida" not in bench.get("/")
    # the same number is the same neck
    again = practising(demo, int(start(bench, "Noor").rsplit("/", 1)[1]))
    assert again.truth == truth


def test_what_cannot_be_is_refused_and_nothing_is_lost(bench: Bench) -> None:
    refused: tuple[tuple[dict[str, str], str], ...] = (
        ({"person": "", "level": "1"}, "Say who practises"),
        ({"person": "Ida", "level": "9"}, "1 to 6"),
        ({"person": "Ida", "level": "1", "seed": "twelve"}, "whole number"),
    )
    for sent, why in refused:
        answer = bench.post("/practice", sent)
        assert answer.status_code == 422
        assert why in words(answer.text)
        assert f'value="{sent["person"]}"' in answer.text
    url = start(bench, level=1)
    for sent, why in (
        ({"tool": "rocker", "lane": "middle", "fret": "22"}, "2 to 21"),
        ({"tool": "rocker", "lane": "elbow", "fret": "5"}, "Choose a lane"),
        ({"tool": "hammer", "lane": "middle", "fret": "5"}, "Choose a tool"),
    ):
        answer = bench.post(f"{url}/read", sent)
        assert answer.status_code == 422
        assert why in words(answer.text)
    answers: tuple[tuple[dict[str, str], str], ...] = (
        ({}, "Mark the frets first"),
        ({"proud": "5", "low": "5"}, "not both"),
        ({"proud": "40"}, "1 to 22"),
    )
    for marks, why in answers:
        answer = bench.post(f"{url}/answer", marks)
        assert answer.status_code == 422
        assert why in words(answer.text)
    bench.post(f"{url}/answer", {"proud": "5"})
    late = bench.post(f"{url}/read", {"tool": "rocker", "lane": "middle", "fret": "5"}, headers={"HX-Request": "true"})
    assert "answered already" in words(late.text)
    assert "answered already" in words(bench.post(f"{url}/answer", {"proud": "6"}).text)
    bench.get("/practice/99999", status=404)


def test_a_rod_is_turned_with_plain_forms_and_forcing_it_is_told(bench: Bench, demo: Connection) -> None:
    url = start(bench, level=3, seed="2", drill="straight")
    attempt = int(url.rsplit("/", 1)[1])
    while at_the_rod(demo, attempt).truth.can_be_straight:
        url = start(bench, level=3, seed=str(attempt), drill="straight")
        attempt = int(url.rsplit("/", 1)[1])
    page = bench.post(f"{url}/act", {"what": "read"})
    assert "passes" in words(page.text)
    for _ in range(3):
        page = bench.post(f"{url}/act", {"what": "turn", "eighths": 2})
    assert "it was forced" in words(page.text)
    assert "rod was forced" in words(bench.post(f"{url}/act", {"what": "wait"}).text)
    for sent, why in (({"what": "kick"}, "Choose one of"), ({"what": "turn", "eighths": 9}, "-2 to 2")):
        answer = bench.post(f"{url}/act", sent)
        assert answer.status_code == 422
        assert why in words(answer.text).replace("−", "-")
    assert bench.post(f"{url}/leave", {"said": "perhaps"}).status_code == 422
    page = bench.post(f"{url}/leave", {"said": "no_more"})
    assert "<h1>0 of 100" in page.text
    assert "spoiled" in page.text
    assert "answered already" in words(bench.post(f"{url}/leave", {"said": "straight"}).text)
    assert bench.post(f"{url}/read", {"tool": "rocker", "lane": "middle", "fret": 5}).status_code == 404


def test_steps_are_put_in_order_with_plain_forms(bench: Bench, demo: Connection) -> None:
    url = start(bench, drill="order", level=2)
    attempt = int(url.rsplit("/", 1)[1])
    right = list(in_order(demo, attempt).truth.right)
    for at, code in enumerate(right):
        while (place := list(in_order(demo, attempt).order).index(code)) > at:
            assert bench.post(f"{url}/move", {"step": code, "way": "up"}).status_code == 200, place
    assert bench.post(f"{url}/move", {"step": "elbow", "way": "up"}).status_code == 422
    assert bench.post(f"{url}/move", {"step": right[0], "way": "out"}).status_code == 422
    page = words(bench.post(f"{url}/hand-in").text)
    assert "100 of 100" in page
    assert "breaks none" in page
    assert "answered already" in words(bench.post(f"{url}/hand-in").text)
    # handed in as it was shuffled, each breach says what it spoils
    other = start(bench, drill="order", level=3)
    page = html.unescape(words(bench.post(f"{other}/hand-in").text))
    found = in_order(demo, int(other.rsplit("/", 1)[1]))
    assert f"{found.attempt.points} of 100" in page
    assert found.broken
    for one in found.broken:
        before, after = found.truth.titles[one.before], found.truth.titles[one.after]
        assert f"{before} comes before {after} : {one.spoils}" in page


def test_the_demo_has_two_apprentices_and_a_neck_half_worked(bench: Bench) -> None:
    page = words(bench.get("/practice"))
    assert re.search(r"Left half-way Emre: one proud fret", page)
    assert "Tova" in page
    assert "/practice" in bench.get("/")


def test_a_neck_is_levelled_with_plain_forms_and_what_it_was_is_shown_after(bench: Bench, demo: Connection) -> None:
    url = start(bench, level=2, seed="8", drill="beam")
    attempt = int(url.rsplit("/", 1)[1])
    loose = 1 + max(range(22), key=lambda k: BEAM.at_work(demo, attempt).truth.lifted[k])
    firm = loose % 22 + 1
    assert "pr-off" not in bench.get(url)
    for did, fret, says in (
        ("press", firm, "it stands firm"),
        ("press", loose, "it gives"),
        ("light", 11, "10 light strokes along the middle, the hand over fret 11"),
        ("read", 11, "should come off"),
        ("ink", 11, "Inked every top again"),
        ("tap", loose, "it went home"),
        ("tap", loose, "it was home already"),
    ):
        page = bench.post(f"{url}/work", {"did": did, "fret": fret, "lane": "middle"})
        assert says in words(page.text), did
        assert (page.text.count("ink-2") < 66) == (did in ("light", "read")), did
    for sent, why in (
        ({"did": "sand", "fret": "3"}, "Choose one of: light, firm"),
        ({"did": "light", "fret": "40"}, "1 to 22"),
        ({"did": "light", "fret": "4", "lane": "edge"}, "Choose a lane"),
    ):
        answer = bench.post(f"{url}/work", sent)
        assert answer.status_code == 422
        assert why in words(answer.text)
    seen = words(bench.post(f"{url}/handed-in", {}).text)
    assert f"Fret {loose} was out of its slot" in seen
    assert "and was tapped home" in seen
    assert "while it stood out" in seen
    late = bench.post(f"{url}/work", {"did": "ink", "fret": "3"}, headers={"HX-Request": "true"})
    assert "answered already" in words(late.text)


def test_a_blank_is_sanded_with_plain_forms_and_what_is_left_is_shown_after(bench: Bench) -> None:
    url = start(bench, level=2, seed="8", drill="radius")
    assert bench.get(url).count('class="pr-pencil"') == 63
    for did, says in (
        ("gauge", "Gauge at place 4: light of up to"),
        ("along_firm", "10 firm strokes along the whole, the hand on the middle"),
        ("light", "10 light strokes over place 4, the hand on the treble side"),
        ("scribble", "Scribbled over it again"),
    ):
        lane = "treble" if did == "light" else "even"
        page = bench.post(f"{url}/work", {"did": did, "fret": "4", "lane": lane})
        assert says in words(page.text), did
        assert (page.text.count('class="pr-pencil"') < 63) == (did in ("along_firm", "light")), did
        assert ("pr-light" in page.text) == (did == "gauge"), did
    for sent, why in (
        ({"did": "plane", "fret": "3"}, "Choose one of: light, firm"),
        ({"did": "light", "fret": "12"}, "1 to 9"),
        ({"did": "light", "fret": "4", "lane": "edge"}, "Choose one of: bass, even, treble"),
    ):
        answer = bench.post(f"{url}/work", sent)
        assert answer.status_code == 422
        assert why in words(answer.text)
    seen = bench.post(f"{url}/handed-in", {}).text
    assert "0 of 100" in words(seen)
    assert "pr-off" in seen
    assert "answered already" in words(bench.post(f"{url}/work", {"did": "scribble", "fret": "3"}).text)


def test_every_drill_has_a_challenge_and_a_drill_is_handed_on_as_a_file(bench: Bench, demo: Connection) -> None:
    page = bench.get("/practice/challenges")
    assert len(shipped()) == 30
    assert {one.drill for one in shipped().values()} == set(DRILLS)
    assert page.count('name="challenge"') == 30
    for code, one in shipped().items():
        answer = bench.post("/practice/challenges", {"person": "Ida", "challenge": code}, follow=False)
        assert bench.get(answer.headers["Location"])
        begun = int(answer.headers["Location"].rsplit("/", 1)[1])
        if one.drill in PLAYS:
            kind = WHOLE_KINDS[one.drill]
            truth = kind.neck_from(one.truth)
            assert practice_necks.get(demo, begun).truth == json.loads(json.dumps(kind.as_json(truth)))
            assert PLAYS[one.drill](ShopSettings(), truth).passed
            continue
        attempt = practice.get(demo, begun)
        assert (attempt.drill, attempt.level, attempt.by_hand) == (one.drill, one.level, True)
    # what a number drew is handed on, and brings the same truth to somebody else
    for drill in (code for code in DRILLS if code not in PLAYS):
        url = start(bench, level=2, seed="5", drill=drill)
        raw = bench.client.get(f"{url}/challenge.json").data
        sent = {"person": "Noor", "file": (io.BytesIO(raw), "challenge.json")}
        answer = bench.post("/practice/challenges", sent, follow=False)
        first, second = (practice.get(demo, int(one.rsplit("/", 1)[1])) for one in (url, answer.headers["Location"]))
        assert second.truth == first.truth
        assert (second.person, second.seed) == ("Noor", 5)


def test_a_challenge_that_cannot_be_is_refused_by_its_field(bench: Bench) -> None:
    made = {one.drill: json.loads(write_challenge(one)) for one in shipped().values()}

    def refused(drill: str, why: str, **fields: object) -> None:
        kept = json.loads(json.dumps(made[drill]))
        kept["truth"].update({name: value for name, value in fields.items() if name in kept["truth"]})
        kept.update({name: value for name, value in fields.items() if name not in kept["truth"]})
        sent = {"person": "Ida", "file": (io.BytesIO(json.dumps(kept).encode()), "challenge.json")}
        answer = bench.post("/practice/challenges", sent)
        assert answer.status_code == 422
        assert why in words(answer.text)
        assert 'value="Ida"' in answer.text

    refused("culprit", "level: 9 is not there", level=9)
    refused("culprit", "number: must be", number="seven")
    refused("culprit", "colour: unknown field", colour="red")
    refused("culprit", "no reading with the rocker finds", out_mm={"2": 0.1, "9": -0.1, "20": 0.1})
    refused("culprit", "out_mm: level 5 has 3 out", out_mm={"9": 0.1})
    refused("straight", "mm_a_turn: 0 is less than", mm_a_turn=0)
    refused("straight", "the program itself cannot", bow_mm=0.9, left=4, mm_a_turn=0.1)
    refused("beam", "lifted: holds fewer than 22", lifted=[0.1])
    refused("beam", "since_ink", since_ink={"bass": [0] * 22})
    refused("radius", "tops: holds fewer than 9", tops=[[0.0] * 7])
    done = radius.by_program(radius.blank(4, 1))[1]
    refused("radius", "true already", tops=done.tops, radius_mm=done.radius_mm)
    refused("whole", "taken up than there is", rod={**made["whole"]["truth"]["rod"], "taken_up": 0.2})
    refused("whole", "unseated", neck={**made["whole"]["truth"]["neck"], "unseated": {"40": 0.1}})
    hopeless = {lane: [0.5 * (-1) ** n for n in range(22)] for lane in ("bass", "middle", "treble")}
    refused("whole", "cannot bring this neck", neck={**made["whole"]["truth"]["neck"], "tops": hopeless})
    refused(
        "whole_setup",
        "scale of 648 mm",
        neck={**made["whole"]["truth"], "rod": made["whole_setup"]["truth"]["neck"]["rod"]},
    )
    refused("whole_setup", "nut_mm", nut_mm=[0.1] * 5)
    sunk = [-0.2] * 6
    refused("whole_setup", "cannot bring this neck", nut_mm=sunk)
    refused("order", "right: this order breaks a rule", right=made["order"]["truth"]["right"][::-1])
    refused("order", "shuffled: must hold each step", shuffled=["polish"] * 10)
    for raw, why in ((b"", "Choose the JSON file"), (b"{", "not JSON"), (b"[" * 99_000, "nested too deeply")):
        answer = bench.post("/practice/challenges", {"person": "Ida", "file": (io.BytesIO(raw), "a.json")})
        assert why in words(answer.text)
    assert "not among them" in words(bench.post("/practice/challenges", {"person": "Ida", "challenge": "x"}).text)
    assert "Say who practises" in words(bench.post("/practice/challenges", {"challenge": next(iter(shipped()))}).text)


def test_the_one_who_teaches_sees_who_can_do_what_and_what_went_wrong(bench: Bench, demo: Connection) -> None:
    page = words(bench.get("/practice/people"))
    assert "Emre" in page
    assert re.search(r"Tova level 2 of 6 ?, weak at 3 3 tries", page)
    beam = start(bench, "Noor", level=2, seed="8", drill="beam")
    for _ in range(3):
        bench.post(f"{beam}/work", {"did": "firm", "fret": 11, "lane": "all three"})
    bench.post(f"{beam}/handed-in", {})
    rod = start(bench, "Noor", level=1, seed="3", drill="straight")
    bench.post(f"{rod}/leave", {"said": "straight"})
    day = start(bench, "Noor", level=1, seed="3", drill="order")
    bench.post(f"{day}/hand-in", {})
    found = words(bench.get("/practice/people"))
    assert "ground off what was only out of its slot" in found
    assert "Said that it is straight; it settles at" in found
    broken = in_order(demo, int(day.rsplit("/", 1)[1])).broken[0]
    assert html.unescape(broken.spoils) in html.unescape(found)
    assert found.count("Noor") == 7  # a row, and three slips with their buttons


def test_a_saddle_is_put_right_by_what_is_heard(bench: Bench, demo: Connection, tmp_path: Path) -> None:
    url = start(bench, level=1, seed="5", drill="intonate")
    attempt = int(url.rsplit("/", 1)[1])

    def heard(what: str) -> float:
        page = bench.post(f"{url}/hear", {"what": what}).text
        (address,) = re.findall(r'<audio[^>]* src="([^"]+)"', page)
        (tmp_path / "heard.wav").write_bytes(bench.client.get(address).data)
        return pitch(*read_recording(tmp_path / "heard.wav")).hz

    for _ in range(8):
        off = cents_between(heard("fretted"), heard("harmonic"))
        if abs(off) < 0.6:
            break
        mm = min(intonate.TURNS_MM, key=lambda mm: abs(off - 2.6 * mm))
        bench.post(f"{url}/hear", {"move": f"{mm:g}"})
    assert abs(at_the_saddle(demo, attempt).string.off_cents) < 1
    assert bench.client.get(f"{url}/sound/99.wav").status_code == 404
    assert "Listen to one of" in words(bench.post(f"{url}/hear", {"what": "cowbell"}).text)
    seen = words(bench.post(f"{url}/right", {}).text)
    assert "of 100" in seen
    assert "too far" in seen
    alone = start(bench, level=3, seed="5", drill="intonate")
    assert "one is listened to after the other" in words(bench.post(f"{alone}/hear", {"what": "both"}).text)


@pytest.mark.parametrize("drill", IN_ROUNDS)
def test_rounds_are_answered_one_by_one(bench: Bench, demo: Connection, drill: str) -> None:
    url = start(bench, level=2, seed="5", drill=drill)
    attempt = int(url.rsplit("/", 1)[1])
    found = in_rounds(demo, attempt)
    many = len(found.rounds)
    for number, one in enumerate(found.rounds, 1):
        page = bench.get(url)
        assert f"round {number} of {many}" in words(page)
        for wrong in ("", "much", "99 miles"):
            answer = bench.post(f"{url}/round", {"round": number, "answer": wrong})
            assert answer.status_code == 422
            assert "wrong-words" in answer.text
        said = f"{one.right:.4f} mm" if one.asks == "length" else str(round(one.right))
        told = bench.post(f"{url}/round", {"round": number, "answer": said}, headers={"HX-Request": "true"})
        if number < many:
            assert "Right." in told.text
            # a second window is told, and nothing counts twice
            late = bench.post(f"{url}/round", {"round": number, "answer": said})
            assert "in another window" in words(late.text)
        else:
            assert told.headers["HX-Redirect"] == url
    assert "100 of 100" in words(bench.get(url))
    assert "answered already" in words(bench.post(f"{url}/round", {"round": many, "answer": said}).text)
    # all wrong is worth nothing, and says what was right
    url = start(bench, level=1, seed="6", drill=drill)
    for number, one in enumerate(in_rounds(demo, int(url.rsplit("/", 1)[1])).rounds, 1):
        said = "9 mm" if one.asks == "length" else str((round(one.right) + 1) % (len(one.choices) or 50))
        page = bench.post(f"{url}/round", {"round": number, "answer": said}).text
    assert "0 of 100" in words(page)
    assert "you said" in words(page)
    assert f"{number} of {number} rounds" in words(bench.get("/practice/people"))


def laid(bench: Bench, **sent: str) -> tuple[str, int]:
    """Lay a practice neck on the bench; its address and number."""
    answer = bench.post(
        "/practice", {"drill": WHOLE, "person": "Ida", "level": "2", "seed": "62", **sent}, follow=False
    )
    url = str(answer.headers["Location"])
    return url, int(url.rsplit("/", 1)[1])


def test_a_whole_job_is_done_with_plain_forms_and_counts_nowhere(bench: Bench, demo: Connection) -> None:
    before = [words(bench.get(one)) for one in ("/schedule", "/stock")]
    url, neck = laid(bench)
    kept = practice_necks.get(demo, neck)
    (loose,) = kept.truth["neck"]["unseated"]
    page = bench.post(f"{url}/work", {"did": "rock", "fret": loose, "lane": "middle"})
    assert f"Fret {loose} " in words(page.text)
    assert f"Fret {loose} was out" not in page.text
    survey = surveys.of_job(demo, kept.job_id)[-1]
    assert f"/surveys/{survey.id}" in bench.get(f"/instruments/{kept.instrument_id}")
    assert "A practice neck, no instrument" in bench.get(f"/instruments/{kept.instrument_id}")
    # a survey's own screen answers too
    assert "data-tool" in bench.get(f"/surveys/{survey.id}")
    said = bench.client.get(f"/practice/surveys/{survey.id}/tool?lane=bass&fret={loose}").get_json()
    assert said["typed"] in ("r", "f")
    assert bench.client.get(f"/practice/surveys/{survey.id}/tool?lane=edge&fret=99").get_json() == {"typed": None}
    assert "taken with the tool" in words(bench.post(f"/practice/surveys/{survey.id}/tool").text)
    assert len(surveys.readings(demo, survey.id)) == 60
    for sent, why in (
        ({"did": "sand"}, "Choose one of: rock"),
        ({"did": "rock", "fret": "40"}, "1 to 22"),
        ({"did": "rock", "fret": "1"}, "does not stand there"),
        ({"did": "light", "fret": "4", "lane": "edge"}, "Choose a lane"),
        ({"did": "lift", "fret": "4", "lift": "2 mm"}, "up to 0.5 mm"),
        ({"did": "lift", "fret": "4", "lift": "much"}, "much"),
        ({"did": "turn 9"}, "Choose one of"),
    ):
        answer = bench.post(f"{url}/work", sent)
        assert answer.status_code == 422, sent
        assert why in words(answer.text), sent
    for sent in ({"did": "turn 4"}, {"did": "wait"}, {"did": "ink"}, {"did": "edge"}, {"did": "light", "fret": "9"}):
        assert bench.post(f"{url}/work", sent).status_code == 200
    lifted = bench.post(f"{url}/work", {"did": "lift", "fret": "9", "lift": "0.1"})
    assert "Lifted fret 9 by 0.10 mm" in words(lifted.text)
    assert "Practice neck" not in bench.get("/") + bench.get("/instruments") + bench.get("/instruments?q=practice")
    assert [words(bench.get(one)) for one in ("/schedule", "/stock")] == before
    debrief = words(bench.post(f"{url}/hand-in").text)
    assert f"Fret {loose} was out of its slot" in debrief
    assert ", and still is" in debrief
    assert "0 of 100" in debrief
    assert jobs.get(demo, kept.job_id).closed_at
    assert "handed in" in words(bench.post(f"{url}/work", {"did": "wait"}).text)
    assert "handed in" in words(bench.post(f"{url}/hand-in").text)
    assert "data-tool" not in bench.get(f"/surveys/{survey.id}")
    assert "not handed in" in words(bench.post(f"/practice/surveys/{survey.id}/tool").text)
    assert "nothing told of the tops" in words(bench.get(f"{url}?moment=1")).lower() or "By then" in bench.get(
        f"{url}?moment=1"
    )
    told = words(bench.get(f"{url}?moment=0"))
    assert re.search(r"The tops were known within 0\.\d+ mm on the mean", told)
    part = bench.get(f"{url}?moment=0", headers={"HX-Target": "moment"})
    assert 'hx-swap-oob="true"' in part
    assert "<header" not in part
    assert re.search(r"Ida .*none yet", words(bench.get("/practice/people")))
    refused = bench.client.get(f"/instruments/{kept.instrument_id}/record.json", follow_redirects=True)
    assert "has no record to hand over" in words(refused.text)
    # the same neck for somebody else
    raw = bench.client.get(f"{url}/challenge.json").data
    sent_on = {"person": "Noor", "file": (io.BytesIO(raw), "challenge.json")}
    other = bench.post("/practice/challenges", sent_on, follow=False).headers["Location"]
    assert practice_necks.get(demo, int(other.rsplit("/", 1)[1])).truth == kept.truth
    for gone in (
        "/practice/necks/999",
        "/practice/necks/999/call",
        "/practice/instruments/1",
        "/practice/necks/999/challenge.json",
    ):
        bench.get(gone, status=404)


def test_a_whole_setup_is_done_with_plain_forms_and_on_the_usual_screens(bench: Bench, demo: Connection) -> None:
    url, neck = laid(bench, drill=WHOLE_SETUP, level="3", seed="312")
    kept = practice_necks.get(demo, neck)
    here = f"/instruments/{kept.instrument_id}"
    for sent, why in (
        ({"did": "air"}, "case: 33 %; in the practice room: 45 %"),
        ({"did": "rest"}, "for two days"),
        ({"did": "relief"}, "Relief 0.55 mm, capo on fret 1"),
        ({"did": "gaps"}, "First-fret gaps: "),
        ({"did": "actions"}, "Action over fret 12: "),
        ({"did": "cents"}, "against the open string: "),
        ({"did": "play", "lane": "6"}, "String 6: "),
        ({"did": "play_all"}, "132 notes "),
        ({"did": "turn 4"}, "Tightened a quarter turn: it goes easily"),
        ({"did": "wait"}, "let it settle"),
        ({"did": "file", "lane": "1", "stop": "1.30"}, "ten strokes in its slot, blades at 1.30 mm"),
        ({"did": "touch", "lane": "2"}, "two strokes in its slot, no blades"),
        ({"did": "screw -4", "lane": "3"}, "its saddle a whole turn down"),
        ({"did": "along 1", "lane": "3"}, "its saddle a quarter turn back"),
    ):
        answer = bench.post(f"{url}/work", sent, headers={"HX-Request": "true"})
        assert why in words(answer.text), sent
        assert "<header" not in answer.text
    assert whole_job(demo, neck).neck.nut_mm[0] >= 1.30 - CROWN_MM - 1e-9
    for sent, why in (
        ({"did": "sand"}, "Choose one of: relief"),
        ({"did": "turn 9"}, "Choose one of"),
        ({"did": "file", "lane": "9"}, "Choose one of"),
        ({"did": "file", "lane": "2", "stop": "much"}, "much"),
        ({"did": "file", "lane": "2", "stop": "9 mm"}, "3.00 mm at most"),
    ):
        answer = bench.post(f"{url}/work", sent)
        assert answer.status_code == 422, sent
        assert why in words(answer.text), sent
    assert "Solve the setup and accept it" in bench.get(f"{url}/call")
    # the usual screens answer, call, and are worked on
    survey = next(one for one in surveys.of_job(demo, kept.job_id) if one.head.kind == "intonation")
    said = bench.client.get(f"/practice/surveys/{survey.id}/tool?lane=2&fret=12").get_json()["typed"]
    assert float(said) == pytest.approx(whole_job(demo, neck).neck.cents(2, 12), abs=0.051)
    assert "Accepted" in words(bench.post(f"{here}/setup/accept").text)
    assert "Relief" in words(bench.get(f"{url}/call"))
    before = whole_job(demo, neck).neck.neck.rod.bow_mm
    rod_turns.add(demo, kept.instrument_id, stamp(NOW + timedelta(seconds=1)), 8)
    assert whole_job(demo, neck).neck.neck.rod.bow_mm < before
    debrief = words(bench.post(f"{url}/hand-in").text)
    assert "It came from an air of 33 %" in debrief
    assert "before something was done" in debrief
    assert "of 100" in debrief
    assert "setup 312, level 3" in words(bench.get("/practice"))
    part = bench.get(f"{url}?moment=0", headers={"HX-Target": "moment"})
    assert 'hx-swap-oob="true"' in part
    assert "The truth, and what was read" in part
    raw = bench.client.get(f"{url}/challenge.json").data
    sent_on = {"person": "Noor", "file": (io.BytesIO(raw), "challenge.json")}
    other = bench.post("/practice/challenges", sent_on, follow=False).headers["Location"]
    assert practice_necks.get(demo, int(other.rsplit("/", 1)[1])).truth == kept.truth
    # with the calls off no screen of the setup says any
    url, neck = laid(bench, drill=WHOLE_SETUP, level="1", seed="3", silent="yes")
    silent = practice_necks.get(demo, neck).instrument_id
    bench.post(f"{url}/work", {"did": "gaps"})
    for page in ("", "/nut", "/saddle", "/intonation", "/buzz"):
        answer = bench.client.get(f"/instruments/{silent}/setup{page}")
        assert answer.headers["Location"].endswith(f"/practice/instruments/{silent}")
    assert f"/instruments/{silent}/setup" not in bench.get(url)


def test_each_whole_job_keeps_its_own_calls_to_itself(bench: Bench, demo: Connection) -> None:
    """The boxes of both stand in one form."""
    for name, calls in ((f"silent-{WHOLE}", True), (f"silent-{WHOLE_SETUP}", False)):
        _, neck = laid(bench, drill=WHOLE_SETUP, level="1", **{name: "yes"})
        assert practice_necks.get(demo, neck).calls is calls
    refused = bench.post("/practice", {"drill": WHOLE, "person": "", f"silent-{WHOLE}": "yes"}).text
    assert re.findall(r'name="silent-(\w+)" value="yes" checked', refused) == [WHOLE]


def test_with_its_calls_off_the_program_keeps_them_to_itself(bench: Bench, demo: Connection) -> None:
    url, neck = laid(bench, silent="yes")
    kept = practice_necks.get(demo, neck)
    bench.post(f"{url}/work", {"did": "gauge"})
    survey = surveys.of_job(demo, kept.job_id)[-1]
    assert bench.get(f"{url}/call") == ""
    stage = bench.get(url)
    assert "keeps its calls to itself" in stage
    assert f"/jobs/{kept.job_id}/level" not in stage
    for screen in (f"/jobs/{kept.job_id}/level", f"/instruments/{kept.instrument_id}/neck"):
        answer = bench.client.get(screen)
        assert answer.headers["Location"].endswith(f"/practice/instruments/{kept.instrument_id}")
    for page in (f"/instruments/{kept.instrument_id}", f"/jobs/{kept.job_id}/said", f"/today/call/{kept.job_id}"):
        assert "ead the call" in bench.get(page)
    assert "rocker-call" not in bench.get(f"/surveys/{survey.id}")
    assert bench.client.get(f"/surveys/{survey.id}/call").get_json() == {}
    # with them it says the same as the Level screen
    url, neck = laid(bench)
    bench.post(f"{url}/work", {"did": "edge"})
    bench.post(f"{url}/work", {"did": "gauge"})
    said = re.search(r"<h2>(.*?)</h2>", bench.get(f"{url}/call"))
    assert said
    assert said[1] in bench.get(f"/jobs/{practice_necks.get(demo, neck).job_id}/level")
