"""The bench's functions by themselves, without a page: what they answer, and that each command is one act."""

from dataclasses import replace

import pytest

from deft_bench.bench import refretting, sheet_lines
from deft_bench.bench.estimating import accept_estimate, option_of, spent_on
from deft_bench.bench.level_in_hand import SurveyFirstError, fall_by_tape, level_in_hand, marks_of
from deft_bench.bench.marking import MarkingRefusedError, toggle_mark
from deft_bench.bench.neck_findings import neck_findings
from deft_bench.bench.refretting import RefretRefusedError
from deft_bench.bench.setup.nut import nut_findings
from deft_bench.bench.setup.readings import latest_read
from deft_bench.bench.setup.solving import intake_due, setup_findings, trial_problems, with_set
from deft_bench.bench.setup.strings import strings_findings
from deft_bench.bench.sheet_lines import SheetRefusedError, worked_sheet
from deft_bench.bench.sheet_state import catalogue, plan_for
from deft_bench.bench.today import today
from deft_bench.core.strings.string_set import SETS, TUNINGS
from deft_bench.store import boards, estimates, instruments, jobs, refrets, setups, sheets, shop, stock
from deft_bench.store.database import Connection
from harness import NOW

SANDPIPER = 14


def named(db: Connection, name: str) -> tuple[jobs.Job, instruments.Instrument]:
    instrument = instruments.find(db, name)[0]
    return jobs.open_of(db, [instrument.id])[instrument.id], instrument


def test_today_is_in_the_order_of_the_plan_and_says_why(demo: Connection) -> None:
    found = today(demo, shop.settings(demo), NOW, 4)
    assert len(found.due) == 4
    assert found.more
    starts = [due.planned.start for due in found.due if due.planned]
    assert starts == sorted(starts)
    assert all(due.why.startswith("By the plan") for due in found.due)
    assert {risk["job"] for _, risk in found.risks} <= {str(job.id) for job in jobs.in_bench_order(demo, 60)}
    assert all(reading.due is None or reading.due in found.due for reading in found.readings)


def test_a_sheet_refuses_in_words_and_changes_nothing(demo: Connection) -> None:
    settings = shop.settings(demo)
    job, instrument = named(demo, "plover")
    sheet = worked_sheet(demo, settings, NOW, job, instrument)
    early = next(line for line in sheet.lines if line.early)
    before = sheets.events(demo, job.id)
    for code, what, words in (
        (early.operation.code, "started", "Say why it is done now"),
        ("no_step", "started", "not part of this job"),
        (early.operation.code, "skipped", "Say why it is skipped"),
    ):
        with pytest.raises(SheetRefusedError, match=words):
            sheet_lines.happen(demo, settings, NOW, sheet, code, what, "")
    with pytest.raises(SheetRefusedError, match="no repair"):
        sheet_lines.put_repair(demo, settings, NOW, job, "level", "")
    with pytest.raises(SheetRefusedError, match="own entries"):
        sheet_lines.change_plan(demo, settings, NOW, job, {"route": "nowhere"})
    with pytest.raises(SheetRefusedError, match="ticked here is frets 1 to"):
        sheet_lines.tick(demo, NOW, sheet, early.operation.code, 99)
    assert sheets.events(demo, job.id) == before
    at = sheet.in_hand
    assert at is not None
    sheet_lines.happen(demo, settings, NOW, sheet, at.operation.code, "finished", "")
    again = worked_sheet(demo, settings, NOW, job, instrument)
    assert at.operation.code in again.state.job_sheet.behind
    sheet_lines.happen(demo, settings, NOW, again, at.operation.code, "finished", "")
    assert len(sheets.events(demo, job.id)) == len(before) + 1


def test_what_proves_a_step_is_named_by_the_operation(demo: Connection) -> None:
    book, _ = catalogue(demo)
    settings = shop.settings(demo)
    job, instrument = named(demo, "knot")
    sheet = worked_sheet(demo, settings, NOW, job, instrument)
    proved = {line.operation.code for line in sheet.lines if line.proved}
    assert proved
    assert all(book.operations[code].shown_by for code in proved)
    assert {line.operation.shown_by["setup"] for line in sheet.lines if line.proved} <= {"intake", "nut", "saddle"}


def test_frets_and_their_wire_go_in_together_or_not_at_all(demo: Connection, monkeypatch: pytest.MonkeyPatch) -> None:
    job, instrument = named(demo, "curlew")
    with pytest.raises(RefretRefusedError, match="not part of this refret"):
        refretting.toggle_cut(demo, NOW, job, instrument, 99)
    before = stock.moves(demo, items[0].id) if (items := stock.items(demo)) else []
    monkeypatch.setattr(refretting, "_take_wire", lambda *_: 1 / 0)
    fitted = refrets.fitted(demo, job.id)
    with pytest.raises((ZeroDivisionError, RefretRefusedError)):
        refretting.fit_frets(demo, NOW, job, instrument)
    assert refrets.fitted(demo, job.id) == fitted
    assert (stock.moves(demo, items[0].id) if items else []) == before


def test_level_shows_what_waits_or_asks_for_a_survey(demo: Connection) -> None:
    settings = shop.settings(demo)
    job, instrument = named(demo, "heron")
    found = level_in_hand(demo, settings, job, instrument, {"left_out": "3"})
    assert marks_of(found.planning)[3] == {"left-out"}
    with pytest.raises(SurveyFirstError, match="Survey the frets first"):
        level_in_hand(demo, settings, *named(demo, "knot"), {})
    for height, first, words in ((0.0, 15, "more than nothing"), (0.3, 5, "first fret cut"), (1.5, 15, "at most")):
        with pytest.raises(ValueError, match=words):
            fall_by_tape(settings, instrument, 12, height, first)
    bow = neck_findings(demo, settings, instrument, job, "fretwork").bow
    assert bow is None or bow.by_tops == (bow.found.surface == "fret_tops")


def test_a_mark_holds_where_it_was_made(demo: Connection) -> None:
    settings, instrument = shop.settings(demo), instruments.get(demo, SANDPIPER)
    line = next(iter({line for line, _ in boards.ticks(demo, SANDPIPER)}))
    ticked, done = toggle_mark(demo, settings, NOW, instrument, line, 20)
    assert toggle_mark(demo, settings, NOW, instrument, line, 20) == (not ticked, done - (1 if ticked else -1))
    with pytest.raises(MarkingRefusedError):
        toggle_mark(demo, settings, NOW, instrument, line, 99)


def test_an_accepted_estimate_makes_its_route_the_jobs(demo: Connection) -> None:
    settings, (job, instrument) = shop.settings(demo), named(demo, "dunlin")
    book, _ = catalogue(demo)
    plan = plan_for(demo, settings, job, book)
    refret = option_of(demo, settings, NOW, job, instrument, book, replace(plan, route="refret"), ())
    assert refret.leaves_mm == instrument.spec.fret_height_um / 1000
    accept_estimate(demo, settings, NOW, job, instrument, book, plan, "refret", ())
    assert plan_for(demo, settings, job, book).route == "refret"
    assert estimates.ESTIMATES.of_job(demo, job.id)[-1].outcome["total"] == pytest.approx(refret.sums.total)
    assert spent_on(demo, settings, job).minutes >= 0


def test_a_setups_pages_without_their_pages(demo: Connection) -> None:
    settings, (job, instrument) = shop.settings(demo), named(demo, "turnstone")
    plan = setups.plan_of(demo, instrument.id, instrument.spec)
    found = setup_findings(demo, settings, instrument, plan)
    assert [item.what for item in found.todo] == ["Rod", "Nut", "Saddle", "Re-read"]
    assert found.tried is found.now
    lengths = {"relief": 5_000, "nut": 0, "action_1": 1_800}
    assert set(trial_problems(demo, settings, instrument, plan, lengths)) == {"relief"}
    assert "in" in trial_problems(demo, replace(settings, system="in"), instrument, plan, lengths)["relief"]
    assert with_set(plan, instrument.spec, next(iter(SETS)), "")[1].startswith("That set has 6")
    assert with_set(plan, instrument.spec, "", "")[0] is plan
    assert with_set(plan, instrument.spec, "", next(iter(TUNINGS)))[1] == ""
    pull = strings_findings(instrument.spec, plan, plan)
    assert pull.change == 0
    assert len(pull.courses) == 6
    nut = nut_findings(settings, instrument.spec, plan, latest_read(demo, settings, instrument), 1.0, {})
    assert len(nut.rows) == 12
    due = intake_due(demo, settings, job, instrument)
    assert due is None or due[0] in ("straightness", "strings", "intonation")
