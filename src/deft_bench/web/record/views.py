"""The record: before and after on one page, and the whole record out and in."""

import json

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.before_and_after import before_and_after, report_of
from deft_bench.bench.refret_progress import refret_facts
from deft_bench.bench.sheet_state import catalogue, plan_for
from deft_bench.bench.survey_results import SurveyResults
from deft_bench.core.instrument import KINDS
from deft_bench.core.jobs import JOB_KINDS
from deft_bench.core.neck.rod_call import turn_words
from deft_bench.core.work.job_sheet import records
from deft_bench.formats.record import MOST_BYTES, AlreadyHereError, export_record, import_record
from deft_bench.formats.strict_json import RequestError
from deft_bench.store import instruments, jobs, notes, refrets, sheets
from deft_bench.store.people import finished_by, people, readers
from deft_bench.web.drawing.neck_drawing import NeckDrawing, neck_drawing, short_unit
from deft_bench.web.drawing.setup_card import setup_card
from deft_bench.web.places import linked_steps
from deft_bench.web.support import day, db, display, instrument_or_404, job_or_404, or_404, rock_mm, settings

EVENT_WORDS = {
    "closed": "closed",
    "reopened": "opened again",
    "withdrawn": "withdrawn: opened by mistake",
    "put_back": "put back on the bench",
    "taken_back": "taken back",
    "signed_off": "signed off",
    "asked_again": "asked for again",
}
REPORT_WIDTH = 1000
"""Units of the report's necks, so that their words print at the size of the page's."""

screen = Blueprint("record", __name__, template_folder="templates")


@screen.get("/jobs/<int:job_id>/record")
def report(job_id: int) -> str:
    """Before and after of the same figures on one printable page."""
    job, instrument = job_or_404(job_id)
    found = before_and_after(db(), settings(), job, instrument)
    book, _ = catalogue(db())
    plan = plan_for(db(), settings(), job, book)
    known = {code: one for code, one in records(sheets.events(db(), job_id)).items() if one.done}
    setup = report_of(db(), settings(), job, instrument) if job.kind == "setup" else None
    return render_template(
        "record/report.html",
        setup=setup,
        card=setup_card(setup, display(), instrument.spec.left_handed) if setup else None,
        turns=found.turns,
        turn_words=turn_words,
        section="instruments",
        job=job,
        kinds=JOB_KINDS,
        route=book.routes[plan.route].title if plan.route in book.routes else plan.route,
        sheet=sorted(known.items(), key=lambda step: step[1].finished_at or ""),
        sheet_minutes=sum(step.minutes or 0.0 for step in known.values()),
        titles={code: one.title for code, one in book.operations.items()},
        refret=refrets.PLANS.last(db(), job_id),
        fitted=refrets.fitted(db(), job_id),
        put_in=refret_facts(db(), settings(), job, instrument).put_in_mm if job.kind == "refret" else None,
        instrument=instrument,
        steps=linked_steps(job, instrument),
        before=found.before,
        after=found.after,
        before_neck=_drawn(found.before, instrument),
        after_neck=_drawn(found.after, instrument),
        bows=found.bows,
        done=found.done,
        events=list(zip(jobs.events(db(), job_id), people(db(), "job_event", job_id), strict=True)),
        finished_by=finished_by(db(), job_id),
        readers={one.survey.id: readers(db(), one.survey.id) for one in (found.before, found.after) if one},
        event_words=EVENT_WORDS,
        gate=found.gate,
        gate_mm=found.gate_mm,
        notes=[note for note in notes.of_instrument(db(), instrument.id) if note.job_id == job_id],
        short_unit=short_unit(display()),
    )


def _drawn(found: SurveyResults | None, instrument: instruments.Instrument) -> NeckDrawing | None:
    if found is None:
        return None
    off_mm = found.figures.off_mm
    return neck_drawing(instrument.spec, display(), off_mm=off_mm, rock_mm=rock_mm(), width=REPORT_WIDTH)


@screen.get("/jobs/<int:job_id>/report.pdf")
def setup_pdf(job_id: int) -> Response:
    """The setup report as a PDF page."""
    from deft_bench.formats.setup_pdf import write_report

    with or_404():
        job = jobs.get(db(), job_id)
        if job.kind != "setup":
            raise KeyError(job_id)
        instrument = instruments.get(db(), job.instrument_id)
    spec = instrument.spec
    closed = f", closed {day(job.closed_at)}" if job.closed_at else ""
    about = [
        f"Setup, opened {day(job.opened_at)}{closed}. {job.note}".strip(),
        (
            f"{KINDS[spec.kind]}, {display().long(spec.bass_scale_um)}, {spec.frets} frets; {spec.string_set}; for a"
            f" {spec.hand} hand."
        ),
    ]
    answer = make_response(
        write_report(f"{spec.name}: setup", about, report_of(db(), settings(), job, instrument), display())
    )
    answer.headers["Content-Type"] = "application/pdf"
    answer.headers["Content-Disposition"] = f"inline; filename=setup-{job.opened_at[:10]}-{job_id}.pdf"
    return answer


@screen.get("/instruments/<int:instrument_id>/record.json", endpoint="export_record")
def record_out(instrument_id: int) -> Response:
    """The instrument's whole record as JSON."""
    if instrument_or_404(instrument_id).practice:
        flash("A practice neck has no record to hand over: hand it on as a challenge, from its debrief.")
        return redirect(url_for("practice.of_instrument", instrument_id=instrument_id))
    with or_404():
        record = export_record(db(), instrument_id)
    response = make_response(json.dumps(record, ensure_ascii=False, indent=1))
    response.headers["Content-Type"] = "application/json; charset=utf-8"
    name = "".join(c if c.isascii() and c.isalnum() else "-" for c in record["spec"]["name"].lower()).strip("-")
    response.headers["Content-Disposition"] = f"attachment; filename=record-{name or 'instrument'}.json"
    return response


@screen.route("/import", methods=["GET", "POST"], endpoint="import_record")
def record_in() -> str | Response | tuple[str, int]:
    """Bring a record in, whole or not at all."""
    problems: list[str] = []
    if request.method == "POST":
        upload = request.files.get("file")
        raw = upload.read(MOST_BYTES + 1) if upload is not None else b""
        if not raw:
            problems = ["file: choose the JSON file of a record"]
        else:
            try:
                instrument_id = import_record(db(), raw, as_copy="as_copy" in request.form)
                flash("The record is imported whole.")
                return redirect(url_for("instruments.show", instrument_id=instrument_id))
            except RequestError as error:
                problems = error.lines
            except AlreadyHereError as error:
                name = instruments.get(db(), error.instrument_id).spec.name
                problems = [
                    f"uid: {name} is here already. Tick “as a copy” to bring it in beside the one that is here."
                ]
    page = render_template("record/import.html", section="instruments", problems=problems)
    return (page, 422) if problems else page
