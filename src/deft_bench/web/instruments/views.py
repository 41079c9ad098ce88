"""An instrument's own page: the neck as last surveyed, its figures over time, its jobs; opening and closing a job."""

from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench import undo
from deft_bench.bench.before_and_after import history_of
from deft_bench.bench.metal import metal_now
from deft_bench.bench.next_step import next_said
from deft_bench.bench.setup.readings import last_setup
from deft_bench.bench.survey_results import survey_results
from deft_bench.bench.timeline import KINDS as MOMENTS
from deft_bench.bench.timeline import moved_between, series, timeline
from deft_bench.core.instrument import CHOICES, KINDS
from deft_bench.core.jobs import JOB_KINDS, OPENED, opening_problem
from deft_bench.core.survey import WHEN
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.store import acts, jobs, notes, shop, surveys
from deft_bench.web.drawing.history import relief_chart
from deft_bench.web.drawing.neck_drawing import neck_drawing, short_unit
from deft_bench.web.instruments.screen import screen
from deft_bench.web.places import linked_next, linked_steps
from deft_bench.web.support import (
    Form,
    calls_off,
    db,
    display,
    flash_with_undo,
    if_known,
    instrument_or_404,
    job_or_404,
    now,
    rock_mm,
    send_back,
    settings,
    stamp,
)

HISTORY, ALL = 14, 1000
FIRST_PAGES = {"refret": "refret.show", "work": "sheet.show"}
"""Where a job begins that does not begin with a survey."""


@screen.get("/instruments/<int:instrument_id>")
def show(instrument_id: int) -> str:
    """The instrument's own page: the neck as last surveyed, its figures over time, its jobs and notes."""
    instrument = instrument_or_404(instrument_id)
    every_job = jobs.of_instrument(db(), instrument_id, withdrawn=True)
    all_jobs = [job for job in every_job if job.withdrawn_at is None]
    climates = shop.climates_since(db(), min((job.opened_at for job in all_jobs), default="9999"))
    history = history_of(db(), settings(), instrument, all_jobs, ALL if "all" in request.args else HISTORY)
    heights, only = history.heights, request.args.get("only", "")
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
    if opened and not calls_off(instrument):
        say = if_known(lambda: next_said(db(), settings(), opened, instrument), say)
    return render_template(
        "instruments/show.html",
        section="instruments",
        instrument=instrument,
        neck=neck,
        short_unit=short_unit(display()),
        history=history.visits,
        whens=WHEN,
        heights=heights,
        relief=next(iter(history.bows), None),
        setup=last_setup(db(), settings(), instrument),
        jobs=every_job,
        withdrawn=[
            survey
            for survey in surveys.of_instrument(db(), instrument_id, limit=60, withdrawn=True)
            if survey.withdrawn_at
        ],
        opened=opened,
        steps=linked_steps(opened, instrument),
        step=step,
        say=say,
        job_kinds=JOB_KINDS,
        opened_kinds={kind: JOB_KINDS[kind] for kind in OPENED},
        survey_kinds={code: kind.label for code, kind in SURVEY_KINDS.items()},
        notes=flaws,
        metal=metal_now(db(), instrument),
        removed=max(jobs.removed_from(db(), instrument_id).values(), default=0),
        levels=len(jobs.past_levels(db(), instrument_id)),
        charts={
            name: chart
            for name, readings in series(history.visits).items()
            if (chart := relief_chart(readings, display())) is not None
        },
        moments=timeline(history.visits, acts.of_instrument(db(), instrument_id), all_jobs, climates, only),
        only=only,
        moment_kinds=MOMENTS,
        comparable=history.heights_read,
        choices=CHOICES,
        kinds=KINDS,
    )


@screen.get("/jobs/<int:job_id>/said")
def said(job_id: int) -> str:
    """What to do next in a job, in full, for the instrument's page where that did not wait for it."""
    job, instrument = job_or_404(job_id)
    say = linked_next(job, instrument).say if calls_off(instrument) else next_said(db(), settings(), job, instrument)
    return render_template("shared/said.html", said=say, lower=False)


@screen.get("/instruments/<int:instrument_id>/compare")
def compare(instrument_id: int) -> str | Response:
    """Two surveys of the fret heights on one neck: by how much every place stands elsewhere in the later one."""
    instrument = instrument_or_404(instrument_id)
    asked = [request.args.get(name, 0, type=int) for name in ("earlier", "later")]
    found = {one.id: one for one in surveys.of_instrument(db(), instrument_id, "fret_heights", limit=ALL)}
    alike = {found[survey_id].frets for survey_id in asked if survey_id in found} == {instrument.spec.frets}
    if not all(survey_id in found for survey_id in asked) or asked[0] == asked[1] or not alike:
        flash("Choose two surveys of the fret heights, of as many frets as the neck has.")
        return redirect(url_for(".show", instrument_id=instrument_id))
    earlier, later = sorted((found[survey_id] for survey_id in asked), key=lambda one: one.taken_at)
    read = [survey_results(db(), settings(), one, instrument) for one in (earlier, later)]
    moved = moved_between(*(one.figures.off_mm for one in read))
    neck = neck_drawing(instrument.spec, display(), nut_side=settings().nut_side, off_mm=moved, rock_mm=rock_mm())
    return render_template(
        "instruments/compare.html",
        section="instruments",
        instrument=instrument,
        earlier=read[0],
        later=read[1],
        neck=neck,
        short_unit=short_unit(display()),
    )


@screen.post("/instruments/<int:instrument_id>/jobs")
def open_job(instrument_id: int) -> Response:
    """Open a job of the kind asked for with its promised date."""
    instrument = instrument_or_404(instrument_id)
    already = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    if already is not None:
        flash(f"{instrument.spec.name} has an open job already.")
        return redirect(linked_next(already, instrument).href)
    form = Form()
    kind = form.text("kind") if form.text("kind") in OPENED else "level_and_dress"
    promised = form.day("promised_on")
    note = form.text("note")[:400]
    wrong = [*form.errors.values(), *opening_problem(kind, promised, now().astimezone().date(), instrument.spec.frets)]
    if wrong:
        flash(" ".join(wrong))
        send_back()
        return redirect(url_for(".show", instrument_id=instrument_id, _anchor="job"))
    job_id = jobs.open_job(db(), instrument_id, kind, stamp(), promised, note)
    flash_with_undo(f"{JOB_KINDS[kind]}: the job is open.", "job", job_id)
    if kind == "setup":
        return redirect(url_for("setup.intake", instrument_id=instrument_id))
    return redirect(url_for(FIRST_PAGES.get(kind, "surveys.new"), job_id=job_id))


@screen.post("/jobs/<int:job_id>/close")
def close_job(job_id: int) -> Response:
    """Close a job; what its gates lack is said, and stays in the record."""
    job, instrument = job_or_404(job_id)
    unmet = undo.close_job(db(), settings(), now(), job, instrument)
    said = "The job is closed; its record is kept."
    if unmet:
        more = f" and {len(unmet) - 3} more" if len(unmet) > 3 else ""
        said = f"The job is closed with gates not met: {', '.join(unmet[:3])}{more}. The record says so."
    flash_with_undo(said, "closed", job_id)
    return redirect(url_for("record.report", job_id=job_id))
