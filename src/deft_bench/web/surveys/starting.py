"""Starting a survey: which is due, how it is read, said once; and a straightness check outside any job."""

from typing import Any

from flask import redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.surveying import (
    ReadingRefusedError,
    place_that_helps,
    readable_alone,
    start_check,
    start_survey,
    survey_to_go_on_with,
    usual_head,
)
from deft_bench.core.survey import METHODS, STRING_STATES, SURFACES, WHEN
from deft_bench.core.survey_kinds import OFFERED, SURVEY_KINDS, SurveyKind
from deft_bench.store import instruments, jobs
from deft_bench.web.places import linked_next, linked_steps
from deft_bench.web.support import Form, db, display, instrument_or_404, job_or_404, now, settings
from deft_bench.web.surveys.head_form import asks_surface, read_head, values_of
from deft_bench.web.surveys.screen import screen, tape_at


@screen.get("/jobs/<int:job_id>/survey")
def next_of(job_id: int) -> Response:
    """Go on with the job's unfinished survey, or start the one that is due."""
    job, instrument = job_or_404(job_id)
    if job.kind == "setup":
        return redirect(linked_next(job, instrument).href)
    going = survey_to_go_on_with(db(), settings(), job, instrument)
    if going is not None:
        return redirect(url_for(".show", survey_id=going))
    return redirect(url_for(".new", job_id=job_id))


@screen.route("/instruments/<int:instrument_id>/check", methods=["GET", "POST"])
def check(instrument_id: int) -> str | Response | tuple[str, int]:
    """A straightness check outside any job is kept as an inspection of its own; within one it belongs to it."""
    instrument = instrument_or_404(instrument_id)
    job = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    if job is not None:
        return redirect(url_for(".new", job_id=job.id, kind="straightness"))
    kind = SURVEY_KINDS["straightness"]
    if request.method == "GET":
        return _new_page(None, instrument, kind, _starting(None, instrument, kind), {})
    form = Form()
    head = read_head(form, kind, instrument.spec)
    if head is None:
        return _new_page(None, instrument, kind, form.sent, form.errors), 422
    return redirect(url_for(".show", survey_id=start_check(db(), now(), instrument, head)))


@screen.route("/jobs/<int:job_id>/surveys/new", methods=["GET", "POST"])
def new(job_id: int) -> str | Response | tuple[str, int]:
    """Say how the survey is read, once; then the readings."""
    job, instrument = job_or_404(job_id)
    kind = SURVEY_KINDS.get(request.values.get("kind", ""), SURVEY_KINDS["fret_heights"])
    if instrument.spec.frets < kind.least_frets:
        kind = SURVEY_KINDS["fret_heights"]
    if request.method == "GET":
        return _new_page(job, instrument, kind, _starting(job, instrument, kind), {})
    form = Form()
    only = form.frets("only", instrument.spec.frets)
    head = read_head(form, kind, instrument.spec)
    if head is not None:
        try:
            made = start_survey(db(), now(), job, instrument, head, only)
            return redirect(url_for(".show", survey_id=made))
        except ReadingRefusedError as error:
            form.errors["only"] = str(error)
    return _new_page(job, instrument, kind, form.sent, form.errors), 422


@screen.post("/jobs/<int:job_id>/surveys/again")
def again(job_id: int) -> Response:
    """Start a survey as the last of its kind was read, in the bench's present climate: straight to the readings."""
    job, instrument = job_or_404(job_id)
    kind = SURVEY_KINDS.get(request.form.get("kind", ""))
    if kind is None or not kind.per_string or instrument.spec.frets < kind.least_frets:
        return redirect(url_for(".new", job_id=job_id, kind=request.form.get("kind", "")))
    head = usual_head(db(), settings(), now(), job, instrument, kind.code).of(kind.code, instrument.spec.strings)
    return redirect(url_for(".show", survey_id=start_survey(db(), now(), job, instrument, head)))


@screen.post("/jobs/<int:job_id>/next-reading")
def next_reading(job_id: int) -> Response:
    """Go to the place that would help most: in the survey of that kind that still holds, or in a new one."""
    job, instrument = job_or_404(job_id)
    place = place_that_helps(db(), settings(), now(), job, instrument)
    if place is None:
        return redirect(url_for("level.show", job_id=job_id))
    survey_id, (lane, fret) = place
    return redirect(url_for(".show", survey_id=survey_id, lane=lane, fret=fret))


def _starting(job: jobs.Job | None, instrument: instruments.Instrument, kind: SurveyKind) -> dict[str, Any]:
    return values_of(usual_head(db(), settings(), now(), job, instrument, kind.code), kind, display())


def _new_page(
    job: jobs.Job | None, instrument: instruments.Instrument, kind: SurveyKind, values: Any, errors: dict[str, str]
) -> str:
    offered = OFFERED.get(job.kind if job else "", ())
    return render_template(
        "surveys/new.html",
        section="instruments",
        job=job,
        instrument=instrument,
        kind=kind,
        values=values,
        errors=errors,
        whens=WHEN,
        surfaces=SURFACES if asks_surface(kind) else {},
        states=STRING_STATES,
        methods={code: METHODS[code] for code in kind.methods},
        steps=linked_steps(job, instrument),
        tape_at=tape_at(job, kind.code, values["when"]),
        unit=kind.unit_words(display()),
        alone=readable_alone(db(), job) if kind.named_frets == "may" else None,
        offered={code: SURVEY_KINDS[code].label for code in offered},
    )
