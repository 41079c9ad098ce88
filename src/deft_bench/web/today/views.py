"""Today: what to pick up now, and the bench's climate."""

from flask import Blueprint, current_app, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.backups import backups_of
from deft_bench.bench.climate import alarm
from deft_bench.bench.next_step import NextStep, called, next_step
from deft_bench.bench.today import Due, ReadingDue, today
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.work.tools import ToolState
from deft_bench.store import instruments, jobs, shop
from deft_bench.store.database import Connection
from deft_bench.web.drawing.mini import Mini, mini
from deft_bench.web.places import address
from deft_bench.web.support import Form, calls_off, day, db, if_known, job_or_404, now, rock_mm, settings, stamp

screen = Blueprint("today", __name__, template_folder="templates")

SHOWN, ALL = 8, 200


@screen.get("/")
def show() -> str:
    """Open jobs in the order of the plan, each with its next step."""
    bench = today(db(), settings(), now(), ALL if "all" in request.args else SHOWN, _said)
    dry_or_damp = alarm(db(), settings(), now())
    reminders = [(dry_or_damp.words, "#climate")] if dry_or_damp else []
    kept = backups_of(db(), settings(), current_app.config["DATABASE"], now())
    if kept.old:
        reminders += [
            (f"the last backup is of {day(kept.last.at)}" if kept.last else "no backup yet", url_for("keeping.show"))
        ]
    reminders += [(_tool_words(tool), url_for("stock.toolbox")) for tool in bench.tools]
    reminders += [
        (f"{pot.item.name}: {pot.aging.say}", url_for("stock.item", item_id=pot.item.id))
        for pot in bench.pots
        if pot.aging
    ]
    return render_template(
        "today/show.html",
        section="today",
        bench=bench,
        readings_due=[(reading.words, _where(reading)) for reading in bench.readings],
        reminders=reminders,
        neck=_neck,
        address=address,
        now=now(),
        climates=shop.climates(db(), 1),
        errors={},
        unused=not bench.due
        and not instruments.page(db(), limit=1)
        and not instruments.page(db(), project=True, limit=1),
    )


def _said(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument, step: NextStep
) -> str:
    return if_known(lambda: called(db, settings, job, instrument, step), step.say)


def _neck(due: Due) -> Mini:
    return mini(due.instrument.spec, due.off_mm, rock_mm())


def _where(reading: ReadingDue) -> str:
    if reading.due is None:
        return url_for(".show", _anchor=reading.place)
    if reading.place == "neck":
        return url_for("neck.show", instrument_id=reading.due.instrument.id)
    return address(reading.place, reading.due.job)


def _tool_words(state: ToolState) -> str:
    tool = state.tool
    if not tool.since:
        return f"{tool.name}: worn"
    return f"{tool.name}: {'worn' if state.worn else 'near its end'}, {tool.care} {day(tool.since)}"


@screen.get("/today/call/<int:job_id>")
def call(job_id: int) -> str:
    """What to do next in a job, in full, for the page that could not wait for it."""
    job, instrument = job_or_404(job_id)
    step = next_step(db(), settings(), job, instrument)
    say = step.say if calls_off(instrument) else called(db(), settings(), job, instrument, step)
    return render_template("shared/said.html", said=say, lower=True)


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
