"""Run sheet: now, next and later; started and finished by one key; gates, timers, repairs, skips with a reason, and
the shop's own operations.
"""

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench import sheet_lines
from deft_bench.bench.likely import likely
from deft_bench.bench.sheet_lines import SheetLine, SheetRefusedError, WorkedSheet, at_step, pace_of, worked_sheet
from deft_bench.bench.sheet_state import catalogue
from deft_bench.core.calls import listed_words
from deft_bench.core.work.catalogue import HARDNESS, PHASES
from deft_bench.core.work.pace import Pace
from deft_bench.formats.operations_toml import MOST_BYTES, extend, shipped
from deft_bench.store import sheets
from deft_bench.store.people import finished_by
from deft_bench.web.drawing.neck_drawing import neck_drawing
from deft_bench.web.errors import wants_json
from deft_bench.web.places import address, linked_steps
from deft_bench.web.support import clock, db, display, flash_with_undo, job_or_404, now, rock_mm, settings, stamp

screen = Blueprint(
    "sheet", __name__, template_folder="templates", static_folder="static", static_url_path="/sheet/static"
)
SAID = {"started": "Started", "finished": "Done"}
NEXT = 3
"""Lines shown in full after the step in hand."""


def _sheet(job_id: int) -> WorkedSheet:
    return worked_sheet(db(), settings(), now(), *job_or_404(job_id))


def _note(field: str = "note") -> str:
    return request.form.get(field, "").strip()[:400]


@screen.get("/jobs/<int:job_id>/sheet")
def show(job_id: int) -> str:
    """The job's steps: the one to do now in full, the next, what comes later, and what is behind."""
    sheet = _sheet(job_id)
    at = sheet.in_hand
    left = [line for line in sheet.lines if not line.done]
    after = [line for line in left if line is not at]
    later: dict[str, list[SheetLine]] = {}
    for line in after[NEXT:]:
        later.setdefault(PHASES[line.operation.phase], []).append(line)
    book = sheet.book
    return render_template(
        "sheet/show.html",
        section="instruments",
        job=sheet.job,
        instrument=sheet.instrument,
        tape=linked_steps(sheet.job, sheet.instrument),
        address=address,
        sheet=sheet.state.job_sheet.sheet,
        lines=sheet.lines,
        finished_by=finished_by(db(), sheet.job.id),
        at=at,
        next=after[:NEXT],
        beside=at_step(db(), settings(), now(), sheet, at) if at else None,
        later=later,
        behind=[line for line in sheet.lines if line.done],
        running=sheet.state.running,
        plan=sheet.plan,
        book=book,
        problems=sheet.problems,
        phases=PHASES,
        hardness=HARDNESS,
        left_minutes=sum(line.minutes for line in left),
        repairs=[operation for operation in book.operations.values() if operation.repair],
        titles={code: operation.title for code, operation in book.operations.items()},
        cautions=book.cautions,
        now=now(),
    )


@screen.get("/jobs/<int:job_id>/bench")
def bench(job_id: int) -> str:
    """The step in hand to be read from two metres: the neck, one figure, one next act, the timers."""
    sheet = _sheet(job_id)
    at = sheet.in_hand
    found = likely(db(), settings(), sheet.job, sheet.instrument, quick=True)
    return render_template(
        "sheet/bench.html",
        section="instruments",
        job=sheet.job,
        instrument=sheet.instrument,
        at=at,
        beside=at_step(db(), settings(), now(), sheet, at) if at else None,
        after=next((line for line in sheet.lines if not line.done and line is not at), None),
        running=sheet.state.running,
        address=address,
        cautions=sheet.book.cautions,
        neck=neck_drawing(
            sheet.instrument.spec,
            display(),
            nut_side=settings().nut_side,
            rock_mm=rock_mm(),
            likely=None if found is None else found.lanes,
        ),
        call=None if found is None else found.judged.call,
        now=now(),
    )


@screen.post("/jobs/<int:job_id>/sheet/step")
def step(job_id: int) -> Response:
    """Start, finish, skip or reopen a step, or note something at it."""
    sheet = _sheet(job_id)
    code, what = request.form.get("step", ""), request.form.get("what", "")
    try:
        made = sheet_lines.happen(db(), settings(), now(), sheet, code, what, _note())
    except SheetRefusedError as error:
        flash(str(error))
    else:
        if made is not None and what in SAID:
            line = sheet.line(code)
            flash_with_undo(f"{SAID[what]}: {line.operation.title if line else code}.", "step", made)
        if request.form.get("back") == "/" and what == "started":
            return redirect(url_for(".show", job_id=job_id))
    if request.form.get("back") == "bench":
        return redirect(url_for(".bench", job_id=job_id))
    anchor = f"step-{code}" if sheet.line(code) and what != "finished" else None
    return redirect(url_for(".show", job_id=job_id, _anchor=anchor))


@screen.post("/jobs/<int:job_id>/sheet/tick")
def tick(job_id: int) -> Response:
    """Tick one fret off within a step, or take it back; answers the pace to a script."""
    sheet = _sheet(job_id)
    code = request.form.get("step", "")
    try:
        ticked = sheet_lines.tick(db(), now(), sheet, code, request.form.get("fret", 0, type=int))
    except SheetRefusedError as error:
        if wants_json():
            return make_response({"error": str(error)}, 422)
        flash(str(error))
    else:
        if wants_json():
            done = sheets.fret_ticks(db(), job_id, code)
            words = pace_words(pace_of(done, len(sheet.offered(code)), now()))
            return make_response({"ticked": ticked, "done": len(done), "pace": words})
    return redirect(url_for(".show", job_id=job_id, _anchor="frets"))


def pace_words(found: Pace | None) -> str:
    """`2.4 min a fret, 14 left: done about 15:20`."""
    if found is None:
        return ""
    if not found.left:
        return f"{found.per_fret_min:.1f} min a fret"
    return f"{found.per_fret_min:.1f} min a fret, {found.left} left: done about {clock(found.finish)}"


@screen.post("/jobs/<int:job_id>/sheet/repair")
def repair(job_id: int) -> Response:
    """Put a repair in where a problem was found."""
    job, _ = job_or_404(job_id)
    try:
        title = sheet_lines.put_repair(db(), settings(), now(), job, request.form.get("repair", ""), _note())
        flash(f"“{title}” is on the sheet now.")
    except SheetRefusedError as error:
        flash(str(error))
    return redirect(url_for(".show", job_id=job_id))


@screen.post("/jobs/<int:job_id>/sheet/plan")
def plan(job_id: int) -> Response:
    """Another route, schools or hardness."""
    job, _ = job_or_404(job_id)
    try:
        also = sheet_lines.change_plan(db(), settings(), now(), job, request.form)
        flash(f"Re-planned{f', and {listed_words(also)} with it' if also else ''}; what is done stays done.")
    except SheetRefusedError as error:
        flash(str(error))
    return redirect(url_for(".show", job_id=job_id))


@screen.route("/operations", methods=["GET", "POST"])
def operations() -> str | tuple[str, int] | Response:
    """The operations that run sheets are made from, and the shop's own beside them as TOML."""
    text = sheets.own_operations(db())
    if request.method == "POST":
        text = request.form.get("toml", "").replace("\r\n", "\n")[: MOST_BYTES + 1]
    problems = extend(shipped(), text)[1] if text.strip() else []
    refused = request.method == "POST" and bool(problems) and "anyway" not in request.form
    if request.method == "POST" and not refused:
        sheets.save_operations(db(), text, stamp())
        flash("Saved." if not problems else f"Saved; {len(problems)} entries are left out until they are put right.")
        return redirect(url_for(".operations"))
    book, _left_out = catalogue(db())
    html = render_template(
        "sheet/operations.html",
        section="settings",
        text=text,
        problems=problems,
        book=book,
        phases=PHASES,
        refused=refused,
    )
    return (html, 422) if refused else html


screen.add_app_template_filter(pace_words, "pace_words")
