"""The run sheet: its order on the record, what a step too early spoils, times learned, timers across a restart, and
the shop's own operations.
"""

import re
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.bench.estimating import option_of
from deft_bench.bench.sheet_gates import is_read
from deft_bench.bench.sheet_lines import at_step, worked_sheet
from deft_bench.bench.sheet_state import plan_for
from deft_bench.core.board.plan import MARKED_FRETS
from deft_bench.core.frets.notch import Obstruction
from deft_bench.core.work.extent import whole
from deft_bench.core.work.job_sheet import Event, Sample, SheetPlan, learned, records
from deft_bench.core.work.run_sheet import run_sheet
from deft_bench.formats.operations_toml import shipped
from deft_bench.formats.record import export_record
from deft_bench.store import boards, instruments, jobs, refrets, sheets, shop
from deft_bench.store.database import Connection, open_database
from deft_bench.web import create_app
from harness import NOW, Bench, words

HERON, PLOVER, WHIMBREL, KNOT, REDSHANK = 1, 2, 9, 8, 12


def sheet_of(db: Connection, instrument: int) -> str:
    return f"/jobs/{jobs.open_of(db, [instrument])[instrument].id}/sheet"


def test_a_step_too_early_says_what_it_spoils_and_the_record_proves_others(bench: Bench, demo: Connection) -> None:
    page = sheet_of(demo, HERON)
    shown = words(bench.get(page))
    assert "Survey the fret heights, gauge or rocker on record" in shown
    refused = bench.post(f"{page}/step", {"step": "mask", "what": "finished"}).text
    assert "Not finished" in refused
    assert "tape covers the corner that the file must reach" in refused
    kept = words(
        bench.post(f"{page}/step", {"step": "mask", "what": "finished", "note": "ends were dressed last month"}).text
    )
    assert "out of order: “ends were dressed last month”" in kept
    for end in [f"{step} {side}" for step in ("flush", "bevel") for side in ("bass", "treble")]:
        assert "Ends flush and bevelled on record" not in words(bench.get(page))
        bench.post(page.replace("/sheet", "/dress/ends"), {"end": end})
    assert "Ends flush and bevelled on record" in words(bench.get(page))
    assert "not part of this job" in bench.post(f"{page}/step", {"step": "varnish", "what": "finished"}).text
    assert "Say why it is skipped" in bench.post(f"{page}/step", {"step": "cover_pickups", "what": "skipped"}).text
    assert "skipped because: “known well”" in words(
        bench.post(f"{page}/step", {"step": "cover_pickups", "what": "skipped", "note": "known well"}).text
    )
    bench.post(f"{page}/step", {"step": "cover_pickups", "what": "reopened"})
    assert "skipped" not in words(bench.get(page)).replace("Skip", "")
    job = jobs.open_of(demo, [HERON])[HERON]
    record = next(one for one in export_record(demo, HERON)["jobs"] if one["uid"] == job.uid)
    assert [(one["step"], one["kind"]) for one in record["sheet_events"]][-3:] == [
        ("mask", "finished"),
        ("cover_pickups", "skipped"),
        ("cover_pickups", "reopened"),
    ]


def test_a_gate_with_nothing_read_is_passed_only_with_a_reason(bench: Bench, demo: Connection) -> None:
    page = sheet_of(demo, REDSHANK)
    said = words(bench.post(f"{page}/step", {"step": "seat", "what": "finished"}).text)
    assert "Not finished: its gate is not met: daylight under frets 7 and 15. Read it, or say why" in said
    bench.post(f"{page}/step", {"step": "seat", "what": "started"})
    assert "Done though its gate is not met" in words(bench.get(page))
    kept = words(bench.post(f"{page}/step", {"step": "seat", "what": "finished", "note": "looked at by lamp"}).text)
    assert "Not finished" not in kept
    assert "looked at by lamp" in kept


def test_a_gate_that_no_reading_of_this_job_tells_is_the_technicians_word(demo: Connection) -> None:
    depth = shipped().operations["slot_depth"]
    refret = jobs.open_of(demo, [REDSHANK])[REDSHANK]
    assert is_read(depth, refret)
    assert not is_read(depth, replace(refret, kind="work"))


def test_a_notch_is_a_step_only_where_a_tang_needs_one(demo: Connection) -> None:
    job, book, settings = jobs.open_of(demo, [REDSHANK])[REDSHANK], shipped(), shop.settings(demo)
    wanted = refrets.PLANS.last(demo, job.id)
    assert wanted is not None
    for deep, needed in ((900, True), (wanted.tang_depth_um + 200, False)):
        there = replace(wanted, obstructions=(Obstruction(9, "screw", "middle", None, deep),))
        refrets.PLANS.save(demo, job.id, there, f"2026-08-24T09:00:0{needed:d}.000Z")
        assert ("relieve" in plan_for(demo, settings, job, book).added) is needed


def test_glue_that_cures_holds_board_and_neck(demo_path: Path, demo: Connection) -> None:
    at = [NOW]
    bench = Bench(create_app(demo_path, now=lambda: at[0], testing=True).test_client())
    job = jobs.open_of(demo, [KNOT])[KNOT]
    page = f"/jobs/{job.id}/sheet"
    bench.post(
        f"{page}/plan", {"route": "new_board", **{code: school.default for code, school in shipped().schools.items()}}
    )
    for code in run_sheet(shipped(), "new_board", {"bound": "no", "nibs": "no", "fanned": "no"}).codes:
        done = NOW if code == "glue_board" else NOW - timedelta(days=9)
        sheets.add(demo, job.id, Event(code, "finished", done.isoformat().replace("+00:00", "Z")))
        if code == "glue_board":
            break
    for code in ("straight_wood", "trim_flush", "clean_slots", "slot_depth", "seat"):
        said = words(bench.post(f"{page}/step", {"step": code, "what": "finished"}).text)
        assert "Not finished: “Clamp the board in small rounds, wipe the squeeze-out” is not over, or" in said, code
    # wire is no part of it
    assert "Not finished" not in bench.post(f"{page}/step", {"step": "overbend_cut", "what": "finished"}).text
    tick = bench.post(f"{page}/tick", {"step": "clean_slots", "fret": "3"}, headers={"Accept": "application/json"})
    assert tick.status_code == 422
    assert sheets.fret_ticks(demo, job.id, "clean_slots") == {}
    # a reason passes it over, and when the cure is over nothing holds
    assert "out of order" in words(
        bench.post(f"{page}/step", {"step": "trim_flush", "what": "finished", "note": "cauls off early"}).text
    )
    at[0] += timedelta(days=4)
    assert "is not over" not in bench.post(f"{page}/step", {"step": "clean_slots", "what": "finished"}).text


def test_schools_replan_what_is_left_and_a_problem_brings_its_repair(bench: Bench, demo: Connection) -> None:
    page = sheet_of(demo, REDSHANK)
    shown = bench.get(page)
    assert "Nip the tangs clear of the binding" in shown  # bound
    forms = {
        "route": "refret",
        "hardness": "hard",
        "mask": "guard",
        "slots": "before_glue",
        "slot_depth": "two_stage",
        "radius": "before_glue",
        "width": "oversize",
        "surface": "oil",
        "fret_glue": "glued",
        "inlay": "none",
        "colour": "natural",
    }
    planned = bench.post(f"{page}/plan", forms).text
    assert "Re-planned" in planned
    assert "Mask the board" not in planned.split("Route and schools")[0]
    assert "Glue and clamp, clean up at once" in planned
    assert 'id="step-mask"' not in planned
    assert "Not changed" in bench.post(f"{page}/plan", {**forms, "mask": "wax"}).text
    repaired = bench.post(f"{page}/repair", {"repair": "chip_repair", "note": "fret 3, bass side"}).text
    assert "Glue the chip back, level it” is on the sheet now" in repaired
    assert "fret 3, bass side" in repaired
    assert "That is no repair" in bench.post(f"{page}/repair", {"repair": "level"}).text
    job = jobs.open_of(demo, [REDSHANK])[REDSHANK]
    assert sheets.plan_of(demo, job.id, job.kind).added == ("chip_repair",)


def test_a_partial_refret_takes_its_own_route(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [REDSHANK])[REDSHANK]
    wanted = refrets.PLANS.last(demo, job.id)
    assert wanted is not None
    refrets.PLANS.save(demo, job.id, replace(wanted, frets=(1, 2, 3)), "2026-08-24T09:00:00.000Z")
    assert "partial refret" in bench.get(sheet_of(demo, REDSHANK))


def test_work_counts_the_frets_that_the_job_names(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [REDSHANK])[REDSHANK]
    instrument, wanted, settings = (
        instruments.get(demo, REDSHANK),
        refrets.PLANS.last(demo, job.id),
        shop.settings(demo),
    )
    assert wanted is not None
    named = (2, 3, 5, 8, 9)
    refrets.PLANS.save(demo, job.id, replace(wanted, frets=named), "2026-08-24T09:00:00.000Z")
    sheet = worked_sheet(demo, settings, NOW, job, instrument)
    pull, cut = sheet.line("pull_frets"), sheet.line("overbend_cut")
    assert pull
    assert cut
    assert pull.minutes == pytest.approx(10 + 5 * 1.4)
    assert [quantity for _, quantity in cut.operation.uses(sheet.state.job_sheet.extent)] == [5]
    at = at_step(demo, settings, NOW, sheet, pull)
    assert at.frets == named
    refused = bench.post(f"{sheet_of(demo, REDSHANK)}/tick", {"step": "pull_frets", "fret": "7"}).text
    assert "what is ticked here is frets 2, 3, 5, 8 and 9" in words(refused)
    plan = replace(sheet.plan, route="partial_refret")
    option = option_of(demo, settings, NOW, job, instrument, sheet.book, plan, ())
    assert next(line.minutes for line in option.labour if line.code == "pull_frets") == pytest.approx(17)
    assert next(item.quantity for item in option.items if item.name == "fret wire") == 5
    # three partial jobs of five frets in 17 minutes teach what 22 take, and five again take 17
    for number in range(3):
        other = jobs.open_job(demo, WHIMBREL, "refret", "2026-08-20T07:00:00.000Z", None)
        refrets.PLANS.save(demo, other, replace(wanted, frets=named), f"2026-08-2{number}T07:00:00.000Z")
        sheets.PLANS.save(demo, other, plan, f"2026-08-2{number}T07:00:00.000Z")
        for kind, minute in (("started", 0), ("finished", 17)):
            sheets.add(demo, other, Event("pull_frets", kind, f"2026-08-2{number}T08:{minute:02}:00.000Z"))
        jobs.close(demo, other, f"2026-08-2{number}T18:00:00.000Z")
    again = worked_sheet(demo, settings, NOW, job, instrument).line("pull_frets")
    assert again
    assert again.own
    assert again.minutes == pytest.approx(17)
    refrets.PLANS.save(demo, job.id, wanted, "2026-08-24T09:05:00.000Z")
    full = worked_sheet(demo, settings, NOW, job, instrument).line("pull_frets")
    assert full
    assert full.minutes == pytest.approx(10 + len(wanted.frets) * 1.4)


def test_a_spot_level_counts_one_fret_and_a_board_its_dots() -> None:
    book, spot = shipped().operations, replace(whole(22, 6, MARKED_FRETS), named=())
    assert [spot.pieces(book[code].counts) for code in ("spot", "crown", "polish", "survey")] == [1, 1, 1, 22]
    assert replace(spot, named=(4, 9)).pieces("touched") == 2
    board = whole(22, 6, MARKED_FRETS)
    assert board.inlays == (3, 5, 7, 9, 12, 12, 15, 17, 19, 21)
    assert book["inlay"].active(board) == book["inlay"].minutes[0] + 10 * book["inlay"].minutes[1]
    assert book["inlay"].active(whole(22, 6, MARKED_FRETS, inlaid=False)) == book["inlay"].minutes[0]
    assert len(whole(22, 6, MARKED_FRETS, blocks=True).inlays) == 9


def test_timers_outlive_a_restart_and_follow_the_cold(path: Path, demo_path: Path) -> None:
    with closing(open_database(path)) as db:
        job = jobs.open_of(db, [WHIMBREL]).get(WHIMBREL)
        assert job is None
        job_id = jobs.open_job(db, WHIMBREL, "work", "2026-08-24T07:00:00.000Z", None)
        sheets.PLANS.save(db, job_id, SheetPlan("new_board"), "2026-08-24T07:00:00.000Z")
        for code, kind, at in (
            ("glue_board", "started", "08:00"),
            ("glue_board", "finished", "08:30"),
            ("dry_fit", "finished", "07:30"),
        ):
            sheets.add(db, job_id, Event(code, kind, f"2026-08-24T{at}:00.000Z"))
        db.execute("INSERT INTO climate (at, temperature_c, humidity) VALUES ('2026-08-24T09:00:00.000Z', 10, 50)")
        db.commit()
    for moment, waits in ((NOW, True), (NOW + timedelta(hours=46), True), (NOW + timedelta(hours=48), False)):
        # each time another application on the same file, as after a restart: at 10 °C a day's cure takes two
        there = create_app(path, now=partial(lambda then: then, moment), testing=True)
        page = Bench(there.test_client()).get(f"/jobs/{job_id}/sheet")
        assert ('data-ends="2026-08-26T08:30:00+00:00"' in page) == waits, moment
        if waits:
            assert "Clamp the board in small rounds, wipe the squeeze-out" in words(page)
            assert "in clamps" in words(page)
            assert "there is no neck to trim to" in words(page)  # what follows a cure waits for its end
        else:
            assert "there is no neck to trim to" not in words(page)


def test_times_are_learned_from_what_was_started_and_finished(bench: Bench, demo: Connection) -> None:
    begin = datetime(2026, 5, 1, 9, 0, tzinfo=UTC)
    for i, minutes in enumerate((31, 34, 40, 900)):
        job = jobs.open_job(demo, WHIMBREL, "work", "2026-05-01T08:00:00.000Z", None)
        for kind, at in (("started", begin), ("finished", begin + timedelta(minutes=minutes))):
            sheets.add(demo, job, Event("fall_away", kind, (at + timedelta(days=i)).isoformat().replace("+00:00", "Z")))
        jobs.close(demo, job, "2026-05-01T20:00:00.000Z")
    shown = words(bench.get(sheet_of(demo, HERON)))
    assert "Fall-away 34 min here: 32 min to 37 min, 3 times" in shown
    page = sheet_of(demo, PLOVER)
    started = bench.post(f"{page}/step", {"step": "strings_off", "what": "started"}).text
    assert "started " in started
    bench.post(f"{page}/step", {"step": "strings_off", "what": "started"})
    bench.post(f"{page}/step", {"step": "strings_off", "what": "finished"})
    events = sheets.events(demo, int(re.findall(r"\d+", page)[0]))
    assert [(event.step, event.kind) for event in events][-2:] == [
        ("strings_off", "started"),
        ("strings_off", "finished"),
    ]


@given(st.lists(st.floats(1, 300), min_size=3, max_size=20))
def test_the_narrowest_group_with_enough_samples_counts(minutes: list[float]) -> None:
    mine = [Sample(one, "electric", {"mask": "guard"}) for one in minutes]
    others = [Sample(1000.0, "acoustic", {}) for _ in range(9)]
    found = learned([*mine, *others], "electric", {"mask": "guard"})
    assert found is not None
    assert (found.over, found.count) == ("alike", len(minutes))
    assert min(minutes) - 1e-9 <= found.low <= found.minutes <= found.high <= max(minutes) + 1e-9
    by_kind = learned([*mine, *others], "electric", {"mask": "before_level"})
    assert by_kind is not None
    assert by_kind.over == "kind"
    assert learned(mine[:2], "electric", {}) is None
    assert learned([*mine[:2], *others], "bass", {}).over == "all"


def test_today_says_what_frees_up_and_which_readings_are_due(bench: Bench, demo: Connection, path: Path) -> None:
    shown = words(bench.get("/?all=1"))
    assert "Frees up" in shown
    assert re.search(r"Curlew No. 11 .{0,40}Rest at the bench's humidity", shown.replace("&#39;", "'"))
    assert "climate, not entered today" not in shown
    late = words(
        Bench(create_app(path, now=lambda: NOW + timedelta(days=4), testing=True).test_client()).get("/?all=1")
    )
    assert "The bench’s climate, not entered today" in late
    assert "Frees up" not in late
    bench.post(f"/instruments/{PLOVER}/neck/turned", {"turns": "8", "aim": "fretwork"})
    assert "Plover No. 7: relief, its rod was turned since" in words(bench.get("/?all=1"))


def test_events_say_what_a_step_has_come_to() -> None:
    at = [f"2026-08-24T09:{minute:02d}:00.000Z" for minute in range(60)]
    found = records(
        [
            Event("level", "started", at[0]),
            Event("level", "note", at[5], "hard wire"),
            Event("level", "finished", at[25]),
        ]
    )["level"]
    assert found.minutes == pytest.approx(25)
    assert found.notes == ("hard wire",)
    again = records(
        [
            Event("level", "finished", at[0], "early"),
            Event("level", "reopened", at[1]),
            Event("level", "started", at[2]),
        ]
    )["level"]
    assert not again.done
    assert again.minutes is None


def test_any_work_has_a_job_with_its_own_route(bench: Bench, demo: Connection) -> None:
    opened = bench.post(f"/instruments/{WHIMBREL}/jobs", {"kind": "work", "note": "New nut"}, follow=False)
    assert opened.headers["Location"].endswith("/sheet")
    page = opened.headers["Location"]
    assert "Nut blank fitted to its seat" in bench.get(page)
    for _ in range(40):
        shown = bench.get(page)
        here = re.search(r'class="paper call-panel" id="step-(\w+)"', shown)
        if here is None:
            break
        bench.post(f"{page}/step", {"step": here[1], "what": "started"})
        bench.post(f"{page}/step", {"step": here[1], "what": "finished", "note": "the strings had settled already"})
    assert "Every step is behind" in shown
    assert "Go on by its run sheet" in bench.get(f"/instruments/{WHIMBREL}")
    knot = bench.get(sheet_of(demo, KNOT))
    assert "before-survey and photographs" in words(knot).lower()


def test_the_shop_writes_operations_of_its_own(bench: Bench, demo: Connection) -> None:
    head = 'format = "deft-bench-operations"\nversion = 1\n'
    own = (
        head
        + '[operation.wax_board]\ntitle = "Wax the board"\nstage = "level"\nminutes = [5, 0, 0]\n[routes.wax]\ntitle ='
        ' "Wax only"\nsteps = ["clean", "wax_board"]\n'
    )
    bad = own + '[operation.cold_bath]\ntitle = "x"\nstage = "level"\nminutes = [-1, 0, 0]\n'
    refused = bench.post("/operations", {"toml": bad})
    assert refused.status_code == 422
    assert "minutes must be three numbers" in refused.text
    assert "cold_bath" in refused.text
    assert sheets.own_operations(demo) == ""
    assert "1 entries are left out" in bench.post("/operations", {"toml": bad, "anyway": "1"}).text
    assert "Wax only" in bench.get(sheet_of(demo, HERON))
    assert "left out" in bench.get(sheet_of(demo, HERON))
    assert "Saved." in bench.post("/operations", {"toml": own}).text
    assert "Wax the board" in bench.get("/operations")
    bench.post("/operations", {"toml": ""})
    assert "Wax only" not in bench.get(sheet_of(demo, HERON))


def test_a_school_is_one_choice_wherever_it_is_said(bench: Bench, demo: Connection) -> None:
    job, redshank = jobs.open_of(demo, [REDSHANK])[REDSHANK], instruments.get(demo, REDSHANK)

    def said() -> tuple[str, str, str]:
        found = plan_for(demo, shop.settings(demo), job, shipped()).schools
        return found["slot_depth"], found["width"], found["fret_glue"]

    replanned = "The run sheet is planned again with it."
    assert replanned in bench.post(f"/instruments/{REDSHANK}/board", {"school": "follow_radius"}).text
    assert replanned in bench.post(f"/jobs/{job.id}/refret", {"glue": "wood"}).text
    assert said() == ("along_curve", "oversize", "glued")
    asked = {"slot_depth": "two_stage", "width": "final", "fret_glue": "glued"}
    assert "Re-planned, and the board’s plan with it;" in bench.post(f"/jobs/{job.id}/sheet/plan", asked).text
    board = boards.plan_of(demo, REDSHANK, redshank.spec)
    assert (board.school, board.oversize_um) == ("two_stage", 0)
    refret = refrets.PLANS.last(demo, job.id)
    assert refret
    assert refret.glue == "wood"  # glued is not said more closely by the sheet
    assert "and the refret with it" in bench.post(f"/jobs/{job.id}/sheet/plan", asked | {"fret_glue": "dry"}).text
    assert said() == ("two_stage", "final", "dry")
