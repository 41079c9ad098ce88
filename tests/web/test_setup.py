"""Setup through the client: intake, solve, nut, saddle, intonation, buzz, sound and report; what is refused and what
is kept.
"""

import io
import json
import math
import re
from collections.abc import Callable
from dataclasses import replace
from typing import Any

import pdfplumber
import pytest

from deft_bench.bench.next_step import job_steps
from deft_bench.bench.setup.readings import latest_read, setup_facts, setup_reach
from deft_bench.bench.setup.solving import setup_findings
from deft_bench.core.board.positions import fret_position
from deft_bench.core.instrument import STARTING
from deft_bench.core.strings.customary import CUSTOMS
from deft_bench.core.strings.notes import note_hz
from deft_bench.core.strings.setup_plan import starting_setup
from deft_bench.formats.record import export_record, import_record
from deft_bench.formats.strict_json import RequestError
from deft_bench.store import instruments, jobs, presets, rod_turns, setups, shop, surveys
from deft_bench.store.database import Connection
from harness import Bench
from harness import words as text_of
from wavs import tone, wav

HERON, TURNSTONE, KNOT, WHIMBREL, PHALAROPE = 1, 6, 8, 9, 11
HEAD = {
    "when": "before",
    "tool": "rule",
    "resolution_um": "0.05",
    "string_state": "tuned",
    "temperature_c": "21",
    "humidity": "50",
}


def read_new(bench: Bench, job: int, kind: str, **more: str) -> int:
    """Start a survey; returns its id."""
    answer = bench.post(f"/jobs/{job}/surveys/new", {**HEAD, "kind": kind, **more}, follow=False)
    assert answer.status_code == 302, answer.text[-600:]
    return int(re.findall(r"/surveys/(\d+)", answer.headers["Location"])[0])


def bow(relief: float, fret: int, frets: int = 20) -> float:
    """The gap under a straightedge at a fret of a neck with some relief."""
    x = [fret_position(864, n) for n in range(1, frets + 1)]
    return 4 * relief * (x[fret - 1] - x[0]) * (x[-1] - x[fret - 1]) / (x[-1] - x[0]) ** 2


def accept(bench: Bench, survey: int, lane: str, fret: int, reading: str, code: int = 200) -> dict[str, object]:
    answer = bench.post(
        f"/surveys/{survey}/readings",
        {"lane": lane, "fret": fret, "reading": reading, "token": f"{lane}-{fret}-{reading}"},
        headers={"Accept": "application/json"},
    )
    assert answer.status_code == code, answer.text
    found: dict[str, object] = json.loads(answer.data)
    return found


def job_of(db: Connection, instrument: int) -> jobs.Job:
    return jobs.open_of(db, [instrument])[instrument]


def test_a_setup_from_intake_to_report(bench: Bench, demo: Connection) -> None:
    opened = bench.post(f"/instruments/{WHIMBREL}/jobs", {"kind": "setup", "note": "For a light hand"}, follow=False)
    assert opened.headers["Location"].endswith("/setup/intake")
    job = job_of(demo, WHIMBREL)
    # intake leads from one reading to the next
    assert (
        f"/instruments/{WHIMBREL}/neck?aim=playing" in bench.client.get(opened.headers["Location"]).headers["Location"]
    )
    relief = read_new(bench, job.id, "straightness", surface="fret_tops")
    for fret in range(1, 21):
        accept(bench, relief, "middle", fret, f"{bow(0.35, fret):.2f}")
    assert "kind=strings" in bench.client.get(f"/instruments/{WHIMBREL}/setup/intake").headers["Location"]
    assert "A survey" not in bench.get(f"/jobs/{job.id}/surveys/new?kind=strings")
    strings = read_new(bench, job.id, "strings")
    page = bench.get(f"/surveys/{strings}")
    assert "pressed between 2 and 3" in page
    assert "it bears on fret 2" in page
    for string, action, gap in ((1, "2.6", "0.20"), (2, "2.7", "0.2"), (3, "2.8", "8 thou"), (4, "2,9", "0.22")):
        assert accept(bench, strings, str(string), 12, action)["value"] == f"{float(action.replace(',', '.')):.2f}"
        accept(bench, strings, str(string), 1, gap)
    assert "kind=intonation" in bench.client.get(f"/instruments/{WHIMBREL}/setup/intake").headers["Location"]
    # solve and accept
    setup = bench.get(f"/instruments/{WHIMBREL}/setup")
    assert "Accept the solved setup" in setup
    assert "lower on average than now" in setup
    assert "Accepted. Relief first" in bench.post(f"/instruments/{WHIMBREL}/setup/accept", {"which": "solved"}).text
    target = setups.TARGETS.of_job(demo, job.id)[-1].outcome
    assert set(target["action_um"]) == {"1", "2", "3", "4"}
    assert setups.TARGETS.of_job(demo, job.id)[-1].inputs["unread"] == []
    bench.post(f"/instruments/{WHIMBREL}/setup/accept", {"which": "solved"})
    assert len(setups.TARGETS.of_job(demo, job.id)) == 1
    # the neck's page aims at the accepted relief now
    assert "by the setup" in bench.get(f"/instruments/{WHIMBREL}/neck?aim=playing")
    assert "Tighten" in bench.get(f"/instruments/{WHIMBREL}/neck?aim=playing")
    wanted = target["relief_um"] / 1000
    again = read_new(bench, job.id, "straightness", surface="fret_tops", when="between")
    for fret in range(1, 21):
        accept(bench, again, "middle", fret, f"{bow(wanted, fret):.2f}")
    assert "File" in bench.get("/?all=1")
    nut = bench.get(f"/instruments/{WHIMBREL}/setup/nut")
    assert "File 4 slots" in nut
    after = read_new(bench, job.id, "strings", when="between")
    for string in range(1, 5):
        accept(bench, after, str(string), 12, f"{target['action_um'][str(string)] / 1000:.2f}")
        accept(bench, after, str(string), 1, "0.12")
    assert "Leave the nut" in bench.get(f"/instruments/{WHIMBREL}/setup/nut")
    assert "Leave the saddles" in bench.get(f"/instruments/{WHIMBREL}/setup/saddle")
    cents = read_new(bench, job.id, "intonation", when="after", at_frets="12", resolution_um="1")
    for string in range(1, 5):
        accept(bench, cents, str(string), 12, "+1.5")
    played = read_new(bench, job.id, "buzz", when="after")
    for fret in range(20):
        for string in range(1, 5):
            accept(bench, played, str(string), fret, "c")
    assert "none buzzes" in bench.get(f"/jobs/{job.id}/record")
    assert "Close the job" in bench.get("/?all=1")
    pdf = bench.client.get(f"/jobs/{job.id}/report.pdf")
    with pdfplumber.open(io.BytesIO(pdf.data)) as read:
        assert len(read.pages) == 1
        text = read.pages[0].extract_text()
    for words in (
        "Whimbrel No. 8: setup",
        "For a light hand",
        "Nut slots filed",
        "80 notes played, none buzzes",
        "relative humidity",
        f"{wanted:.2f}",
    ):
        assert words in text, words
    bench.post(f"/jobs/{job.id}/close")
    assert "closed" in bench.get(f"/jobs/{job.id}/record")


def test_what_buzzes_becomes_a_target_that_the_gates_follow_and_a_step_is_signed_off(
    bench: Bench, demo: Connection
) -> None:
    page, job = f"/instruments/{TURNSTONE}/setup", job_of(demo, TURNSTONE)
    bench.post(f"{page}/accept", {"which": "preset"})
    assert "The setup was changed since this was played" in bench.get(f"{page}/buzz")
    # the tightest note of all buzzes, the others beside it do not
    turnstone, usual = instruments.get(demo, TURNSTONE), shop.settings(demo)
    plan = setups.plan_of(demo, TURNSTONE, turnstone.spec)
    tight = min(setup_findings(demo, usual, turnstone, plan).present, key=lambda one: one.worst().margin_mm)
    at = tight.worst().fretted
    played = read_new(bench, job.id, "buzz", when="after")
    for string in range(1, 13):
        for fret in (at, 4, 7, 11):
            accept(bench, played, str(string), fret, "z" if (string, fret) == (tight.string, at) else "c")
    was = setups.TARGETS.of_job(demo, job.id)[-1].outcome
    shown = text_of(bench.get(f"{page}/buzz"))
    raised = re.search(
        r"(?:Set it so|Raise the action): relief [\d.]+ mm, action ([\d.]+) mm bass to ([\d.]+) mm", shown
    )
    assert raised, shown
    assert "What has to move is asked for again" in bench.post(f"{page}/cure", {"by": "action"}).text
    target = setups.TARGETS.of_job(demo, job.id)[-1].outcome
    assert f"{target['action_um']['12'] / 1000:.2f}" == raised[1]
    assert all(target["action_um"][n] >= was["action_um"][n] for n in was["action_um"])
    here = next(
        step.code
        for step in job_steps(demo, shop.settings(demo), job, instruments.get(demo, TURNSTONE))
        if step.state == "now"
    )
    assert "Not signed off. Say why" in bench.post(f"{page}/sign-off", {"step": here, "reason": " "}).text
    assert "is not the step to do now" in bench.post(f"{page}/sign-off", {"step": "buzz", "reason": "so"}).text
    bench.post(f"{page}/sign-off", {"step": here, "reason": "the owner wants it so"})
    assert "the owner wants it so" in text_of(bench.get(f"/jobs/{job.id}/record"))
    after = bench.get(page)
    assert "Ask for it again" in after
    came = export_record(demo, TURNSTONE)
    assert [one["step"] for one in came["jobs"][-1]["events"] if one["kind"] == "signed_off"] == [here]
    bench.post(f"{page}/sign-off", {"step": here, "again": "1"})
    assert "Ask for it again" not in bench.get(page)
    assert "That step is not signed off" in bench.post(f"{page}/sign-off", {"step": here, "again": "1"}).text


def test_a_player_s_preset_is_chosen_checked_and_accepted_with_its_gap_and_pickup(
    bench: Bench, demo: Connection
) -> None:
    sent = {"name": "Finger style", "kind": "bass", "relief": "0.3", "treble": "2.1", "bass": "2.6", "gap": "0.2"}
    for wrong, said in (
        ({"name": ""}, "A preset needs a name"),
        ({"bass": "9"}, "Bass: accepted are"),
        ({"kind": "harp"}, "Choose the kind of strings"),
        ({"force": "x"}, "Not saved"),
    ):
        refused = bench.post("/settings/presets", {**sent, **wrong})
        assert (refused.status_code, said in refused.text) == (422, True), wrong
        assert 'value="2.1"' in refused.text  # what was typed is still there
    assert "saved" in bench.post("/settings/presets", {**sent, "pickup": "3.1", "force": "90"}).text
    chosen = next(key for key, one in presets.named(demo, "bass").items() if one.name == "Finger style")
    page = f"/instruments/{KNOT}/setup"
    assert "Preset Finger style:" in text_of(bench.get(f"{page}?preset={chosen}"))
    assert "The shop’s preset:" in text_of(bench.get(f"{page}?preset=999"))
    bench.post(f"{page}/accept", {"which": "preset", "preset": str(chosen)})
    target = setups.TARGETS.of_job(demo, job_of(demo, KNOT).id)[-1].outcome
    assert target["relief_um"] == 300
    assert (target["action_um"]["1"], target["action_um"]["4"]) == (2100, 2600)
    assert target["gap_um"]["2"] == [180, 220]
    # page, order and gate ask for the same
    assert "0.18–0.22" in bench.get(f"{page}/nut")
    assert "toward 0.30 mm" in text_of(bench.get(page))
    knot = instruments.get(demo, KNOT)
    assert setups.plan_of(demo, KNOT, knot.spec).pickup_target_um == 3100
    bench.post("/settings/presets", {"remove": str(chosen)})
    assert chosen not in presets.named(demo)


def test_trying_shows_and_saves_nothing(bench: Bench, demo: Connection) -> None:
    page = bench.get(f"/instruments/{KNOT}/setup")
    sent = dict(re.findall(r'name="((?:relief|nut|hand|action_\d+))" value="([^"]*)"', page))
    url = f"/instruments/{KNOT}/setup/preview"
    shown = bench.post(url, {**sent, "relief": "0.1", "string": "4", "fretted": "7"}).text
    assert "4 E fretted at 7" in shown
    assert 'id="side" hx-swap-oob=true' in shown
    lower = {name: "0.8" if name.startswith("action") else value for name, value in sent.items()}
    low = bench.post(url, {**lower, "hand": "150"}).text
    assert low.count("map-cell touches") > page.count("map-cell touches")
    for changed, words in (
        ({"action_1": "-0.2"}, "−0.2 mm is outside the range of an action (0 to 10 mm)"),
        ({"action_1": "40"}, "40 mm is outside the range of an action"),
        ({"relief": "-1", **{f"action_{n}": "0.1" for n in range(1, 5)}}, "would lie on fret"),
        ({"relief": "9"}, "Accepted: "),
        ({"hand": "heavy"}, "is not accepted"),
        ({"nut": "x"}, "is not a length"),
    ):
        refused = bench.post(url, {**sent, **changed})
        assert words in refused.text, changed
        assert refused.headers["HX-Reswap"] == "none"
    assert setups.TARGETS.of_job(demo, job_of(demo, KNOT).id) == []
    # what is tried can be accepted, and a bad box then keeps what was typed
    assert (
        "Not saved: 1 box"
        in bench.post(f"/instruments/{KNOT}/setup/accept", {**sent, "which": "tried", "relief": "many"}).text
    )
    bench.post(f"/instruments/{KNOT}/setup/accept", {**sent, "which": "tried", "relief": "0.22"})
    assert setups.TARGETS.of_job(demo, job_of(demo, KNOT).id)[-1].outcome["relief_um"] == 220
    assert "Open a setup job first" in bench.post(f"/instruments/{HERON}/setup/accept", {"which": "solved"}).text
    heron = bench.get(f"/instruments/{HERON}/setup")
    assert "Fret 9 is low by 0.09" in re.sub(r"\s", " ", heron)


def test_a_neck_without_a_rod_keeps_its_relief_and_a_coarse_gauge_widens_its_gate(demo: Connection) -> None:
    found = instruments.get(demo, HERON)
    rodless = replace(found, spec=replace(found.spec, rod="none"))
    bench_shop, plan = shop.settings(demo), setups.plan_of(demo, HERON, found.spec)
    read = latest_read(demo, bench_shop, found)
    asked = setup_findings(demo, bench_shop, found, plan)
    kept = setup_findings(demo, bench_shop, rodless, plan)
    assert asked.solved.relief_mm != pytest.approx(read.found.relief_mm, abs=0.01)
    assert kept.solved.relief_mm == pytest.approx(read.found.relief_mm)
    assert kept.todo[0].done
    assert "there is none" in kept.todo[0].say
    survey = read.of["straightness"]
    coarse = replace(read, of={"straightness": replace(survey, head=replace(survey.head, resolution_um=250))})
    assert setup_reach(demo, bench_shop, rodless, coarse, None).relief_mm == math.inf
    assert setup_reach(demo, bench_shop, found, coarse, None).relief_mm == 0.25


def test_strings_are_saved_whole_or_not_at_all(bench: Bench, demo: Connection) -> None:
    url = f"/instruments/{HERON}/setup/strings"
    page = bench.get(f"{url}?set=9–42 nickel-plated steel&tuning=half a step down")
    assert "Filled in: save to keep it" in page
    assert 'value="Eb4"' in page
    assert "less than as saved" in page
    assert "has 12 strings" in bench.get(f"{url}?set=10–47 twelve-string phosphor bronze")
    plan = setups.plan_of(demo, HERON, instruments.get(demo, HERON).spec)
    sent = {"a4_hz": "440"}
    for i, one in enumerate(plan.strings, start=1):
        sent |= {
            f"note_{i}": one.note,
            f"gauge_{i}": f"{one.gauge_mm:g}",
            f"construction_{i}": one.construction,
            f"wrap_{i}": one.wrap,
            f"core_{i}": f"{one.core_mm or ''}",
            f"weight_{i}": "",
        }
    assert "more than as saved" in bench.post(f"{url}/preview", {**sent, "gauge_1": '.013"'}).text
    for changed, words in (
        ({"gauge_1": "2 m"}, "is not a length"),
        ({"gauge_1": "2000"}, "is no string"),
        ({"note_6": "H2"}, "is not a note"),
        ({"weight_6": "-3"}, "give a number"),
        ({"core_1": "0.1"}, "A plain string has no core"),
        ({"a4_hz": "4"}, "from 380 to 500"),
    ):
        refused = bench.post(url, {**sent, **changed})
        assert refused.status_code == 422
        assert words in refused.text, changed
        assert next(iter(changed.values())).replace('"', "&#34;") in refused.text
    assert setups.PLANS.every(demo, HERON) == []
    assert "Saved" in bench.post(url, {**sent, "weight_6": "6.1", "note_6": "D2"}).text
    kept = setups.plan_of(demo, HERON, instruments.get(demo, HERON).spec)
    assert kept.strings[5].unit_weight == pytest.approx(0.0061)
    assert kept.strings[5].note == "D2"
    assert "Nothing was changed" in bench.post(url, {**sent, "weight_6": "6.1", "note_6": "D2"}).text


def test_nut_and_saddle_numbers(bench: Bench, demo: Connection) -> None:
    page = bench.get(f"/instruments/{PHALAROPE}/setup/nut")
    assert "1 A is cut too low" in page
    assert "Shim under the whole nut" in page
    bench.post(f"/instruments/{PHALAROPE}/setup/nut/shelf", {"files": "0.3; 0.5; 1", "blades": "0.1; 10 thou"})
    assert 'value="0.3; 0.5; 1"' in bench.get(f"/instruments/{PHALAROPE}/setup/nut")
    assert (
        "Not saved" in bench.post(f"/instruments/{PHALAROPE}/setup/nut/shelf", {"files": "round", "blades": "0.1"}).text
    )
    boxes = dict(re.findall(r'name="([a-z_]+(?:_\d+)?)" (?:aria-label="[^"]*" )?value="([^"]*)"', page))
    values = {k: v for k, v in boxes.items() if k not in ("csrf_token", "files", "blades")} | {
        "nut_school": "equal_centres",
        "seat_base": "flat",
        "blank_base": "curved",
    }
    assert values["gap_low_1"]
    bad = bench.post(f"/instruments/{PHALAROPE}/setup/nut", {**values, "gap_low_1": "0.2", "gap_high_1": "0.1"})
    assert bad.status_code == 422
    assert "the lower first" in bad.text
    saved = bench.post(
        f"/instruments/{PHALAROPE}/setup/nut", {**values, "bearing_fret": "3", "blank_length_um": "20"}
    ).text
    assert "Saved" in saved
    assert "bears on fret 3" in saved
    assert "its base is curved and the seat is flat" in saved.lower()
    raw = bench.client.get(f"/instruments/{PHALAROPE}/setup/nut-template.pdf").data
    width = instruments.get(demo, PHALAROPE).spec.nut_width_um / 1000
    with pdfplumber.open(io.BytesIO(raw)) as read:
        page_ = read.pages[0]
        strips = [rect for rect in page_.rects if abs(rect["width"] / 72 * 25.4 - width) < 0.02]
        bars = [line for line in page_.lines if abs(max(line["width"], line["height"]) / 72 * 25.4 - 50) < 0.02]
        centres = sorted(
            (line["x0"] - strips[0]["x0"]) / 72 * 25.4
            for line in page_.lines
            if strips[0]["top"] - 1 < line["top"] < strips[0]["bottom"] and line["height"] > 20
        )
    assert len(strips) == 2
    assert len(bars) == 2
    assert len(centres) == 4
    saddle = bench.get(f"/instruments/{KNOT}/setup/saddle")
    assert "is bottomed by" in saddle
    assert "at the body end" in saddle
    assert "Out of reach" in saddle
    one_piece = bench.get(f"/instruments/{TURNSTONE}/setup/saddle")
    assert "beneath the saddle" in one_piece or "is missing" in one_piece or "File the saddle’s top" in one_piece


def test_gaps_and_action_from_before_a_turn_of_the_rod_are_old(bench: Bench, demo: Connection) -> None:
    for page in ("nut", "saddle"):
        assert "Since this was" not in bench.get(f"/instruments/{KNOT}/setup/{page}")
    job, knot, bench_shop = job_of(demo, KNOT), instruments.get(demo, KNOT), shop.settings(demo)
    target = {"relief_um": 100, "action_um": {}, "gap_um": {}}
    setups.accept(demo, job.id, "2000-01-01T00:00:00Z", {}, target)
    assert setup_facts(demo, bench_shop, job, knot).strings_since
    rod_turns.add(demo, KNOT, "2099-01-01T00:00:00Z", 8)
    for page in ("nut", "saddle"):
        said = re.sub(r"\s+", " ", bench.get(f"/instruments/{KNOT}/setup/{page}"))
        assert "Since this was read the rod was turned: read again" in said
        assert "Since action and gaps were read the rod was turned." in said
    assert not setup_facts(demo, bench_shop, job, knot).strings_since


def test_buzz_leads_to_a_cause_and_the_hand_is_kept(bench: Bench, demo: Connection) -> None:
    page = bench.get(f"/instruments/{TURNSTONE}/setup/buzz")
    assert "Fret 12 is proud or loose by 0.1" in re.sub(r"\s", " ", page)
    spec = instruments.get(demo, TURNSTONE).spec
    assert "kept for the next setup" in bench.post(f"/instruments/{TURNSTONE}/setup/buzz/hand").text
    assert len(setups.plan_of(demo, TURNSTONE, spec).pluck_n) == 12
    bench.post(f"/instruments/{TURNSTONE}/setup/buzz/hand", {"forget": "1"})
    assert setups.plan_of(demo, TURNSTONE, spec).pluck_n == ()
    assert "mark some notes first" in bench.post(f"/instruments/{HERON}/setup/buzz/hand").text
    survey = surveys.of_instrument(demo, TURNSTONE, "buzz", 1)[0]
    assert "z when it buzzes" in accept(bench, survey.id, "1", 3, "maybe", 422)["error"]  # type: ignore[operator]
    assert accept(bench, survey.id, "1", 0, "z")["value"] == "buzzes"
    assert accept(bench, survey.id, "1", 20, "z", 422)["error"] == "That place is not on this neck."
    sheet = bench.post(
        f"/surveys/{survey.id}/sheet", {"text": "fret,lane,reading\n2,12,z\n2,99,z\n", "preview": "1"}
    ).text
    assert "is not one of" in sheet
    csv = bench.client.get(f"/surveys/{survey.id}.csv").text
    assert "buzzes" in csv


def test_cents_are_typed_and_refused_beyond_a_semitone(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, KNOT)
    missing = bench.post(f"/jobs/{job.id}/surveys/new", {**HEAD, "kind": "intonation", "at_frets": ""})
    assert missing.status_code == 422
    assert "12 alone is enough" in missing.text
    survey = read_new(bench, job.id, "intonation", at_frets="12, 3", resolution_um="0.5")
    assert accept(bench, survey, "4", 12, "-3,5 cents")["value"] == "−3.5"
    assert "tune the open string first" in json.dumps(accept(bench, survey, "3", 12, "+60", 422))
    for typed, words in (
        ("300", "a semitone or more"),
        ("-300", "a semitone or more"),
        ("sharp", "no number of cents"),
        ("nan", "no number of cents"),
        ("", "no number"),
    ):
        assert words in str(accept(bench, survey, "4", 3, typed, 422)["error"]), typed
    assert "reads 1" not in bench.get(f"/surveys/{survey}")
    page = bench.get(f"/instruments/{KNOT}/setup/intonation")
    assert "Move the saddle" in page
    assert "forward, toward the nut" in page
    bench.post(f"/instruments/{KNOT}/setup/intonation", {"intonation_thread_um": "0.8"})
    assert setups.plan_of(demo, KNOT, instruments.get(demo, KNOT).spec).intonation_thread_um == 800
    assert (
        "is not a length"
        in bench.post(f"/instruments/{KNOT}/setup/intonation", {"intonation_thread_um": "coarse"}).text
    )


def test_notes_from_wav_files_become_cents(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, KNOT)
    survey = read_new(bench, job.id, "intonation", at_frets="12", resolution_um="0.1")
    url = f"/surveys/{survey}/sound"

    def send(step: str, raw: bytes, name: str = "note.wav", js: bool = True):  # type: ignore[no-untyped-def]
        headers = {"Accept": "application/json"} if js else {}
        return bench.client.post(
            url,
            data={"csrf_token": bench.token, "step": step, "wav": (io.BytesIO(raw), name)},
            content_type="multipart/form-data",
            headers=headers,
            follow_redirects=not js,
        )

    assert "Play string 4 E open" in bench.get(f"/surveys/{survey}/listen")
    low_e = note_hz("E1")
    first = send("4-open-0", wav(tone(low_e * 2 ** (3 / 1200))))
    assert first.json["next"] == "4-harmonic-12"
    assert send("4-harmonic-12", wav(tone(2 * low_e * 2 ** (3 / 1200)))).status_code == 200
    fretted = send("4-fretted-12", wav(tone(2 * low_e * 2 ** (3 / 1200) * 2 ** (7.5 / 1200))))
    assert fretted.json["cents"] == {"4:12": "+7.5"}
    stored = surveys.values(demo, survey)["4", 12]
    assert abs((stored or 0) / 100 - 7.5) < 0.5
    # the open note again, tuned now: the cents follow, the earlier figure stays in the record
    send("4-open-0", wav(tone(low_e)))
    assert abs((surveys.values(demo, survey)["4", 12] or 0) / 100 - 10.5) < 0.5
    assert len([one for one in surveys.history(demo, survey) if one.lane == "4"]) == 2
    for raw, step, words in (
        (b"just text", "3-open-0", "Not a recording"),
        (wav(tone(55) * 0), "3-open-0", "Silence"),
        (wav(tone(73.4)), "3-open-0", "Not the expected note: A1 was asked for"),
        (wav((tone(55) + tone(55 * 2 ** (4 / 12), seed=3)) / 2), "3-open-0", "Two notes at once"),
        (wav(tone(55) * 9), "3-open-0", "Clipping"),
        (wav(tone(55)), "9-open-0", "not part of this survey"),
    ):
        refused = send(step, raw)
        assert refused.status_code == 422
        assert words in refused.json["error"], words
    assert "No recording came" in bench.post(url, {"step": "3-open-0"}).text
    assert "Not taken. Not a recording" in send("3-open-0", b"text", js=False).text
    assert "−" not in re.findall(r"4 E</th>.*?</tr>", bench.get(f"/surveys/{survey}/listen"), re.S)[0]
    assert (
        bench.client.get(f"/surveys/{surveys.of_instrument(demo, KNOT, 'strings', 1)[0].id}/listen").status_code == 404
    )


def test_a_record_with_its_setups_comes_back_and_a_spoilt_one_does_not(bench: Bench, demo: Connection) -> None:
    record = export_record(demo, PHALAROPE)
    assert record["setup_plans"]
    assert any(job["setups"] for job in record["jobs"])
    copy = import_record(demo, json.dumps(record).encode(), as_copy=True)
    again = export_record(demo, copy)
    assert [job["setups"] for job in again["jobs"]] == [job["setups"] for job in record["jobs"]]
    assert again["setup_plans"] == record["setup_plans"]
    spoilt: tuple[tuple[Callable[[dict[str, Any]], object], str], ...] = (
        (lambda r: r["setup_plans"][0]["plan"]["strings"].pop(), "setup_plans[0].plan: its strings"),
        (
            lambda r: r["setup_plans"][0]["plan"].update(pocket_um=190_000, mouth_to_saddle_um=60_000),
            "setup_plans[0].plan.mouth_to_saddle_um",
        ),
        (
            lambda r: next(s for s in r["surveys"] if s["kind"] == "strings")["readings"][0].update(lane="9"),
            "is not a place of this survey",
        ),
        (
            lambda r: next(s for s in r["surveys"] if s["kind"] == "strings").update(strings=0),
            "strings: A survey of strings says how many",
        ),
        (
            lambda r: next(j for j in r["jobs"] if j["setups"])["setups"][0]["target"].pop("relief_um"),
            "target.relief_um: missing",
        ),
        (
            lambda r: next(j for j in r["jobs"] if j["setups"])["setups"][0]["target"].update(action_um={}),
            "target.action_um: must name every string once",
        ),
        (
            lambda r: next(j for j in r["jobs"] if j["setups"])["setups"][0]["target"]["gap_um"].pop("1"),
            "target.gap_um: must name every string once",
        ),
    )
    for spoil, line in spoilt:
        broken = json.loads(json.dumps(record))
        spoil(broken)
        with pytest.raises(RequestError) as refused:
            import_record(demo, json.dumps(broken).encode(), as_copy=True)
        assert any(line in found for found in refused.value.lines), refused.value.lines[:3]
    older = json.loads(json.dumps(export_record(demo, HERON)))
    older["version"] = 2
    del older["setup_plans"]
    for one in older["jobs"]:
        del one["setups"]
    for one in older["surveys"]:
        del one["strings"], one["at_frets"], one["sounded"]
    assert import_record(demo, json.dumps(older).encode(), as_copy=True) > 0


def test_saved_setups_follow_an_edited_specification(demo: Connection) -> None:
    spec = instruments.get(demo, HERON).spec
    plan = replace(starting_setup(spec), pluck_n=(1.0,) * 6, margin_um=35)
    setups.PLANS.save(demo, HERON, plan, "2026-08-24T10:00:00.000Z")
    assert not setups.PLANS.save(demo, HERON, plan, "2026-08-24T10:01:00.000Z")
    seven = replace(spec, strings=7, tuning="B1 E2 A2 D3 G3 B3 E4")
    fitted = setups.plan_of(demo, HERON, seven)
    assert len(fitted.strings) == 7
    assert fitted.pluck_n == ()
    assert fitted.margin_um == 35


def test_the_shop_s_preset_may_be_accepted_and_is_set_in_settings(bench: Bench, demo: Connection) -> None:
    page = bench.get(f"/instruments/{KNOT}/setup")
    assert "The shop’s preset: Nothing buzzes at this hand." in " ".join(page.split())
    job = jobs.open_of(demo, [KNOT])[KNOT]
    bench.post(f"/instruments/{KNOT}/setup/accept", {"which": "preset"})
    accepted = setups.last_accepted(demo, job.id)
    assert accepted is not None
    assert (accepted.target.relief_mm, accepted.target.action_mm[1], accepted.target.action_mm[4]) == (0.28, 2.0, 2.4)
    sent = shop.settings(demo)
    boxes = {f"preset_{kind}_{part}": "1" for kind in CUSTOMS for part in ("treble", "bass")}
    boxes |= {f"preset_{kind}_relief": "0.2" for kind in CUSTOMS} | {"preset_bass_treble": "1.7"}
    usual = {"system": "mm", "inches": "64", "nut_side": sent.nut_side, "reading_order": sent.reading_order}
    usual |= {"rock_um": "0.02", "polish_loss_um": "0.01", "least_height_um": ""}
    refused = bench.post("/settings", {**usual, **boxes, "preset_nylon_bass": "9"}).text
    assert "Accepted: 0.5" in refused
    assert shop.settings(demo).preset("bass").treble_mm == 2.0
    bench.post("/settings", {**usual, **boxes})
    assert shop.settings(demo).preset("bass").treble_mm == 1.7
    bench.post(f"/instruments/{KNOT}/setup/accept", {"which": "preset"})
    again = setups.last_accepted(demo, job.id)
    assert again is not None
    assert (again.target.relief_mm, again.target.action_mm[1]) == (0.2, 1.7)


def test_nothing_is_accepted_on_nothing_and_only_what_is_unread_is_starred(bench: Bench, demo: Connection) -> None:
    new = instruments.add(demo, replace(STARTING["electric"], name="Dotterel"), "2026-08-24T09:00:00.000Z")
    bench.post(f"/instruments/{new}/jobs", {"kind": "setup", "note": ""}, follow=False)
    here = f"/instruments/{new}/setup"
    for which in ("solved", "preset"):
        assert "Nothing is read yet" in bench.post(f"{here}/accept", {"which": which}).text
    # nothing is called lower or higher than what was never read
    assert "on average" not in bench.get(here)
    survey = read_new(bench, job_of(demo, new).id, "strings")
    accept(bench, survey, "6", 12, "2.0")
    page = bench.get(here)
    cells = {name: page[page.index(f'<th scope="row">{name}</th>') :][:140] for name in ("6 E", "1 E")}
    assert "2.00</td>" in cells["6 E"]
    assert "*</td>" in cells["1 E"]
    assert "Accepted" in bench.post(f"{here}/accept", {"which": "preset"}).text


@pytest.mark.parametrize("by", [-1, 2])
def test_a_neck_whose_frets_are_counted_again_keeps_its_pages(bench: Bench, demo: Connection, by: int) -> None:
    demo.execute("UPDATE instrument SET frets = frets + ?", (by,))
    for (at,) in demo.execute("SELECT DISTINCT instrument_id FROM survey WHERE kind = 'buzz'").fetchall():
        assert "What would explain it" in bench.get(f"/instruments/{at}/setup/buzz")
        bench.get(f"/instruments/{at}/setup")
