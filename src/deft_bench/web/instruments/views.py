"""Instruments: the list, entering and editing one, and its own page."""

from dataclasses import dataclass, replace
from typing import Any

from flask import Blueprint, flash, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.before_and_after import history_of
from deft_bench.bench.level_planning import call_of
from deft_bench.bench.setup_readings import last_setup
from deft_bench.bench.survey_results import SurveyResults, facts_of, latest
from deft_bench.core.instrument import CHOICES, KINDS, STARTING
from deft_bench.core.jobs import JOB_KINDS, OPENED
from deft_bench.core.strings.setup_job import SetupReadings
from deft_bench.core.survey import STAGES
from deft_bench.core.survey_kinds import ACTION_FRET, SURVEY_KINDS
from deft_bench.store import instruments, jobs, notes
from deft_bench.web.drawing.history import relief_chart
from deft_bench.web.drawing.mini import Mini, mini
from deft_bench.web.drawing.neck_drawing import neck_drawing, short_unit
from deft_bench.web.instruments.form import read_spec, values_of
from deft_bench.web.places import linked_next, linked_steps
from deft_bench.web.support import Form, db, display, now, or_404, rock_mm, settings, stamp

screen = Blueprint("instruments", __name__, template_folder="templates")

PAGE = 12
HISTORY, ALL = 14, 1000


@dataclass(frozen=True, slots=True)
class Row:
    """One line of the list."""

    instrument: instruments.Instrument
    neck: Mini
    heights: SurveyResults | None
    relief: SurveyResults | None
    setup: SetupReadings
    job: jobs.Job | None


def _rows(found: Any) -> list[Row]:
    opened = jobs.open_of(db(), [instrument.id for instrument in found])
    rows = []
    for instrument in found:
        heights = latest(db(), settings(), instrument, "fret_heights")
        neck = mini(instrument.spec, heights.figures.off_mm if heights else {}, rock_mm())
        rows.append(
            Row(
                instrument,
                neck,
                heights,
                latest(db(), settings(), instrument, "straightness"),
                last_setup(db(), settings(), instrument),
                opened.get(instrument.id),
            )
        )
    return rows


@screen.get("/instruments")
def listing() -> str:
    """The list: find as you type, a page at a time."""
    query = request.args.get("q", "").strip()[:80]
    retired = "retired" in request.args
    after = request.args.get("after", ""), request.args.get("id", 0, type=int)
    if query:
        found = instruments.find(db(), query, PAGE + 1, retired)
    else:
        found = instruments.page(db(), after if after[0] else None, PAGE + 1, retired)
    more = found[PAGE - 1] if len(found) > PAGE and not query else None
    shown = {
        "rows": _rows(found[:PAGE]),
        "query": query,
        "retired": retired,
        "more": more,
        "full": len(found) > PAGE,
        "job_kinds": JOB_KINDS,
    }
    partial = request.headers.get("HX-Target") == "rows"
    return render_template(f"instruments/{'rows' if partial else 'list'}.html", section="instruments", **shown)


@screen.get("/instruments.json")
def listing_json() -> Response:
    """The list as open data: the same find, up to 200 at a time."""
    found = instruments.find(db(), request.args.get("q", "")[:80], 200, "retired" in request.args)
    return jsonify([{"id": one.id, "uid": one.uid, "name": one.spec.name, "kind": one.spec.kind} for one in found])


@screen.route("/instruments/new", methods=["GET", "POST"])
def new() -> str | Response | tuple[str, int]:
    """Enter an instrument from the starting values of its kind."""
    if request.method == "POST":
        form = Form()
        spec = read_spec(form)
        if spec is not None:
            instrument_id = instruments.add(db(), spec, stamp())
            flash(f"{spec.name} is entered.")
            return redirect(url_for(".show", instrument_id=instrument_id))
        return _form_page(None, form.sent, form.errors), 422
    kind = request.args.get("kind", "electric")
    starting = STARTING.get(kind, STARTING["electric"])
    values = values_of(replace(starting, name=request.args.get("name", "")[:80]), display())
    return _form_page(None, values, {})


@screen.route("/instruments/<int:instrument_id>/edit", methods=["GET", "POST"])
def edit(instrument_id: int) -> str | Response | tuple[str, int]:
    """Edit a specification; the earlier one stays in the record."""
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    if request.method == "POST":
        form = Form()
        spec = read_spec(form)
        if spec is not None:
            changed = instruments.edit(db(), instrument_id, spec, stamp())
            flash("Saved; the earlier specification is kept." if changed else "Nothing was changed.")
            return redirect(url_for(".show", instrument_id=instrument_id))
        return _form_page(instrument, form.sent, form.errors), 422
    return _form_page(instrument, values_of(instrument.spec, display()), {})


def _form_page(instrument: instruments.Instrument | None, values: Any, errors: dict[str, str]) -> str:
    return render_template(
        "instruments/form.html",
        section="instruments",
        instrument=instrument,
        values=values,
        errors=errors,
        kinds=KINDS,
        choices=CHOICES,
    )


@screen.post("/instruments/<int:instrument_id>/retire")
def retire(instrument_id: int) -> Response:
    """Retire an instrument, or take it back: nothing of its history is deleted."""
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    back = instrument.retired_at is not None
    instruments.set_retired(db(), instrument_id, None if back else stamp())
    flash(f"{instrument.spec.name} is {'back in use' if back else 'retired; its history is kept'}.")
    return redirect(url_for(".show", instrument_id=instrument_id))


@screen.get("/instruments/<int:instrument_id>")
def show(instrument_id: int) -> str:
    """The instrument's own page: the neck as last surveyed, its figures over time, its jobs and notes."""
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    all_jobs = jobs.of_instrument(db(), instrument_id)
    history = history_of(db(), settings(), instrument, all_jobs, ALL if "all" in request.args else HISTORY)
    heights = history.heights
    flaws = notes.of_instrument(db(), instrument_id)
    neck = neck_drawing(
        instrument.spec,
        display(),
        nut_side=settings().nut_side,
        off_mm=heights.figures.off_mm if heights else None,
        notes=[(note.fret, note.lane, note.text) for note in flaws if note.settled_at is None],
        rock_mm=rock_mm(),
    )
    opened = next((job for job in all_jobs if job.closed_at is None), None)
    step = linked_next(opened, instrument) if opened else None
    say = step.say if step else ""
    if opened and step and step.code == "plan" and not facts_of(db(), settings(), opened, instrument).surveyed_since:
        say = call_of(db(), settings(), opened, instrument) or say
    return render_template(
        "instruments/show.html",
        section="instruments",
        instrument=instrument,
        neck=neck,
        short_unit=short_unit(display()),
        history=history.visits,
        stages=STAGES,
        heights=heights,
        relief=next(iter(history.bows), None),
        setup=last_setup(db(), settings(), instrument),
        jobs=all_jobs,
        opened=opened,
        steps=linked_steps(opened, instrument),
        step=step,
        say=say,
        job_kinds=JOB_KINDS,
        opened_kinds={kind: JOB_KINDS[kind] for kind in OPENED},
        survey_kinds={code: kind.label for code, kind in SURVEY_KINDS.items()},
        notes=flaws,
        removed=max(jobs.removed_from(db(), instrument_id).values(), default=0),
        levels=len(jobs.past_levels(db(), instrument_id)),
        chart=relief_chart(
            [
                (bow.survey.taken_at, bow.figures.straight.relief_mm, bow.survey.head.humidity)
                for bow in reversed(history.bows)
                if bow.figures.straight
            ],
            display(),
        ),
        choices=CHOICES,
        kinds=KINDS,
    )


@screen.post("/instruments/<int:instrument_id>/jobs")
def open_job(instrument_id: int) -> Response:
    """Open a job of the kind asked for with its promised date."""
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    already = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    if already is not None:
        flash(f"{instrument.spec.name} has an open job already.")
        return redirect(linked_next(already, instrument).href)
    form = Form()
    kind = form.text("kind") if form.text("kind") in OPENED else "level_and_dress"
    promised = form.day("promised_on")
    if promised is not None and promised < now().astimezone().date().isoformat():
        form.errors["promised_on"] = f"{promised} is before it comes in today: give today or a later day, or none."
    if kind == "setup" and instrument.spec.frets < ACTION_FRET:
        form.errors["promised_on"] = (
            f"A setup is calculated from {ACTION_FRET} frets on: this board has {instrument.spec.frets}."
        )
    note = form.text("note")[:400]
    if form.errors:
        flash(" ".join(form.errors.values()))
        return redirect(url_for(".show", instrument_id=instrument_id, _anchor="job"))
    job_id = jobs.open_job(db(), instrument_id, kind, stamp(), promised, note)
    if kind == "refret":
        return redirect(url_for("refret.show", job_id=job_id))
    if kind == "work":
        return redirect(url_for("sheet.show", job_id=job_id))
    if kind == "setup":
        return redirect(url_for("setup.intake", instrument_id=instrument_id))
    return redirect(url_for("surveys.new", job_id=job_id))


@screen.post("/jobs/<int:job_id>/close")
def close_job(job_id: int) -> Response:
    """Close a job, or open a closed one again."""
    with or_404():
        job = jobs.get(db(), job_id)
    jobs.close(db(), job_id, None if job.closed_at else stamp())
    if job.closed_at:
        flash("The job is open again.")
        return redirect(url_for(".show", instrument_id=job.instrument_id))
    flash("The job is closed; its record is kept.")
    return redirect(url_for("record.report", job_id=job_id))
