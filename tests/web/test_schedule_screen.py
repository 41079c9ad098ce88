"""The schedule on screen: planned, pinned and what it costs, promises, hours refused in words, the calendar read
back, and Today by the plan.
"""

import json
import re
import threading
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any

import icalendar
import pytest

from deft_bench.bench import planner
from deft_bench.bench.planner import Planner
from deft_bench.core.work.catalogue import Operation, Rule
from deft_bench.core.work.job_sheet import Event
from deft_bench.core.work.run_sheet import run_sheet, too_early
from deft_bench.core.work.schedule.hours import (
    day_spans,
    read_days,
    read_fixtures,
    read_shifts,
    read_windows,
    write_shifts,
)
from deft_bench.core.work.schedule.planning import Planned, plan_bench
from deft_bench.formats.calc import RequestError, calculate
from deft_bench.formats.operations_toml import shipped
from deft_bench.store import jobs, schedules, sheets, stock
from deft_bench.store.database import Connection
from deft_bench.web import create_app
from harness import NOW, Bench, words

HERON, CURLEW, TURNSTONE, WHIMBREL, SANDPIPER = 1, 4, 6, 9, 14
PLAIN = {"bound": "no", "nibs": "no", "fanned": "no"}


def job_of(db: Connection, instrument: int) -> jobs.Job:
    return jobs.open_of(db, [instrument])[instrument]


def test_the_demo_is_a_full_fortnight_with_one_promise_that_cannot_be_kept(bench: Bench, demo: Connection) -> None:
    shown = words(bench.get("/schedule"))
    assert "1 promise cannot be kept." in shown
    assert "Turnstone No. 3 , 2 days late : “Action, saddle radius” waits for a twelve-string saddle blank" in shown
    assert "Not even an empty bench would keep it" in shown
    saved = schedules.latest(demo)
    assert saved is not None
    opened = {str(job.id): job for job in jobs.in_bench_order(demo, 60)}
    assert {one.job for one in saved.placed} == set(opened)
    # no step breaks a rule of its sheet: each starts when all that must precede it is over, its cures included
    book = shipped()
    for code, job in opened.items():
        mine = {one.step: one for one in saved.placed if one.job == code and one.part == one.parts}
        first = {one.step: one for one in saved.placed if one.job == code and one.part == 1}
        for rule in book.rules:
            if rule.before in mine and rule.after in mine and not rule.when and not rule.unless:
                assert mine[rule.before].free_at <= first[rule.after].start, (job.kind, rule)
    assert sum((one.end - one.start).total_seconds() for one in saved.placed) > 75 * 3600


def test_today_goes_by_the_plan_and_one_button_starts_the_step(bench: Bench, demo: Connection, demo_path: Path) -> None:
    shown = bench.get("/")
    saved = schedules.latest(demo)
    assert saved is not None
    first = saved.placed[0]
    name = re.search(r"<h1>(.*?):", shown)
    assert name is not None
    assert re.search(
        r"By the plan it is ready (on the promised day|\w+ \d+ \w+, \d+ days? before its promise)", words(shown)
    )
    assert "Turnstone No. 3 , 2 days late : “Action" in words(shown)
    assert "Crowning file: worn" in words(shown)
    assert "Thin adhesive: expired 6 days ago" in words(shown)
    bench.post(f"/jobs/{first.job}/sheet/step", {"step": first.step, "what": "started", "back": "/"})
    assert sheets.events(demo, int(first.job))[-1].kind == "started"
    assert "Go on: " in bench.get("/")
    later = Bench(create_app(demo_path, now=lambda: NOW + timedelta(days=1), testing=True).test_client())
    late = words(later.get("/"))
    assert "planned steps have slipped" in late
    assert re.search(r"slipped: \w+ No\. \d+", words(later.get("/schedule")))
    later.post("/schedule/plan", {"back": "/"})
    assert "have slipped" not in words(later.get("/"))


def test_a_pin_says_what_it_costs_and_one_that_cannot_be_kept_changes_nothing(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, CURLEW)
    page = bench.get(f"/schedule?at={job.id}.crown")
    assert "Curlew No. 11: Crown to a thin even line" in page
    before = schedules.latest(demo)
    late = {"job": str(job.id), "step": "crown", "at": "2026-09-03T10:00"}
    pinned = words(bench.post("/schedule/pin", late).text)
    assert "Pinned. It costs Curlew No. 11" in pinned
    assert re.search(r"Curlew No. 11 [1-9] days? late more", pinned)
    found = schedules.latest(demo)
    assert found is not None
    at = next(one for one in found.placed if (one.job, one.step) == (str(job.id), "crown"))
    assert (at.start.astimezone().day, at.start.astimezone().hour) == (3, 10)
    assert "a pin holds it back" in words(bench.get("/schedule"))
    assert "Take the pin out" in bench.get(f"/schedule?at={job.id}.crown")
    for wrong, why in (
        ({**late, "at": "2026-09-03T23:00"}, "does not fit into bench hours"),
        ({**late, "at": "2026-09-01T10:00"}, "does not fit into bench hours"),  # Mara's day off
        ({**late, "at": "soon"}, "is not a day and a time"),
        ({**late, "at": "2026-08-20T10:00"}, "that moment is over"),
        ({**late, "step": "dance"}, "not left to do"),
        ({**late, "step": "level", "at": "2026-09-04T10:00"}, "contradict"),  # after the crown that is pinned
    ):
        said = words(bench.post("/schedule/pin", wrong).text)
        assert "Not pinned: " in said
        assert why in said
        assert schedules.latest(demo) == found
    out = words(bench.post("/schedule/unpin", {"job": str(job.id), "step": "crown"}).text)
    assert "The pin is out" in out
    assert schedules.pins(demo) == []
    assert "has no pin" in bench.post("/schedule/unpin", {"job": str(job.id), "step": "crown"}).text
    assert before is not None
    kept = demo.execute("SELECT count(*) FROM schedule_pin").fetchone()[0]
    assert kept == 1  # what was pinned stays in the record


def test_promises_change_and_a_day_before_intake_is_refused(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, TURNSTONE)
    refused = bench.post("/schedule/promise", {"job": job.id, "promised_on": "2020-01-01", "weight": "1"}).text
    assert "is before it came in" in refused
    assert "give a whole number from 1 to 9" in bench.post(
        "/schedule/promise", {"job": job.id, "promised_on": "2026-09-20", "weight": "70"}
    ).text.replace("&#39;", "'")
    assert jobs.get(demo, job.id).promised_on == job.promised_on
    bench.post("/schedule/promise", {"job": job.id, "promised_on": "2026-09-20", "weight": "9"})
    assert jobs.get(demo, job.id).weight == 9
    assert "Something has changed since this was planned" in bench.get("/schedule")
    assert "Every promise can be kept" in bench.post("/schedule/plan").text
    assert (
        "is before it comes in today"
        in bench.post(f"/instruments/{WHIMBREL}/jobs", {"kind": "setup", "promised_on": "2026-08-01"}).text
    )


def test_hours_are_refused_box_by_box_and_nothing_typed_is_lost(bench: Bench, demo: Connection) -> None:
    page = bench.get("/schedule/hours")
    assert 'value="Mara"' in page
    before = schedules.hours(demo)
    sent = {
        "name0": "Mara",
        "mon0_0_from": "09:00",
        "mon0_0_to": "12:30",
        "tue0_0_from": "25:00",
        "tue0_0_to": "26:00",
        "off0_0_from": "someday",
        "name1": "Ilo",
        "name2": "",
        "wed2_0_from": "09:00",
        "wed2_0_to": "12:00",
        "fixture_0": "clamps",
        "count_0": "many",
        "dry_0_day": "tomorrow",
    }
    refused = bench.post("/schedule/hours", sent)
    said = words(refused.text)
    assert refused.status_code == 422
    for part in (
        "“25:00-26:00” is no shift: give shifts such as",
        "“someday” is not a date",
        "Ilo has no hours",
        "These hours need a name",
        "“clamps many” is not understood",
        "“tomorrow to” is no dry window",
    ):
        assert part in said, part
    assert 'value="25:00"' in refused.text
    assert schedules.hours(demo) == before
    monday = {"mon0_0_from": "09:00", "mon0_0_to": "12:30", "mon0_1_from": "13:15", "mon0_1_to": "17:00"}
    off = {"off0_0_from": "Thu 24 Dec", "off0_0_to": "Sat 26 Dec"}
    dry = {"dry_0_day": "Thu 27 Aug", "dry_0_from": "10:00", "dry_0_to": "16:00"}
    good = {"name0": "Mara", **monday, **off, "fixture_0": "clamps", "count_0": "0", **dry}
    assert "Saved" in bench.post("/schedule/hours", good).text
    kept = bench.get("/schedule/hours")
    assert all(f'name="{name}" value="{value}"' in re.sub(r' type="\w+"', "", kept) for name, value in good.items())
    planned = words(bench.post("/schedule/plan").text)
    # a count of zero that a step needs is named, and the rest is planned
    assert "needs clamps and there are none" in planned
    found = schedules.latest(demo)
    assert found is not None
    assert {one.start.astimezone().weekday() for one in found.placed} == {0}
    assert str(job_of(demo, SANDPIPER).id) not in {one.job for one in found.placed}
    assert "At least one name" in bench.post("/schedule/hours", {"fixture_0": ""}).text
    # however many rows there are, all are kept; a name that is no box of the form is passed over
    many = {f"off0_{row}_from": f"2027-{1 + row // 14:02}-{1 + 2 * (row % 14):02}" for row in range(1, 60)}
    bench.post("/schedule/hours", {**good, **many, "off0_x_from": "2027-09-01", "dry_day": "never"})
    (mara,) = schedules.hours(demo).technicians
    assert {day.isoformat() for day in mara.days_off} >= set(many.values())


@pytest.mark.parametrize("text", ["9-12", "9:00-12:30, 13:15-17:30", "", "0:00-23:59"])
def test_shifts_and_days_are_written_as_they_are_read(text: str) -> None:
    shifts = read_shifts(text)
    assert read_shifts(write_shifts(shifts)) == shifts
    days = frozenset({date(2026, 12, 24), date(2026, 12, 25), date(2026, 12, 31)})
    assert day_spans(days) == [(date(2026, 12, 24), date(2026, 12, 25)), (date(2026, 12, 31), date(2026, 12, 31))]
    today = date(2026, 11, 2)
    assert read_days("2026-12-24 to 2026-12-25, 2026-12-31", today) == days
    assert read_days("Thu 24 Dec to Fri 25 Dec, 31.12.", today) == days
    dry = read_windows("2026-08-27 10:00 to 16:00\nWed 26 Aug 9-11", UTC, date(2026, 8, 1))
    assert dry
    assert [one.hour for one, _ in dry] == [9, 10]
    assert read_fixtures("clamps 3; neck rest: 1") == {"clamps": 3, "neck rest": 1}
    for read, wrong in (
        (read_shifts, "12-9"),
        (read_shifts, "9-12, 11-13"),
        (lambda text: read_days(text, today), "2026-13-01"),
        (lambda text: read_days(text, today), "Fri 24 Dec"),
        (read_fixtures, "3"),
    ):
        with pytest.raises(ValueError, match=r"such as|comes|is a Thursday|come after|give|is not understood"):
            read(wrong)


def test_the_calendar_is_read_back_by_a_standard_parser(bench: Bench, demo: Connection) -> None:
    answer = bench.client.get("/schedule.ics")
    assert answer.headers["Content-Type"].startswith("text/calendar")
    book = icalendar.Calendar.from_ical(answer.data)
    events = {str(event["uid"]): event for event in book.walk("VEVENT")}
    saved = schedules.latest(demo)
    assert saved is not None
    for one in saved.placed:
        event = events[f"{one.job}-{one.step}-{one.part}@deft-bench"]
        assert (event["dtstart"].dt, event["dtend"].dt) == (one.start, one.end)
    job = job_of(demo, HERON)
    assert events[f"promise-{job.id}@deft-bench"]["dtstart"].dt == date.fromisoformat(job.promised_on or "")
    assert any(uid.startswith("rest-") for uid in events)
    data = json.loads(bench.client.get("/schedule.json").data)
    assert len(data["placed"]) == len(saved.placed)
    assert data["risks"][0]["alone"] is True


def test_a_promise_in_spring_and_a_clock_set_back_stop_no_plan(demo_path: Path, demo: Connection) -> None:
    at = [NOW]
    bench = Bench(create_app(demo_path, now=lambda: at[0], testing=True).test_client())
    job = job_of(demo, HERON)
    for promised in ("2027-04-01", "2199-12-31"):
        bench.post("/schedule/promise", {"job": job.id, "promised_on": promised, "weight": "3"})
        assert "Planned from now" in bench.post("/schedule/plan").text
    sheets.add(demo, job.id, Event("ends", "started", NOW.isoformat().replace("+00:00", "Z")))
    at[0] -= timedelta(days=366)
    assert "Planned from now" in bench.post("/schedule/plan").text
    assert "Heron No. 4" in bench.get("/schedule")


def test_plans_are_made_one_at_a_time_and_a_second_request_joins_the_first(
    demo_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    app = create_app(demo_path, now=lambda: NOW, testing=True)
    inside, go = threading.Event(), threading.Event()
    running, most, made, asking = [0], [0], [0], threading.Semaphore(0)

    def slow(bench: Any, seconds: float, watch: Any) -> Planned:
        made[0] += 1
        running[0] += 1
        most[0] = max(most[0], running[0])
        inside.set()
        assert go.wait(60)
        found = plan_bench(bench, 0.3)
        running[0] -= 1
        return found

    join = Planner.plan
    monkeypatch.setattr(planner, "plan_bench", slow)

    def joined(self: Planner, *asked: Any) -> Any:
        asking.release()
        return join(self, *asked)

    monkeypatch.setattr(Planner, "plan", joined)
    with ThreadPoolExecutor(6) as pool:
        asked = [pool.submit(lambda: Bench(app.test_client()).post("/schedule/plan").text) for _ in range(6)]
        assert inside.wait(60)
        assert all(asking.acquire(timeout=60) for _ in range(6))
        # while it is being made another page is answered
        assert "Instruments" in Bench(app.test_client()).get("/instruments")
        go.set()
        assert all("Planned from now" in one.result(timeout=60) for one in asked)
    assert most == [1]
    assert made[0] < 6


def test_an_empty_bench_is_planned_from_nothing(empty: Bench) -> None:
    assert "The bench is not planned yet" in empty.get("/schedule")
    assert "Every promise can be kept" in empty.post("/schedule/plan").text
    assert icalendar.Calendar.from_ical(empty.client.get("/schedule.ics").data).walk("VEVENT") == []
    assert "Nothing runs short" in empty.get("/stock")
    assert "No tool has a record yet" in empty.get("/tools")


def asked(**more: object) -> dict[str, object]:
    hours = dict.fromkeys(("mon", "tue", "wed", "thu", "fri"), "9:00-12:30, 13:15-17:30")
    return {
        "now": "2026-08-24T08:00",
        "zone": "Europe/Stockholm",
        "technicians": [{"name": "Ada", "hours": hours, "days_off": ["2026-08-26"]}],
        "fixtures": {"clamps": 2},
        "jobs": [
            {
                "code": "heron",
                "title": "Heron",
                "promised": "2026-08-28",
                "weight": 3,
                "sheet": {
                    "route": "level_and_dress",
                    "frets": 21,
                    "strings": 6,
                    "parts": [{"what": "a nut blank", "due": "2026-08-31", "step": "relief"}],
                },
            },
            {
                "code": "board",
                "promised": "2026-09-04",
                "sheet": {"route": "new_board", "frets": 22, "strings": 6, "schools": {"colour": "iron"}},
            },
        ],
        "seconds": 2,
        **more,
    }


def test_the_calculation_keeps_sheets_parts_and_leads() -> None:
    answer = calculate("schedule", asked())
    at = {(one["job"], one["step"]): one for one in answer["placed"] if one["part"] == one["parts"]}
    start = {key: datetime.fromisoformat(one["start"]) for key, one in at.items()}
    free = {key: datetime.fromisoformat(one["free_at"]) for key, one in at.items()}
    assert start["heron", "relief"] >= datetime.fromisoformat("2026-08-31T12:00+02:00")  # the part comes that day
    assert start["board", "colour"] - start["board", "iron_solution"] >= timedelta(days=7)
    assert not [key for key, moment in start.items() if moment.date() == date(2026, 8, 26)]  # a day off
    for job, route, schools in (("heron", "level_and_dress", {}), ("board", "new_board", {"colour": "iron"})):
        sheet = run_sheet(shipped(), route, PLAIN, schools)
        for rule in sheet.rules:
            assert free[job, rule.before] <= start[job, rule.after], rule
    assert answer["jobs"][0]["days_late"] == 3
    assert answer["at_risk"][0] == {
        "job": "heron",
        "days": 3,
        "alone": True,
        "say": "“Relief” waits for a nut blank until Mon 31 Aug",
    }
    assert [aim["name"] for aim in answer["aims"]] == ["lateness", "moved", "idle", "changeovers"]
    assert answer["aims"][0]["gap"] == 0
    again = calculate(
        "schedule", asked(before=[{k: v for k, v in one.items() if k != "title"} for one in answer["placed"]])
    )
    assert again["aims"][1]["value"] == 0


@pytest.mark.parametrize(
    ("more", "line"),
    [
        ({"zone": "Moon/Base"}, "zone: no time zone"),
        ({"now": "later"}, "now: “later” is no moment"),
        (
            {"jobs": [{"code": "x", "steps": [{"code": "a", "minutes": -1}]}]},
            "jobs[0].steps[0].minutes: -1 is less than 0",
        ),
        (
            {"jobs": [{"code": "x", "steps": [{"code": "a", "minutes": 5, "after": ["b"]}]}]},
            "jobs[0].steps[0].after: “b” is no step",
        ),
        (
            {"jobs": [{"code": "x", "sheet": {"route": "paint", "frets": 5, "strings": 4}}]},
            "jobs[0].sheet.route: “paint”",
        ),
        ({"jobs": [{"code": "x"}]}, "jobs[0]: give either its steps or the sheet"),
        ({"technicians": [{"name": "Ada", "hours": {"mon": "9-8"}}]}, "technicians[0].hours.mon"),
        ({"technicians": [{"name": "Ada", "hours": {}}]}, "technicians: nobody has hours"),
        ({"jobs": [{"code": "x", "promised": "2026-02-31", "steps": []}]}, "jobs[0].promised: “2026-02-31” is no date"),
    ],
)
def test_a_bad_request_is_named_by_its_path(more: dict[str, object], line: str) -> None:
    with pytest.raises(RequestError) as refused:
        calculate("schedule", asked(**more))
    assert any(one.startswith(line) for one in refused.value.lines), refused.value.lines


def test_what_cannot_be_planned_is_left_out_by_name() -> None:
    late = {
        "code": "late",
        "title": "Knot",
        "promised": "2026-08-20",
        "arrives": "2026-08-24T09:00",
        "steps": [{"code": "a", "minutes": 5}],
    }
    held = {"code": "held", "steps": [{"code": "a", "title": "Glue", "minutes": 5, "holds": "press"}]}
    wet = {"code": "wet", "steps": [{"code": "a", "title": "Spray", "minutes": 200, "outdoors": True}]}
    good = {"code": "good", "steps": [{"code": "a", "minutes": 5}]}
    answer = calculate("schedule", asked(jobs=[late, held, wet, good], dry=[["2026-08-24T10:00", "2026-08-24T11:00"]]))
    assert [one["job"] for one in answer["placed"]] == ["good"]
    assert {one["where"] for one in answer["left_out"]} == {"jobs[0].promised", "fixtures.press", "jobs[0].steps[0]"}
    assert any("no dry window" in one["why"] for one in answer["left_out"])


def test_something_made_ready_days_before_holds_what_follows_until_then(bench: Bench, demo: Connection) -> None:
    book = shipped()
    solution = book.operations["iron_solution"]
    assert isinstance(solution, Operation)
    assert solution.ready_after() == pytest.approx(7 * 1440)
    job = job_of(demo, SANDPIPER)
    assert "Set the iron solution on rests until" in words(bench.get(f"/jobs/{job.id}/sheet"))
    sheet = run_sheet(book, "new_board", PLAIN, {"colour": "iron"})
    assert any(isinstance(rule, Rule) and rule.before == "iron_solution" for rule in too_early(sheet, "colour", []))
    sheets.add(demo, job.id, Event("iron_solution", "reopened", "2026-08-24T09:00:00.000Z"))
    assert "Set the iron solution on rests until" not in words(bench.get(f"/jobs/{job.id}/sheet"))


def test_an_order_put_off_makes_its_job_late(bench: Bench, demo: Connection) -> None:
    job = job_of(demo, HERON)
    assert (
        "On order"
        in bench.post(
            "/stock/orders", {"what": "a new nut", "due_on": "2026-08-25", "job": job.id, "step": "nut_depth"}
        ).text
    )
    assert "Something has changed" in bench.get("/schedule")
    order = next(one for one in stock.orders(demo) if one.what == "a new nut")
    bench.post(f"/stock/orders/{order.id}", {"due_on": "2026-08-31"})
    assert "Heron No. 4 , 5 days late : “Nut depth” waits for a new nut" in words(bench.post("/schedule/plan").text)
    bench.post(f"/stock/orders/{order.id}", {"came": "1"})
    assert "1 promise cannot be kept" in words(bench.post("/schedule/plan").text)
