"""A slip of the finger is taken back: the bench counts as it did before, and the record keeps the rows."""

import json
import re
from collections.abc import Callable
from typing import Any

import pytest

from deft_bench.bench.level_acceptance import accept_level, fingerprint
from deft_bench.bench.level_planning import Choices, make_plan
from deft_bench.bench.refretting import fit_frets
from deft_bench.bench.survey_results import height_surveys, survey_results
from deft_bench.bench.undo import UndoRefusedError, close_job, undo
from deft_bench.core.survey import SurveyHead
from deft_bench.formats.record import export_record, import_record
from deft_bench.store import acts, instruments, jobs, refrets, rod_turns, shop, surveys
from deft_bench.store.database import Connection
from harness import NOW, Bench, words

AT = "2026-08-24T10:00:00.000Z"
HERON, AVOCET, WHIMBREL, RUFF = 1, 5, 9, 13
HEAD = SurveyHead("fret_heights", "before", "gap", "fret_tops", "straightedge", 20, "off", None, None, "lane_by_lane")


def counted(db: Connection, instrument: int) -> tuple[Any, ...]:
    """All that later work is planned from."""
    open_now = jobs.open_of(db, [instrument]).get(instrument)
    return (
        acts.of_instrument(db, instrument),
        jobs.removed_from(db, instrument),
        jobs.past_levels(db, instrument),
        open_now,
        (plan.inputs, plan.done_at) if open_now and (plan := jobs.last_plan(db, open_now.id)) else None,
        refrets.fitted(db, open_now.id) if open_now else None,
        [survey.id for survey in surveys.of_instrument(db, instrument, limit=99)],
        [turn.id for turn in rod_turns.of_instrument(db, instrument)],
        instruments.get(db, instrument).spec,
        {wire.name: wire.pieces_um for wire in refrets.wires(db)},
    )


def job_on(db: Connection, instrument: int) -> jobs.Job:
    return jobs.open_of(db, [instrument])[instrument]


def accept_now(db: Connection) -> None:
    job, instrument, settings = job_on(db, AVOCET), instruments.get(db, AVOCET), shop.settings(db)
    base = survey_results(db, settings, height_surveys(db, job)[-1], instrument)
    shown = fingerprint(make_plan(db, settings, job, instrument, base, Choices()))
    assert accept_level(db, settings, job.id, Choices(), "out", shown, AT) == ""


def carry_out(db: Connection) -> int:
    job = job_on(db, AVOCET)
    plan = jobs.last_plan(db, job.id)
    assert plan
    assert jobs.mark_done(db, plan, AVOCET, AT)
    return job.id


def accept_again(db: Connection) -> int:
    accept_now(db)
    return job_on(db, AVOCET).id


def read_again(db: Connection) -> int:
    return surveys.start(db, HERON, job_on(db, HERON).id, 21, HEAD, AT)


def turn(db: Connection) -> int:
    return rod_turns.add(db, HERON, AT, 16)


def open_it(db: Connection) -> int:
    return jobs.open_job(db, WHIMBREL, "setup", AT, None)


def fit(db: Connection) -> int:
    job = job_on(db, RUFF)
    assert fit_frets(db, NOW, job, instruments.get(db, RUFF)).pieces
    return job.id


def shut(db: Connection) -> int:
    job = job_on(db, HERON)
    close_job(db, shop.settings(db), NOW, job, instruments.get(db, HERON))
    return job.id


@pytest.mark.parametrize(
    ("what", "slip", "instrument"),
    [
        ("done", carry_out, AVOCET),
        ("survey", read_again, HERON),
        ("plan", accept_again, AVOCET),
        ("turn", turn, HERON),
        ("job", open_it, WHIMBREL),
        ("fitted", fit, RUFF),
        ("closed", shut, HERON),
    ],
)
def test_a_slip_is_taken_back_as_if_it_had_not_been(
    demo: Connection, what: str, slip: Callable[[Connection], int], instrument: int
) -> None:
    jobs.set_nut(demo, job_on(demo, AVOCET).id, "out")
    if what == "done":
        accept_now(demo)
    before = counted(demo, instrument)
    row = slip(demo)
    after = counted(demo, instrument)
    assert after != before
    done_again = undo(demo, NOW, what, row)
    assert counted(demo, instrument) == before
    # what was taken back is in the record, and the record can be had again
    record = export_record(demo, instrument)
    kept = [*record["surveys"], *record["rod_turns"], *record["jobs"]]
    events = [event["kind"] for job in record["jobs"] for event in job["events"]]
    assert any(one["withdrawn_at"] for one in kept) or {"taken_back", "reopened"} & set(events)
    made = import_record(demo, json.dumps(record).encode(), as_copy=True)
    again = export_record(demo, made)
    assert [one["withdrawn_at"] for one in again["surveys"]] == [one["withdrawn_at"] for one in record["surveys"]]
    assert [job["events"] for job in again["jobs"]] == [job["events"] for job in record["jobs"]]
    # and it can be done after all
    if done_again.again:
        undo(demo, NOW, what, row, put_back=True)
        assert counted(demo, instrument) == after
    else:
        slip(demo)
        assert counted(demo, instrument)[1:] == after[1:]


def test_what_something_rests_on_is_taken_back_last(demo: Connection) -> None:
    job = next(job for job in jobs.of_instrument(demo, HERON) if jobs.plans(demo, job.id))
    plan = jobs.plans(demo, job.id)[0]
    with pytest.raises(UndoRefusedError, match="carried out: take that back first"):
        undo(demo, NOW, "survey", plan.survey_id)
    with pytest.raises(UndoRefusedError, match="Work is recorded as done"):
        undo(demo, NOW, "job", job.id)
    with pytest.raises(UndoRefusedError, match="Another job of this instrument is open"):
        undo(demo, NOW, "closed", job.id)
    with pytest.raises(KeyError):
        undo(demo, NOW, "varnish", 1)


def test_a_job_closed_too_early_says_which_gates_and_opens_again(bench: Bench, demo: Connection) -> None:
    job = job_on(demo, HERON)
    closed = words(bench.post(f"/jobs/{job.id}/close").text)
    assert "closed with gates not met: " in closed
    assert "Undo" in closed
    assert jobs.events(demo, job.id)[-1].kind == "closed"
    assert "Crown to a thin even line" in jobs.events(demo, job.id)[-1].note
    record = bench.get(f"/jobs/{job.id}/record")
    assert "gates not met: " in words(record)
    assert f'action="/undo/closed/{job.id}"' in record
    assert f"/jobs/{job.id}/close" not in record
    assert "The job is open again" in words(bench.post(f"/undo/closed/{job.id}").text)
    assert jobs.get(demo, job.id).closed_at is None
    refused = words(bench.post(f"/undo/done/{job.id}", {"back": "//elsewhere"}).text)
    assert "Not taken back. No plan is recorded as carried out" in refused
    assert bench.post("/undo/varnish/1").status_code == 404


def test_every_button_that_takes_back_does(bench: Bench, demo: Connection) -> None:
    accept_now(demo)
    avocet = job_on(demo, AVOCET).id
    turn(demo)
    survey = read_again(demo)
    fit(demo)
    pages = (
        (f"/jobs/{avocet}/level", "plan", "The plan is no longer accepted."),
        (f"/instruments/{HERON}/neck", "turn", "The turn of the rod is withdrawn."),
        (f"/surveys/{survey}", "survey", "is withdrawn: its readings stay in the record"),
        (f"/jobs/{job_on(demo, RUFF).id}/refret", "fitted", "their wire is in stock again"),
        (f"/instruments/{HERON}", "job", "The job is withdrawn"),
    )
    for page, what, says in pages:
        offered = re.findall(rf'action="(/undo/{what}/\d+)"', bench.get(page))
        assert offered, page
        assert says in words(bench.post(offered[0]).text), page
    carry_out_of = job_on(demo, AVOCET)
    accept_now(demo)
    carry_out(demo)
    offered = re.findall(r'action="(/undo/done/\d+)"', bench.get(f"/jobs/{carry_out_of.id}/record"))
    assert "its metal counts as there" in words(bench.post(offered[0]).text)


def test_pages_offer_to_take_back(bench: Bench, demo: Connection) -> None:
    opened = words(bench.post(f"/instruments/{WHIMBREL}/jobs", {"kind": "level_and_dress"}).text)
    assert "Level and dress: the job is open. Undo" in opened
    job = job_on(demo, WHIMBREL)
    gone = words(bench.post(f"/undo/job/{job.id}").text)
    assert "The job is withdrawn, with what was read in it. Undo" in gone
    assert f"/undo/job/{job.id}" in bench.get(f"/instruments/{WHIMBREL}")
    assert "put back" in bench.get(f"/instruments/{WHIMBREL}")
    turned = bench.post(f"/instruments/{HERON}/neck/turned", {"turns": "16", "aim": "playing"}).text
    assert "/undo/turn/" in turned
    survey = surveys.of_job(demo, job_on(demo, HERON).id)[-1]
    assert "Withdraw this survey" in bench.get(f"/surveys/{survey.id}")
    undo(demo, NOW, "survey", survey.id)
    assert "it counts for nothing until it is put back" in words(bench.get(f"/surveys/{survey.id}"))
    before = surveys.history(demo, survey.id)
    for address, sent in (
        ("readings", {"lane": "middle", "fret": "3", "reading": "0.05", "token": "late"}),
        ("sheet", {"text": "fret,lane,reading\n3,middle,0.05", "store": "1"}),
    ):
        assert "This survey is withdrawn" in words(bench.post(f"/surveys/{survey.id}/{address}", sent).text)
    assert surveys.history(demo, survey.id) == before
