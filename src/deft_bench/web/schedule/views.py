"""Schedule: rails of days, pins and what they cost, promises at risk with the reason, hours and fixtures, and the
calendar.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

from dateutil import tz
from flask import Blueprint, current_app, flash, jsonify, make_response, redirect, render_template, request, url_for
from flask import Response as FlaskResponse
from werkzeug.wrappers import Response

from deft_bench.bench.planner import Planner
from deft_bench.bench.scheduling import Week, on_bench, plan_from_now, try_pin, week_now
from deft_bench.bench.sheet_state import bench_warmth, catalogue
from deft_bench.core.times import moment
from deft_bench.core.work.job_sheet import records, timers
from deft_bench.core.work.schedule.bench import MOST_WEIGHT, WEEKDAYS, Pin
from deft_bench.core.work.schedule.grid import ScheduleError
from deft_bench.core.work.schedule.hours import (
    FORMS,
    USUAL,
)
from deft_bench.core.work.schedule.planning import Planned
from deft_bench.core.work.schedule.risks import span_words
from deft_bench.formats.calc.schedule import placed_fields
from deft_bench.formats.calendar import write_calendar
from deft_bench.store import instruments, jobs, schedules, sheets
from deft_bench.web.drawing.rails import draw_rails
from deft_bench.web.schedule.hours_form import MOST_TECHNICIANS, boxes_of, read_hours
from deft_bench.web.support import Form, db, now, or_404, settings, stamp

screen = Blueprint(
    "schedule", __name__, template_folder="templates", static_folder="static", static_url_path="/schedule/static"
)

DAYS, ALL_DAYS = 12, 120
WEIGHTS = {1: "usual", 3: "firm", 9: "must not slip"}


@dataclass(frozen=True, slots=True)
class Line:
    """One open job beside the rails: its promise, its end by the schedule, and what is at risk."""

    job: jobs.Job
    name: str
    finish: datetime | None
    days_late: int
    say: str
    alone: bool
    unplanned: str


def _names(opened: Mapping[str, jobs.Job]) -> dict[str, str]:
    return {code: instruments.get(db(), job.instrument_id).spec.name for code, job in opened.items()}


def _lines(week: Week, names: dict[str, str]) -> list[Line]:
    outcome = week.saved.outcome
    said = {risk["job"]: risk for risk in outcome["risks"]}
    out = {trouble["job"] for trouble in outcome["troubles"]}
    return [
        Line(
            job,
            names[code],
            datetime.fromisoformat(outcome["finish"][code]) if code in outcome["finish"] else None,
            outcome["days_late"].get(code, 0),
            said[code]["say"] if code in said else "",
            code in said and said[code]["alone"],
            "left out" if code in out else "not planned yet" if week.stale else "every step is behind",
        )
        for code, job in week.opened.items()
        if job.kind != "inspection"
    ]


@screen.get("/schedule")
def show() -> str:
    """The schedule in force as rails; `?at=job.step` shows one step with its pin."""
    week = week_now(db(), now())
    zone = tz.tzlocal()
    hours = schedules.hours(db())
    if week is None:
        return render_template("schedule/show.html", section="schedule", week=None, rails=None, hours=hours, lines=[])
    names = _names(week.opened)
    book, _ = catalogue(db())
    steps = {(one.job, one.step): _title(book, one.step) for one in week.saved.placed}
    holds = {key: book.operations[key[1]].holds for key in steps if key[1] in book.operations}
    pins = {(str(one.job_id), one.step): one for one in schedules.pins(db())}
    resting = [
        (code, timer.step, timer.ends_at, timer.holds)
        for code, job in week.opened.items()
        for timer in timers(book.operations, records(sheets.events(db(), job.id)), now(), bench_warmth(db()))
        if timer.kind == "rests"
    ]
    steps |= {(job, step): _title(book, step) for job, step, _, _ in resting}
    shown = draw_rails(
        week.ahead(now()),
        hours.technicians,
        names,
        steps,
        holds,
        late=week.saved.outcome["days_late"],
        pinned=set(pins),
        now=now(),
        zone=zone,
        days=ALL_DAYS if "all" in request.args else DAYS,
        resting=resting,
    )
    lines = _lines(week, names)
    asked = request.args.get("at", "").partition(".")
    at = next((one for one in week.saved.placed if (one.job, one.step) == (asked[0], asked[2])), None)
    last = max((one.end for one in week.saved.placed), default=now())
    return render_template(
        "schedule/show.html",
        section="schedule",
        week=week,
        rails=shown,
        hours=hours,
        lines=lines,
        names=names,
        at=at,
        at_title=steps.get((at.job, at.step), "") if at else "",
        at_pin=pins.get((at.job, at.step)) if at else None,
        pins=pins,
        steps=steps,
        weights=WEIGHTS,
        zone=zone,
        now=now(),
        span_words=span_words,
        aims={aim["name"]: aim for aim in week.saved.outcome["aims"]},
        more=(last.astimezone(zone).date() - now().astimezone(zone).date()).days >= DAYS,
    )


def _title(book: Any, code: str) -> str:
    return book.operations[code].title if code in book.operations else code


def _back(**more: Any) -> Response:
    return redirect(url_for(".show", **more))


def _planner() -> Planner:
    """The application's one planner."""
    found: Planner = current_app.extensions["planner"]
    return found


def _seconds() -> float:
    """How long the planning of a page may take."""
    return float(current_app.config["SCHEDULE_SECONDS"])


def _planned_from_now() -> Planned:
    return _planner().plan(schedules.key(db()), lambda: plan_from_now(db(), settings(), now(), _seconds()))


@screen.post("/schedule/plan")
def plan() -> Response:
    """Plan from now: what is done stays done, and as little as can be moves."""
    try:
        planned = _planned_from_now()
    except ScheduleError as error:
        flash(f"Not planned: {error}.")
        return _back()
    late = sum(planned.found.days_late.values())
    said = (
        "Every promise can be kept."
        if not late
        else f"{sum(map(bool, planned.found.days_late.values()))} promises are missed."
    )
    flash(f"Planned from now. {said}")
    return redirect("/" if request.form.get("back") == "/" else url_for(".show"))


@screen.post("/schedule/pin")
def pin() -> Response:
    """Pin a step to a moment: it is tried first, and what it costs is said; one that cannot be kept changes nothing."""
    job, step = request.form.get("job", ""), request.form.get("step", "")
    try:
        at = datetime.fromisoformat(request.form.get("at", "").strip())
    except ValueError:
        flash("Not pinned: give a day and a time, such as 2026-08-26 10:00.")
        return _back(at=f"{job}.{step}")
    at = at if at.tzinfo else at.replace(tzinfo=tz.tzlocal())
    found = on_bench(db(), settings(), now())
    one = next((one for one in found if str(one.job.id) == job and step in {left.code for left in one.steps}), None)
    if one is None:
        flash("Not pinned: that step is not left to do.")
        return _back()
    if at < now():
        flash("Not pinned: that moment is over.")
        return _back(at=f"{job}.{step}")
    wanted = Pin(job, step, at, request.form.get("technician", "").strip())
    with _planner().turn:
        tried = try_pin(db(), now(), found, wanted, _seconds())
    if tried.refused:
        flash(f"Not pinned: {tried.refused}.")
        return _back(at=f"{job}.{step}")
    flash(f"Pinned. {tried.cost}")
    return _back(at=f"{job}.{step}")


@screen.post("/schedule/unpin")
def unpin() -> Response:
    """Take a pin out and plan again."""
    job, step = request.form.get("job", type=int), request.form.get("step", "")
    if job is None or not schedules.take_out(db(), job, step, stamp()):
        flash("That step has no pin.")
        return _back()
    try:
        _planned_from_now()
        flash("The pin is out; planned from now.")
    except ScheduleError as error:
        flash(f"The pin is out. Not planned: {error}.")
    return _back(at=f"{job}.{step}")


@screen.post("/schedule/promise")
def promise() -> Response:
    """Change when a job is promised, and how much a day late counts."""
    form = Form()
    with or_404():
        job = jobs.get(db(), request.form.get("job", 0, type=int))
    day = form.day("promised_on")
    weight = form.count("weight", 1, MOST_WEIGHT)
    wrong = list(form.errors.values())
    if day is not None and day < job.opened_at[:10]:
        wrong.append(f"{day} is before it came in on {job.opened_at[:10]}: give that day or a later one.")
    if wrong or weight is None:
        flash("Not changed. " + " ".join(wrong))
        return _back(_anchor="promises")
    jobs.promise(db(), job.id, day, weight)
    flash("The promise is changed. Re-plan to see what it does.")
    return _back(_anchor="promises")


@screen.route("/schedule/hours", methods=["GET", "POST"])
def hours() -> str | tuple[str, int] | Response:
    """Who works when, days off, fixtures, dry windows; a box that cannot be meant is named and nothing is lost."""
    stored, errors = schedules.hours(db()), dict[str, str]()
    values: dict[str, str] = {}
    if request.method == "POST":
        values = {name: text for name, text in request.form.items() if name != "csrf_token"}
        read = read_hours(values, errors)
        if read is not None:
            schedules.save_hours(db(), read, stamp())
            flash("Saved; the hours before are kept. Re-plan to see what they do.")
            return redirect(url_for(".show"))
    else:
        values = boxes_of(stored)
    rows = min(
        MOST_TECHNICIANS,
        max(len(stored.technicians), sum(name.startswith("name") and bool(text) for name, text in values.items())) + 1,
    )
    html = render_template(
        "schedule/hours.html",
        section="schedule",
        values=values,
        errors=errors,
        rows=rows,
        weekdays=WEEKDAYS,
        usual=USUAL,
        forms=FORMS,
    )
    return (html, 422) if errors else html


@screen.get("/schedule.ics")
def calendar() -> FlaskResponse:
    """The schedule in force as an iCalendar file; the address is also a feed for a calendar on this machine or
    network.
    """
    week = week_now(db(), now())
    names = _names(week.opened) if week else {}
    book, _ = catalogue(db())
    placed = week.saved.placed if week else ()
    promised = {
        code: date.fromisoformat(job.promised_on)
        for code, job in (week.opened if week else {}).items()
        if job.promised_on
    }
    steps = {(one.job, one.step): _title(book, one.step) for one in placed}
    answer = make_response(
        write_calendar(placed, names, steps, promised, moment(week.saved.made_at) if week else now())
    )
    answer.headers["Content-Type"] = "text/calendar; charset=utf-8"
    answer.headers["Content-Disposition"] = "inline; filename=deft-bench.ics"
    return answer


@screen.get("/schedule.json")
def data() -> FlaskResponse:
    """The schedule in force as JSON."""
    week = week_now(db(), now())
    if week is None:
        return jsonify({"made_at": None, "placed": []})
    return jsonify(
        {
            "made_at": week.saved.made_at,
            "stale": week.stale,
            **week.saved.outcome,
            "placed": [placed_fields(one) for one in week.saved.placed],
        }
    )
