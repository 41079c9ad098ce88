"""Today: what to pick up now, and the bench's climate."""

from dataclasses import dataclass
from datetime import date, datetime

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.level_planning import call_of
from deft_bench.bench.scheduling import MOST_JOBS, Week, week_now
from deft_bench.bench.sheet_state import bench_warmth, catalogue, tool_states
from deft_bench.bench.survey_results import latest
from deft_bench.core.times import moment
from deft_bench.core.work.catalogue import Catalogue
from deft_bench.core.work.job_sheet import StepRecord, Timer, records, timers
from deft_bench.core.work.schedule.bench import Placed
from deft_bench.store import instruments, jobs, rod_turns, sheets, shop, surveys
from deft_bench.web.drawing.mini import Mini, mini
from deft_bench.web.places import linked_next
from deft_bench.web.stock.views import pots
from deft_bench.web.support import Form, day, db, now, rock_mm, settings, stamp

screen = Blueprint("today", __name__, template_folder="templates")

SHOWN, ALL = 8, 200


@dataclass(frozen=True, slots=True)
class Due:
    """One open job: what to do next in it, where, and how many days its promise leaves (None without one)."""

    job: jobs.Job
    instrument: instruments.Instrument
    say: str
    href: str
    days: int | None
    neck: Mini
    code: str
    button: str
    planned: Placed | None
    step_title: str
    started: bool
    why: str


@dataclass(frozen=True, slots=True)
class Running:
    """Something on the bench that runs by itself, and whose it is."""

    job: jobs.Job
    name: str
    timer: Timer


def _running(opened: list[jobs.Job], names: dict[int, str]) -> list[Running]:
    """Cures, rests and open glue of all open jobs, what comes free first on top."""
    book, _ = catalogue(db())
    warmth = bench_warmth(db())
    found = [
        Running(job, names[job.instrument_id], timer)
        for job in opened
        for timer in timers(book.operations, records(sheets.events(db(), job.id)), now(), warmth)
    ]
    return sorted(found, key=lambda one: one.timer.ends_at)


def _readings_due(due: list[Due]) -> list[tuple[str, str]]:
    """Readings that something waits for, each with where it is taken: the climate of the day, rods turned since they
    were read, after-surveys.
    """
    found = []
    entered = shop.latest_climate(db())
    if entered is None or moment(entered[0]).date() < now().date():
        found.append(("The bench’s climate, not entered today", url_for(".show", _anchor="climate")))
    for one in due:
        turned = rod_turns.of_instrument(db(), one.instrument.id)
        read = surveys.of_instrument(db(), one.instrument.id, "straightness", 1)
        name = one.instrument.spec.name
        if turned and (not read or turned[-1].at >= read[0].taken_at):
            found.append(
                (f"{name}: relief, its rod was turned since", url_for("neck.show", instrument_id=one.instrument.id))
            )
        if one.code == "after":
            found.append((f"{name}: the survey after the work", one.href))
    return found


def _reminders(book: Catalogue) -> list[tuple[str, str]]:
    """Tools that are worn or nearly, and pots past their date."""
    worn = [
        (
            (
                f"{one.tool.name}: {'worn, ' if one.worn else 'near its end, '}{one.tool.care} {day(one.tool.since)}"
                if one.tool.since
                else f"{one.tool.name}: worn"
            ),
            url_for("stock.toolbox"),
        )
        for one in tool_states(db(), now(), book)
        if one.near
    ]
    over = [
        (f"{pot.item.name}: {pot.aging.say}", url_for("stock.item", item_id=pot.item.id))
        for pot in pots()
        if pot.aging and pot.aging.over
    ]
    return [*worn, *over]


def _why(job: jobs.Job, week: Week | None, place: int) -> str:
    """Why a job stands where it does."""
    if week is None:
        return "It has the nearest promise of the open jobs." if job.promised_on and not place else ""
    code = str(job.id)
    risk = next((one for one in week.saved.outcome["risks"] if one["job"] == code), None)
    if risk is not None and risk["days"]:
        return f"By the plan it is {risk['days']} day{'s' if risk['days'] > 1 else ''} late: {risk['say']}."
    if risk is not None:
        return "By the plan it is ready on the promised day, with none to spare."
    finish = week.saved.outcome["finish"].get(code)
    if finish is None or not job.promised_on:
        return ""
    spare = (date.fromisoformat(job.promised_on) - datetime.fromisoformat(finish).date()).days
    return f"By the plan it is ready {day(finish)}, {spare} day{'s' if spare != 1 else ''} before its promise."


@screen.get("/")
def show() -> str:
    """Open jobs, the nearest promise first, each with its next step."""
    shown = ALL if "all" in request.args else SHOWN
    opened = jobs.in_bench_order(db(), MOST_JOBS + 1)
    week, (book, _) = week_now(db(), now()), catalogue(db())
    first: dict[str, Placed] = {}
    for placed in sorted(week.saved.placed, key=lambda one: one.start) if week else ():
        first.setdefault(placed.job, placed)
    # in the order of the plan; what is not planned after it, by its promise
    opened.sort(key=lambda job: first[str(job.id)].start.timestamp() if str(job.id) in first else float("inf"))
    due: list[Due] = []
    for job in opened[:shown]:
        instrument = instruments.get(db(), job.instrument_id)
        step = linked_next(job, instrument)
        say = step.say
        if step.code == "plan" and not due:
            # the call itself, for the job to pick up; for every job it would cost a page's whole time
            say = call_of(db(), settings(), job, instrument) or say
        heights = latest(db(), settings(), instrument, "fret_heights")
        days = (date.fromisoformat(job.promised_on) - now().date()).days if job.promised_on else None
        neck = mini(instrument.spec, heights.figures.off_mm if heights else {}, rock_mm())
        at = first.get(str(job.id))
        title = book.operations[at.step].title if at and at.step in book.operations else ""
        started = bool(at and records(sheets.events(db(), job.id)).get(at.step, StepRecord()).started_at)
        due.append(
            Due(
                job,
                instrument,
                say,
                step.href,
                days,
                neck,
                step.code,
                step.button,
                at,
                title,
                started,
                _why(job, week, len(due)),
            )
        )
    names = {job.instrument_id: instruments.get(db(), job.instrument_id).spec.name for job in opened}
    all_names = {str(job.id): names[job.instrument_id] for job in opened}
    return render_template(
        "today/show.html",
        running=_running(opened, names),
        readings_due=_readings_due(due),
        reminders=_reminders(book),
        risks=(
            [
                (all_names[one["job"]], one)
                for one in week.saved.outcome["risks"]
                if one["job"] in all_names and one["days"]
            ]
            if week
            else []
        ),
        week=week,
        now=now(),
        section="today",
        due=due,
        more=len(opened) > shown,
        climates=shop.climates(db(), 1),
        errors={},
    )


@screen.post("/climate")
def climate() -> Response:
    """Record the bench's temperature and humidity."""
    form = Form()
    temperature = form.number("temperature_c", -20, 60)
    humidity = form.number("humidity", 0, 100)
    if temperature is None or humidity is None:
        flash("Not recorded. " + " ".join(form.errors.values()))
    else:
        shop.add_climate(db(), stamp(), temperature, humidity)
        flash("Bench climate recorded.")
    return redirect(url_for(".show", _anchor="climate"))
