"""Boards and refrets through the pages: live previews, refusals that keep everything, ticks, stock, gates and files."""

import json
import math
import re

import pytest

from deft_bench.core.board.plan_view import plan_view
from deft_bench.core.frets.notch import Obstruction
from deft_bench.core.instrument import Spec
from deft_bench.core.refret import END_STEPS, SIDES
from deft_bench.formats.board import EXPORTS, exports_of
from deft_bench.formats.record import export_record, import_record
from deft_bench.store import boards, instruments, jobs, refrets, shop, surveys
from deft_bench.store.database import Connection
from harness import Bench, words

SANDPIPER, HERON, REDSHANK, RUFF, WHIMBREL = 14, 1, 12, 13, 9


def job_of(db: Connection, instrument_id: int) -> int:
    return jobs.open_of(db, [instrument_id])[instrument_id].id


def test_a_half_edited_form_never_replaces_the_saved_board(bench: Bench, demo: Connection) -> None:
    before = instruments.get(demo, SANDPIPER).spec, boards.PLANS.every(demo, SANDPIPER)
    page = f"/instruments/{SANDPIPER}/board"
    for sent, field in (
        ({"bass_scale_um": "0"}, "bass_scale_um"),
        ({"spread_nut_um": "70", "spread_saddle_um": "40"}, "spread_nut_um"),
        ({"perpendicular_fret": "30"}, "perpendicular_fret"),
        ({"frets": "61"}, "frets"),
        ({"nut_radius_um": "20"}, "nut_radius_um"),
        ({"kerf_um": "fine saw"}, "kerf_um"),
        ({"crown_width_um": "4.5", "frets": "60"}, "crown_width_um"),
        ({"inlay_frets": "3, x"}, "inlay_frets"),
    ):
        answer = bench.post(page, {**sent, "oversize_um": "2.25"})
        assert answer.status_code == 422, sent
        wrong = re.search(rf'id="e-{field}">([^<]+)<', answer.text)
        assert wrong, (sent, re.findall(r'id="e-(\w+)">[^<]+<', answer.text))
        assert "2.25" in answer.text  # what was typed is still there
        live = bench.post(f"{page}/preview", sent)
        assert live.headers["HX-Reswap"] == "none"
        assert re.search(rf'id="e-{field}" hx-swap-oob="true">[^<]+<', live.text)
    assert (instruments.get(demo, SANDPIPER).spec, boards.PLANS.every(demo, SANDPIPER)) == before


def test_the_drawing_follows_the_numbers_and_only_save_stores_them(bench: Bench, demo: Connection) -> None:
    page = f"/instruments/{SANDPIPER}/board"
    live = bench.post(f"{page}/preview", {"frets": "22", "school": "follow_radius", "fret": "7"}).text
    assert live.count('class="slot-hit"') == 22
    assert "Through the slot of fret 7" in live
    assert "Radius first, then cut the slots along the curve" in live
    assert "Shown, not saved yet." in live
    assert len(boards.PLANS.every(demo, SANDPIPER)) == 1
    saved = bench.post(page, {"frets": "22", "school": "follow_radius", "fret": "7"})
    assert "what it was before is kept" in saved.text
    assert saved.text.count('class="slot-hit"') == 22
    assert len(boards.PLANS.every(demo, SANDPIPER)) == 2
    assert instruments.get(demo, SANDPIPER).spec.frets == 22
    assert [spec["frets"] for _, spec in instruments.revisions(demo, SANDPIPER)] == [24]
    assert "Nothing was changed" in bench.post(page, {"frets": "22"}).text
    # a string more: its gauges are the usual ones again, and the posts of seven are gone
    more = bench.post(page, {"strings": "8"})
    assert more.status_code == 200
    plan = boards.plan_of(demo, SANDPIPER, instruments.get(demo, SANDPIPER).spec)
    assert (len(plan.gauges_um), plan.posts_um) == (8, ())
    # inches: the same board, to the micrometre
    shop.change(demo, {"system": "in"})
    text = bench.get(page)
    boxes = dict(re.findall(r'<input[^>]* name="(\w+_um)"[^>]* value="([^"]*)"', text))
    assert float(boxes["bass_scale_um"]) == pytest.approx(686 / 25.4, abs=1e-5)
    assert "Nothing was changed" in bench.post(page, boxes).text


def test_a_failing_board_says_so_and_a_board_becomes_an_instrument(bench: Bench, demo: Connection) -> None:
    page = f"/instruments/{SANDPIPER}/board"
    text = bench.post(f"{page}/preview", {"inlay_style": "dots", "inlay_size_um": "15", "end_overhang_um": "0"}).text
    assert "Do not cut yet." in text
    assert "breaks into the slot" in text
    assert "past the end of the board" in text
    assert "Sandpiper No. 14" not in bench.get("/instruments")
    assert "Sandpiper No. 14" in bench.get("/boards")
    assert "is an instrument now" in bench.post(f"{page}/made").text
    assert "Sandpiper No. 14" in bench.get("/instruments?q=sandp")
    assert "Sandpiper No. 14" not in bench.get("/boards")
    assert bench.post("/boards/new", {"kind": "tenor", "name": " "}).status_code == 422
    started = bench.post("/boards/new", {"kind": "tenor", "name": "Stint No. 15"})
    assert "Stint No. 15" in started.text
    assert 'class="slot-hit"' in started.text


def test_a_board_outlives_an_edit_of_its_instrument(bench: Bench, demo: Connection) -> None:
    """Blocks and gauges that no longer fit a narrower neck start from the usual values; no page of the board or the
    level fails.
    """
    bench.post(f"/instruments/{HERON}/board", {"inlay_style": "blocks", "inlay_side_um": "19"})
    narrow = {"nut_width_um": "30", "spread_nut_um": "9", "spread_saddle_um": "20", "last_fret_width_um": "40"}
    boxes = dict(re.findall(r'name="(\w+)"[^>]* value="([^"]*)"', bench.get(f"/instruments/{HERON}/edit")))
    chosen = dict(
        re.findall(
            r'name="(\w+)"[^>]*>\s*(?:<option[^>]*>[^<]*</option>\s*)*?<option value="(\w+)" selected',
            bench.get(f"/instruments/{HERON}/edit"),
        )
    )
    assert bench.post(f"/instruments/{HERON}/edit", boxes | chosen | narrow).status_code == 200
    assert instruments.get(demo, HERON).spec.nut_width_um == 30_000
    for page in ("", "/marking", "/radius", "/strings", "/files"):
        bench.get(f"/instruments/{HERON}/board{page}")
    bench.get(f"/jobs/{job_of(demo, HERON)}/level")


def test_ticks_hold_only_where_they_were_made(bench: Bench, demo: Connection) -> None:
    page = f"/instruments/{SANDPIPER}/board/marking"
    assert bench.get(f"{page}?line=bass+string").count('aria-pressed="true"') == 10 + 1  # and the unit in use
    accept = {"Accept": "application/json"}
    reply = bench.post(
        f"/instruments/{SANDPIPER}/board/tick", {"line": "treble string", "fret": "3"}, headers=accept
    ).json
    assert reply == {"ticked": True, "done": 1}
    assert (
        bench.post(f"/instruments/{SANDPIPER}/board/tick", {"line": "treble string", "fret": "3"}, headers=accept).json[
            "ticked"
        ]
        is False
    )
    assert (
        bench.post(
            f"/instruments/{SANDPIPER}/board/tick", {"line": "treble string", "fret": "77"}, headers=accept
        ).status_code
        == 422
    )
    bench.post(f"/instruments/{SANDPIPER}/board", {"bass_scale_um": "690"})
    moved = bench.get(f"{page}?line=bass+string")
    assert moved.count("moved since it was marked") == 9  # the square fret stays where it is
    # a rule of the board's own, and that rule made the shop's
    own = {"rule_step": "1/64 in", "rule_fine": "", "rule_fine_to_um": "100", "rule_read": "1"}
    bench.post(page, own)
    assert shop.settings(demo).rule_step == "1/2 mm"
    on_rule = r'strong">\d+ \d+/64 in'
    assert re.search(on_rule, bench.get(page))
    assert not re.search(on_rule, bench.get("/instruments/1/board/marking"))
    bench.post(f"/instruments/{SANDPIPER}/board/rule", own)
    assert shop.settings(demo).rule_step == "1/64 in"
    assert boards.plan_of(demo, SANDPIPER, instruments.get(demo, SANDPIPER).spec).rule_step == ""
    assert re.search(on_rule, bench.get("/instruments/1/board/marking"))
    refused = bench.post(f"/instruments/{SANDPIPER}/board/rule", {"rule_step": "an ell", "rule_fine_to_um": "100"})
    assert "was not changed" in refused.text
    bench.post(
        f"/instruments/{SANDPIPER}/board/marking",
        {"datum": "fret_12", "drawing_centre_um": "250", "set_fraction": "64"},
    )
    told = re.search(r"Set (?:(\d+) )?(\d+)/(\d+) in", bench.get(page))
    assert told
    assert math.gcd(int(told[2]), int(told[3])) == 1
    assert int(told[2]) < int(told[3])


def test_lengths_stay_as_they_were_typed_while_they_mean_the_same(bench: Bench, demo: Connection) -> None:
    page = f"/instruments/{HERON}/board"
    shop.change(demo, {"system": "in"})
    typed = {"blank_thickness_um": "11/32", "kerf_um": ".0240", "nut_radius_um": "12 in", "oversize_um": "0.8 mm"}
    bench.post(page, typed)

    def boxes(where: str) -> dict[str, str]:
        return dict(re.findall(r'<input[^>]* name="(\w+_um)"[^>]* value="([^"]*)"', bench.get(where)))

    assert {name: boxes(page)[name] for name in typed} == typed
    assert boxes(f"/instruments/{HERON}/edit")["nut_radius_um"] == "12 in"
    bench.post(page, {"kerf_um": "0.025"})
    assert boxes(page)["kerf_um"] == "0.025"
    shop.change(demo, {"system": "mm"})
    assert boxes(page)["blank_thickness_um"] == "8.731"
    assert boxes(page)["oversize_um"] == "0.8 mm"


def test_posts_gauges_and_a_measured_radius(bench: Bench, demo: Connection) -> None:
    page = f"/instruments/{HERON}/board"
    assert "No posts are given yet" in bench.get(f"{page}/strings")
    bench.post(f"{page}/posts", {"rows": "1", "first": "45", "pitch": "26", "off": "-10", "flare": "6"})
    text = bench.get(f"{page}/strings")
    assert "most sideways pull" in text
    behind = re.search(r'name="post_behind_6"[^>]* value="([^"]*)"', text)
    assert behind
    assert behind[1] == "45"
    half = bench.post(f"{page}/strings", {"post_behind_1": ""})
    assert "Give both figures for every post" in half.text
    assert (
        "5 to 60 mm apart"
        in bench.post(f"{page}/posts", {"rows": "1", "first": "45", "pitch": "900", "off": "0", "flare": "0"}).text
    )
    assert "305 mm" in bench.get(f"{page}/radius?sagitta=1.1974&span=54")
    assert "at most half the span" in bench.get(f"{page}/radius?sagitta=40&span=54")
    assert "is not a length" in bench.get(f"{page}/radius?sagitta=x&span=54")
    crowded = {f"gauge_{i}": "5" for i in range(1, 7)} | {"spread_nut_um": "24", "nut_width_um": "42"}
    assert "touch" in bench.post(f"{page}/strings", crowded).text


def test_every_file_by_its_button(bench: Bench, demo: Connection) -> None:
    text = bench.get(f"/instruments/{SANDPIPER}/board/files")
    spec = instruments.get(demo, SANDPIPER).spec
    plan = boards.plan_of(demo, SANDPIPER, spec)
    files = exports_of(spec, plan, plan_view(spec, plan))
    assert EXPORTS.keys() - files.keys() == {"deepen-gcode"}
    for kind, export in files.items():
        assert f"/board/files/{kind}" in text
        answer = bench.client.get(f"/instruments/{SANDPIPER}/board/files/{kind}")
        assert answer.headers["Content-Type"] == export.media
        called = "slots-full" if kind == "slots-gcode" else kind
        assert f"sandpiper-no-14-{called}.{export.ending}" in answer.headers["Content-Disposition"]
    assert bench.client.get(f"/instruments/{SANDPIPER}/board/files/stl").status_code == 404
    bench.post(f"/instruments/{SANDPIPER}/board/files", {"bit_um": "0.9"})
    assert "wider than the slot" in bench.get(f"/instruments/{SANDPIPER}/board/files")
    assert (
        "No slotting program"
        in bench.client.get(f"/instruments/{SANDPIPER}/board/files/slots-gcode", follow_redirects=True).text
    )


def test_a_refret_from_the_wire_to_the_ends(bench: Bench, demo: Connection) -> None:
    opened = bench.post(f"/instruments/{WHIMBREL}/jobs", {"kind": "refret"}, follow=False).headers["Location"]
    assert opened.endswith("/refret")
    job = int(re.findall(r"\d+", opened)[0])
    spec = instruments.get(demo, jobs.get(demo, job).instrument_id).spec
    assert "fills the boxes" in bench.get(f"{opened}?wire=1")
    refused = bench.post(opened, {"piece_0_length": "many", "slot_um": "0.6", "in_slot_1_fret": "99"})
    assert refused.status_code == 422
    assert "“many” is not a length" in refused.text
    assert "Row 2: “99” is not accepted: give a whole number from 1 to" in refused.text
    assert "Save the refret first" in bench.post(f"{opened}/fitted").text
    live = bench.post(f"{opened}/preview", {"slot_um": "0.45"}).text
    assert "Too tight" in live
    assert refrets.PLANS.last(demo, job) is None
    sent = {
        "wire": "Trial wire",
        "piece_0_many": "3",
        "piece_0_length": "305",
        "piece_1_length": "24 in",
        "in_slot_0_fret": "7",
        "in_slot_0_what": "knot",
        "in_slot_2_fret": "9",
        "in_slot_2_where": "edge",
        "in_slot_2_edge": "20",
        "in_slot_2_depth": "0.9",
        "in_slot_2_what": "screw of the rod",
        "tool": "press",
        "seat": "pressed",
        "stock": "1",
    }
    assert "in stock under its name" in bench.post(opened, sent).text
    plan = refrets.PLANS.last(demo, job)
    assert plan is not None
    assert plan.pieces_um == (305_000, 305_000, 305_000, 609_600)
    screw = Obstruction(9, "screw of the rod", "", 20_000, 900)
    assert plan.obstructions == (Obstruction(7, "knot"), screw)
    assert [wire.name for wire in refrets.wires(demo) if wire.name == "Trial wire"] == ["Trial wire"]
    for fret in range(1, spec.frets + 1):
        bench.post(f"{opened}/cut", {"fret": str(fret)}, headers={"Accept": "application/json"})
    assert "Clean the slots" in bench.get(opened)
    survey = _survey(bench, demo, job, "slot_depth", "1.9")
    bench.post(
        f"/surveys/{survey}/readings",
        {"lane": "bass", "fret": "1", "reading": "-1", "token": "x"},
        headers={"Accept": "application/json"},
    )
    assert (surveys.values(demo, survey)["bass", 1]) == 1_900  # under zero is refused
    # what is in the slot of fret 7 keeps it shallow: its tang is relieved, and the frets go in all the same
    _survey(bench, demo, job, "slot_depth", "1.9", {("middle", 7): "0.6"})
    text = bench.get(opened)
    assert "The frets are in" in text
    assert "Notch the tang of fret 7, 1." in text
    assert "Deepen the slot" not in text
    _survey(bench, demo, job, "straightness", "0.01")
    bench.post(f"{opened}/fitted")
    assert set(refrets.fitted(demo, job)) == set(range(1, spec.frets + 1))
    assert jobs.removed_from(demo, jobs.get(demo, job).instrument_id) == {}
    _survey(bench, demo, job, "seating", "0.01", {("middle", 5): "0.06"})
    assert "Reseat fret 5" in bench.get(opened)
    _survey(bench, demo, job, "seating", "0.01")
    assert "Read the straightness again" in bench.get(opened)
    _survey(bench, demo, job, "straightness", "-0.05")
    for step in END_STEPS:
        for side in SIDES:
            bench.post(f"{opened}/ends", {"end": f"{step} {side}"})
    text = bench.get(opened)
    assert "this refret put in" in text
    assert re.search(r"survey their heights|this refret bowed it", text)
    report = bench.get(f"/jobs/{job}/record")
    assert "Fitted frets 1 to" in report
    assert "pressed in with press" in report


def _survey(
    bench: Bench, db: Connection, job: int, kind: str, value: str, other: dict[tuple[str, int], str] | None = None
) -> int:
    head = {
        "kind": kind,
        "when": "after" if refrets.fitted(db, job) else "before",
        "method": "gap",
        "surface": "board",
        "tool": "gauge",
        "resolution_um": "0.01",
        "string_state": "off",
        "order": "lane_by_lane",
    }
    where = bench.post(f"/jobs/{job}/surveys/new", head, follow=False).headers["Location"]
    survey = surveys.get(db, int(where.rsplit("/", 1)[1]))
    lanes = ["middle"] if kind == "straightness" else ["bass", "middle", "treble"]
    rows = [
        f"{fret},{lane},{(other or {}).get((lane, fret), value)}"
        for lane in lanes
        for fret in range(1, survey.frets + 1)
    ]
    assert (
        bench.post(f"{where}/sheet", {"text": "\n".join(["fret,lane,reading", *rows]), "store": "1"}).status_code == 200
    )
    return survey.id


def test_daylight_reaches_the_level_and_a_partial_refret_reads_only_its_frets(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, REDSHANK)
    assert "Reseat frets 7 and 15" in bench.get(f"/jobs/{job}/refret")
    _survey(bench, demo, job, "fret_heights", "0.00", {("middle", 4): "0.05"})
    assert "Straighten the neck first: 0.06 mm of back-bow." in bench.get(f"/jobs/{job}/level")
    _survey(bench, demo, job, "straightness", "0.00")
    bench.post(f"/jobs/{job}/level/override", {"note": "trial"})
    text = bench.get(f"/jobs/{job}/level")
    assert "Reseat frets 7 and 15 before any metal comes off" in text
    assert "soft-faced hammer" in text
    assert "Checked: all home" in text
    bench.post(f"/jobs/{job}/level/seated", {"frets": "7, 15"})
    assert "before any metal comes off: 0.05" not in bench.get(f"/jobs/{job}/level")
    partial = job_of(demo, RUFF)
    bench.post(f"/jobs/{partial}/refret", {"frets": "1-3, 11"})
    head = {
        "kind": "slot_depth",
        "when": "before",
        "tool": "gauge",
        "resolution_um": "0.02",
        "string_state": "off",
        "order": "lane_by_lane",
    }
    where = bench.post(f"/jobs/{partial}/surveys/new", head, follow=False).headers["Location"]
    assert bench.get(where).count('class="cell') == 12
    assert "frets 1 to 3 and 11" in bench.get(f"/jobs/{partial}/refret")


def test_boards_and_refrets_travel_with_the_record(bench: Bench, demo: Connection) -> None:
    for instrument_id in (SANDPIPER, REDSHANK):
        record = export_record(demo, instrument_id)
        assert record["board_plans"] or record["jobs"][-1]["refret_plans"]
        copy = import_record(demo, json.dumps(record).encode(), as_copy=True)
        again = export_record(demo, copy)
        for part in ("board_plans", "board_ticks", "project"):
            assert again[part] == record[part]
        for was, now in zip(record["jobs"], again["jobs"], strict=True):
            assert (was["refret_plans"], was["fitted"]) == (now["refret_plans"], now["fitted"])
    older = export_record(demo, HERON)
    for part in ("board_plans", "board_ticks", "project"):
        del older[part]
    for job in older["jobs"]:
        del job["refret_plans"], job["fitted"]
    made = import_record(demo, json.dumps(older | {"version": 1}).encode(), as_copy=True)
    assert len(export_record(demo, made)["surveys"]) == len(older["surveys"])


def test_the_edge_margin_is_held_where_it_is_what_was_given(bench: Bench, demo: Connection) -> None:
    page = f"/instruments/{SANDPIPER}/board"

    def spec() -> Spec:
        return instruments.get(demo, SANDPIPER).spec

    bench.post(page, {"spread_by": "margin", "edge_margin_um": "3.4"})
    assert spec().edge_margin_um == 3_400
    solved = spec().spread_saddle_um
    bench.post(page, {"last_fret_width_um": "68"})
    assert spec().edge_margin_um == 3_400
    assert spec().spread_saddle_um > solved
    bench.post(page, {"spread_by": "saddle", "spread_saddle_um": "60"})
    assert spec().spread_saddle_um == 60_000
    refused = bench.post(page, {"spread_by": "margin", "edge_margin_um": "40"})
    assert "no board between the outer strings" in refused.text
    # a form that holds the ticks unticks; one of another page leaves them
    bench.post(page, {"flags": "1", "bound": "1"})
    assert spec().bound
    bench.post(f"{page}/strings", {"spread_nut_um": "41"})
    assert spec().bound
    bench.post(page, {"flags": "1", "left_handed": "1"})
    assert (spec().bound, spec().left_handed) == (False, True)


def test_an_octave_of_nineteen_frets_is_marked_read_and_kept(bench: Bench, demo: Connection) -> None:
    page = f"/instruments/{SANDPIPER}/board"
    straight = {"treble_scale_um": "", "bass_scale_um": "640", "perpendicular_fret": "0", "datum": "nut"}
    saved = bench.post(
        page, {**straight, "divisions": "19", "frets": "31", "inlay_style": "none", "crown_width_um": "2"}
    )
    assert "Saved" in saved.text
    spec = instruments.get(demo, SANDPIPER).spec
    assert (spec.divisions, len(spec.positions_mm())) == (19, 31)
    assert spec.positions_mm()[18] == pytest.approx(320)
    assert "nut to fret 19: half the scale" in words(bench.get(f"{page}/marking"))
    assert "12 to the octave" in words(bench.get(f"/instruments/{SANDPIPER}/setup"))
    assert export_record(demo, SANDPIPER)["spec"]["divisions"] == 19
    assert "from 5 to 60" in bench.post(page, {"divisions": "3"}).text
