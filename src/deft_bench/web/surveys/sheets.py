"""A survey as a sheet: pasted or uploaded with a preview, and out as CSV."""

from dataclasses import replace

from flask import flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.surveying import WITHDRAWN, cursor_order, usual_on
from deft_bench.core.doubts import doubts
from deft_bench.core.survey import blade_problem
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.formats.readings_csv import MOST_BYTES, SheetLine, read_sheet, write_sheet
from deft_bench.store import surveys
from deft_bench.web.support import db, display, stamp, survey_or_404
from deft_bench.web.surveys.screen import screen


@screen.route("/surveys/<int:survey_id>/sheet", methods=["GET", "POST"])
def sheet(survey_id: int) -> str | Response | tuple[str, int]:
    """Paste or upload a sheet of readings: a preview names every bad line, and only a whole good sheet is stored."""
    survey, instrument = survey_or_404(survey_id)
    kind = SURVEY_KINDS[survey.head.kind]
    text, lines, code = "", [], 200
    if request.method == "POST":
        text, problem = _sent_text()
        if problem:
            flash(problem)
            code = 422
        else:
            lines = read_sheet(text, kind.code, survey.frets, display().system, cursor_order(db(), survey))
            lines = [_of_the_set(line, survey) for line in lines]
            bad = any(line.problem for line in lines)
            if survey.withdrawn_at is not None:
                flash(WITHDRAWN)
            elif "store" in request.form and not bad:
                rows = [
                    (line.place, line.value_um, line.typed)
                    for line in lines
                    if line.place and line.value_um is not None
                ]
                count = surveys.add_many(db(), survey_id, rows, stamp())
                flash(f"{count} readings stored; {len(rows) - count} were there already.")
                return redirect(url_for(".show", survey_id=survey_id))
            code = 422 if bad else 200
    there = surveys.values(db(), survey_id)
    read = {line.place: line.value_um for line in lines if line.place and line.value_um is not None}
    page = render_template(
        "surveys/sheet.html",
        section="instruments",
        survey=survey,
        instrument=instrument,
        kind=kind,
        text=text,
        lines=lines,
        bad=[line for line in lines if line.problem],
        there=there,
        questioned=[
            doubt
            for doubt in doubts(survey.head, {**there, **read}, display().fine_mm, usual_on(db(), survey))
            if doubt.place in read
        ],
        lanes=kind.lanes_of(survey.head.strings),
        unit=kind.unit_words(display()),
    )
    return page, code


def _of_the_set(line: SheetLine, survey: surveys.Survey) -> SheetLine:
    """The line, refused where its reading is none of the survey's blades."""
    if line.problem or line.value_um is None:
        return line
    return replace(line, problem=blade_problem(survey.head, line.value_um, display()))


def _sent_text() -> tuple[str, str]:
    """The sheet that was pasted or uploaded, and what is wrong with it as a file; empty when nothing is."""
    text = request.form.get("text", "")
    upload = request.files.get("file")
    if upload is not None and upload.filename:
        try:
            text = upload.read(MOST_BYTES + 1).decode("utf-8-sig")
        except UnicodeDecodeError:
            return "", "The file is not UTF-8 text: save it as CSV (UTF-8)."
    if len(text.encode()) > MOST_BYTES:
        return "", f"The sheet is larger than {MOST_BYTES // 1000} kB."
    return text, ""


@screen.get("/surveys/<int:survey_id>.csv")
def csv_of(survey_id: int) -> Response:
    """The current readings as CSV; with `?history` every reading that was ever accepted."""
    survey, _ = survey_or_404(survey_id)
    lanes = SURVEY_KINDS[survey.head.kind].lanes_of(survey.head.strings)
    if "history" in request.args:
        readings = surveys.history(db(), survey_id)
    else:
        readings = sorted(surveys.readings(db(), survey_id).values(), key=lambda r: (lanes.index(r.lane), -r.fret))
    response = make_response(
        write_sheet(((r.lane, r.fret, r.value_um, r.typed, r.at) for r in readings), survey.head.kind)
    )
    response.headers["Content-Type"] = "text/csv; charset=utf-8"
    response.headers["Content-Disposition"] = f"attachment; filename=survey-{survey.taken_at[:10]}-{survey_id}.csv"
    return response
