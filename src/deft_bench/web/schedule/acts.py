"""Planning from now, pins and what they cost, and promises."""

from dateutil import tz
from flask import current_app, flash, redirect, render_template, request, url_for
from markupsafe import Markup
from werkzeug.wrappers import Response

from deft_bench.bench.planner import Planner
from deft_bench.bench.scheduling import pin_wanted, plan_from_now, try_pin, work_left
from deft_bench.core.times import read_moment
from deft_bench.core.work.schedule.bench import MOST_WEIGHT, Pin
from deft_bench.core.work.schedule.grid import ScheduleError
from deft_bench.core.work.schedule.planning import Planned
from deft_bench.store import jobs, schedules
from deft_bench.web.schedule.screen import back, screen
from deft_bench.web.support import Form, day, db, now, or_404, send_back, settings, stamp

PIN_SECONDS = 6.0
"""A pin is tried with and without for no longer: it is a question, and the week may be planned after it."""


def _planner() -> Planner:
    """The application's one planner."""
    planner: Planner = current_app.extensions["planner"]
    return planner


def _seconds() -> float:
    """How long the planning of a page may take."""
    return float(current_app.config["SCHEDULE_SECONDS"] or settings().plan_seconds)


def _planned_from_now() -> Planned:
    planner = _planner()
    return planner.plan(schedules.key(db()), lambda: plan_from_now(db(), settings(), now(), _seconds(), planner.make))


@screen.app_template_global()
def planning_wait(words: str = "Planning:") -> Markup:
    """What a form that plans says while it does, and how it is stopped."""
    return Markup('data-wait="{}" data-progress="{}" data-stop="{}"').format(
        words, url_for("schedule.planning"), url_for("schedule.stop")
    )


@screen.post("/schedule/plan")
def plan() -> Response:
    """Plan from now: what is done stays done, and as little as can be moves."""
    try:
        planned = _planned_from_now()
    except ScheduleError as error:
        flash(f"Not planned: {error}.")
        return back()
    missed = sum(map(bool, planned.found.days_late.values()))
    flash(f"Planned from now. {f'{missed} promises are missed.' if missed else 'Every promise can be kept.'}")
    return redirect("/" if request.form.get("back") == "/" else url_for(".show"))


@screen.get("/schedule/planning")
def planning() -> str:
    """How the plan that is being made stands; nothing where none is."""
    return render_template("schedule/planning.html", progress=_planner().progress)


@screen.post("/schedule/stop")
def stop() -> tuple[str, int]:
    """End the plan that is being made with the best so far: whoever waits for it is given that."""
    _planner().stop()
    return "", 204


@screen.post("/schedule/pin")
def pin() -> Response:
    """Pin a step to a moment: it is tried first, and what it costs is said; one that cannot be kept changes nothing."""
    job, step = request.form.get("job", ""), request.form.get("step", "")
    try:
        at = read_moment(request.form.get("at", ""), now().astimezone().date()).replace(tzinfo=tz.tzlocal())
    except ValueError as error:
        flash(f"Not pinned: {error}.")
        send_back()
        return back(at=f"{job}.{step}")
    wanted = Pin(job, step, at, request.form.get("technician", "").strip())
    found = work_left(db(), settings(), now())
    try:
        pin_wanted(found, wanted, now())
    except ScheduleError as error:
        flash(f"Not pinned: {error}.")
        return back(at=f"{job}.{step}")
    with _planner().turn:
        tried = try_pin(db(), now(), found, wanted, min(_seconds(), PIN_SECONDS), _planner().make)
    flash(f"Not pinned: {tried.refused}." if tried.refused else f"Pinned. {tried.cost}")
    return back(at=f"{job}.{step}")


@screen.post("/schedule/unpin")
def unpin() -> Response:
    """Take a pin out and plan again."""
    job, step = request.form.get("job", type=int), request.form.get("step", "")
    if job is None or not schedules.take_out(db(), job, step, stamp()):
        flash("That step has no pin.")
        return back()
    try:
        _planned_from_now()
        flash("The pin is out; planned from now.")
    except ScheduleError as error:
        flash(f"The pin is out. Not planned: {error}.")
    return back(at=f"{job}.{step}")


@screen.post("/schedule/promise")
def promise() -> Response:
    """Change when a job is promised, and how much a day late counts."""
    form = Form()
    with or_404():
        job = jobs.get(db(), request.form.get("job", 0, type=int))
    promised = form.day("promised_on")
    weight = form.count("weight", 1, MOST_WEIGHT)
    wrong = list(form.errors.values())
    if promised is not None and promised < job.opened_at[:10]:
        wrong.append(f"{day(promised)} is before it came in on {day(job.opened_at)}: give that day or a later one.")
    if wrong or weight is None:
        flash("Not changed. " + " ".join(wrong))
        send_back()
        return back(_anchor="promises")
    jobs.promise(db(), job.id, promised, weight)
    flash("The promise is changed. Re-plan to see what it does.")
    return back(_anchor="promises")
