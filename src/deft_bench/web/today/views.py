"""Today: what to pick up now, and the bench's climate."""

from dataclasses import dataclass
from datetime import date

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.work.job_sheet import Timer, moment, records, timers
from deft_bench.store import instruments, jobs, rod_turns, sheets, shop, surveys
from deft_bench.web.drawing.mini import Mini, mini
from deft_bench.web.job_now import job_now
from deft_bench.web.level.planning import call_of
from deft_bench.web.sheet.standing import bench_warmth, catalogue
from deft_bench.web.support import Form, db, now, rock_mm, stamp
from deft_bench.web.surveyed import latest

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


@dataclass(frozen=True, slots=True)
class Running:
    """Something on the bench that runs by itself, and whose it is."""

    job: jobs.Job
    name: str
    timer: Timer


def _running(opened: list[jobs.Job], names: dict[int, str]) -> list[Running]:
    """Cures, rests and open glue of all open jobs, what comes free first on top."""
    book, _ = catalogue()
    warmth = bench_warmth()
    found = [
        Running(job, names[job.instrument_id], timer)
        for job in opened
        for timer in timers(book.operations, records(sheets.events(db(), job.id)), now(), warmth)
    ]
    return sorted(found, key=lambda one: one.timer.ends_at)


def _readings_due(opened: list[jobs.Job], names: dict[int, str]) -> list[tuple[str, str]]:
    """Readings that something waits for, each with where it is taken: the climate of the day, and rods turned since they were read."""
    found = []
    entered = shop.latest_climate(db())
    if entered is None or moment(entered[0]).date() < now().date():
        found.append(("The bench’s climate, not entered today", url_for(".show", _anchor="climate")))
    for job in opened:
        turned = rod_turns.of_instrument(db(), job.instrument_id)
        read = surveys.of_instrument(db(), job.instrument_id, "straightness", 1)
        if turned and (not read or turned[-1].at >= read[0].taken_at):
            found.append(
                (
                    f"{names[job.instrument_id]}: relief, its rod was turned since",
                    url_for("neck.show", instrument_id=job.instrument_id),
                )
            )
    return found


@screen.get("/")
def show() -> str:
    """Open jobs, the nearest promise first, each with its next step."""
    shown = ALL if "all" in request.args else SHOWN
    opened = jobs.in_bench_order(db(), shown + 1)
    due: list[Due] = []
    for job in opened[:shown]:
        instrument = instruments.get(db(), job.instrument_id)
        step = job_now(job, instrument)
        say = step.say
        if step.code == "plan" and not due:
            # the call itself, for the job to pick up; for every job it would cost a page's whole time
            say = call_of(job, instrument) or say
        heights = latest(instrument, "fret_heights")
        days = (date.fromisoformat(job.promised_on) - now().date()).days if job.promised_on else None
        neck = mini(instrument.spec, heights.figures.off_mm if heights else {}, rock_mm())
        due.append(Due(job, instrument, say, step.href, days, neck))
    names = {one.job.instrument_id: one.instrument.spec.name for one in due}
    return render_template(
        "today/show.html",
        running=_running(opened[:shown], names),
        readings_due=_readings_due(opened[:shown], names),
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
