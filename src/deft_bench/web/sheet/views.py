"""Run sheet: now, next and later; started and finished by one key; gates, timers, repairs, skips with a reason, and
the shop's own operations.
"""

import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.sheet_gates import gate_reading
from deft_bench.bench.sheet_state import SheetState, catalogue, plan_for, sheet_state, tool_states
from deft_bench.core.frets.grit_ladder import Rung, grit_ladder, read_shelf
from deft_bench.core.times import moment
from deft_bench.core.work.catalogue import HARDNESS, STAGES, Catalogue, Operation, Rule
from deft_bench.core.work.job_sheet import Event, Learned, SheetPlan, StepRecord, records
from deft_bench.core.work.pace import Pace, pace
from deft_bench.core.work.run_sheet import RunSheet, held_by, too_early
from deft_bench.core.work.schedule.risks import span_words
from deft_bench.core.work.stock import amount
from deft_bench.core.work.tools import ToolState
from deft_bench.formats.operations_toml import MOST_BYTES, Problem, extend, shipped
from deft_bench.store import instruments, jobs, polish, schedules, sheets, stock
from deft_bench.web.errors import wants_json
from deft_bench.web.places import linked_steps
from deft_bench.web.support import db, display, now, or_404, settings, stamp

screen = Blueprint(
    "sheet", __name__, template_folder="templates", static_folder="static", static_url_path="/sheet/static"
)


@dataclass(frozen=True, slots=True)
class Line:
    """One step as the page shows it."""

    number: int
    operation: Operation
    gate: str
    minutes: float
    own: Learned | None
    record: StepRecord
    proved: bool
    early: list[Rule]
    href: str

    @property
    def done(self) -> bool:
        """Whether it is behind."""
        return self.record.done or self.proved


def _page_of(page: str, job: jobs.Job) -> str:
    if page in ("nut", "saddle", "intonation", "buzz", "setup"):
        return url_for(f"setup.{'show' if page == 'setup' else page}", instrument_id=job.instrument_id)
    if page == "neck":
        return url_for(
            "neck.show", instrument_id=job.instrument_id, aim="playing" if job.kind == "setup" else "fretwork"
        )
    if page in ("seating", "slots"):
        return url_for("surveys.new", job_id=job.id, kind="slot_depth" if page == "slots" else page)
    if page == "survey":
        return (
            url_for("setup.intake", instrument_id=job.instrument_id)
            if job.kind == "setup"
            else url_for("surveys.next_of", job_id=job.id)
        )
    if page == "board":
        return url_for("board.show", instrument_id=job.instrument_id)
    if page == "record":
        return url_for("record.report", job_id=job.id)
    return url_for(f"{page}.show", job_id=job.id) if page in ("level", "dress", "refret") else ""


def _of(job_id: int) -> tuple[jobs.Job, instruments.Instrument]:
    with or_404():
        job = jobs.get(db(), job_id)
        return job, instruments.get(db(), job.instrument_id)


def _sheet(
    job: jobs.Job, instrument: instruments.Instrument, book: Catalogue, plan: SheetPlan
) -> tuple[SheetState, list[Line]]:
    """The job's sheet as it stands and its lines: what follows a cure waits until it is over."""
    now_at = sheet_state(db(), settings(), now(), job, instrument, book, plan, tool_states(db(), now(), book), {})
    resting = [timer.step for timer in now_at.running if timer.kind == "rests"]
    over = sorted(now_at.behind - set(resting))
    lines = []
    for number, step in enumerate(now_at.sheet.steps, start=1):
        code = step.operation.code
        gate = re.sub(r"\{([\d.]+)\}", lambda found: display().fine_mm(float(found[1])), step.operation.gate)
        lines.append(
            Line(
                number,
                step.operation,
                gate,
                now_at.minutes[code],
                now_at.own[code],
                now_at.known.get(code, StepRecord()),
                code in now_at.proved,
                [] if code in now_at.behind else _early(now_at.sheet, code, over, resting),
                _page_of(step.operation.page, job),
            )
        )
    return now_at, lines


@dataclass(frozen=True, slots=True)
class AtStep:
    """What stands beside the step in hand: its gate's reading, frets and abrasives ticked, the pace, its tools, what
    is short of, when it is planned.
    """

    reading: Any
    ticked: Mapping[int, str]
    per_fret: bool
    pace: Pace | None
    rungs: list[Rung]
    grits: list[str]
    polished: Mapping[tuple[str, float], str]
    tools: list[ToolState]
    materials: list[tuple[str, str, str]]
    awaited: list[stock.Order]
    planned: Any


START_UM = 50.0
"""What a crowning file leaves: the ladder of the sheet begins there, as on the page for crowning and polish."""


def _at_step(line: Line, job: jobs.Job, instrument: instruments.Instrument, book: Catalogue) -> AtStep:
    code, spec = line.operation.code, instrument.spec
    ticked = sheets.fret_ticks(db(), job.id, code)
    there = {item.name.lower(): item for item in stock.items(db())} if line.operation.materials else {}
    materials = []
    for one in line.operation.materials:
        wanted = one.quantity(spec.frets, spec.strings)
        item = there.get(one.name.lower())
        short = f"only {amount(item.have, item.unit)} there" if item is not None and item.have < wanted else ""
        materials.append((one.name, amount(wanted, one.unit), short))
    rungs: list[Rung] = []
    if "shelf" in line.operation.grits:
        try:
            rungs = list(grit_ladder(START_UM, "bright", settings().shelf()).steps)
        except ValueError:
            rungs = []
    names = {name.lower() for name in line.operation.tools}
    saved = schedules.latest(db())
    planned = (
        next((one for one in saved.placed if one.job == str(job.id) and one.step == code), None) if saved else None
    )
    return AtStep(
        gate_reading(db(), settings(), code, job, instrument) if line.gate else None,
        ticked,
        line.operation.by_fret,
        _pace(ticked, spec.frets),
        rungs,
        [read_shelf(one)[0].words for one in line.operation.grits if one != "shelf"],
        polish.done(db(), job.id),
        [one for one in tool_states(db(), now(), book) if one.near and one.tool.name.lower() in names],
        materials,
        [one for one in stock.orders(db()) if one.job_id == job.id and one.step in (code, "")],
        planned,
    )


def _pace(ticked: Mapping[int, str], frets: int) -> Pace | None:
    return pace([moment(at) for at in ticked.values()], frets, now())


@screen.get("/jobs/<int:job_id>/sheet")
def show(job_id: int) -> str:
    """The job's steps: the one to do now in full, the next, what comes later, and what is behind."""
    job, instrument = _of(job_id)
    book, problems = catalogue(db())
    plan = plan_for(db(), settings(), job, book)
    stands, lines = _sheet(job, instrument, book, plan)
    left = [line for line in lines if not line.done]
    started = next((line for line in left if line.record.started_at), None)
    at = started or next((line for line in left if not line.early), left[0] if left else None)
    after = [line for line in left if line is not at]
    later: dict[str, list[Line]] = {}
    for line in after[3:]:
        later.setdefault(STAGES[line.operation.stage], []).append(line)
    return render_template(
        "sheet/show.html",
        section="instruments",
        job=job,
        instrument=instrument,
        tape=linked_steps(job, instrument),
        sheet=stands.sheet,
        lines=lines,
        at=at,
        next=after[:3],
        beside=_at_step(at, job, instrument, book) if at else None,
        later=later,
        behind=[line for line in lines if line.done],
        running=stands.running,
        plan=plan,
        book=book,
        problems=problems,
        stages=STAGES,
        hardness=HARDNESS,
        left_minutes=sum(line.minutes for line in left),
        repairs=[one for one in book.operations.values() if one.repair],
        titles={code: one.title for code, one in book.operations.items()},
        cautions=book.cautions,
        now=now(),
    )


@screen.post("/jobs/<int:job_id>/sheet/step")
def step(job_id: int) -> Response:
    """Start, finish, skip or reopen a step, or note something at it. One whose turn has not come is finished only
    with a reason.
    """
    job, instrument = _of(job_id)
    book, _ = catalogue(db())
    now_at, lines = _sheet(job, instrument, book, plan_for(db(), settings(), job, book))
    resting = {timer.step for timer in now_at.running if timer.kind == "rests"}
    code, what, note = (
        request.form.get("step", ""),
        request.form.get("what", ""),
        request.form.get("note", "").strip()[:400],
    )
    line = next((line for line in lines if line.operation.code == code), None)
    back = redirect(url_for(".show", job_id=job_id, _anchor=f"step-{code}" if line and what != "finished" else None))
    if line is None or what not in ("started", "finished", "skipped", "reopened", "note"):
        flash("That step is not part of this job.")
        return back
    if what in ("skipped", "note") and not note:
        flash("Say why it is skipped." if what == "skipped" else "Nothing was written.")
        return back
    if what in ("started", "finished") and line.early and not note:
        flash(f"Not {what}: {_early_words(book, line.early, resting)}. Say why it is done now, or do that first.")
        return back
    if (what == "finished" and line.record.done) or (
        what == "started" and line.record.started_at and not line.record.done
    ):
        return back
    used = {one.name: one.quantity(instrument.spec.frets, instrument.spec.strings) for one in line.operation.materials}
    sheets.happened(db(), job_id, Event(code, what, stamp(), note), used)
    if request.form.get("back") == "/" and what == "started":
        return redirect(url_for(".show", job_id=job_id))
    return back


def _early(sheet: RunSheet, code: str, over: Sequence[str], resting: Sequence[str]) -> list[Rule]:
    """The rules that doing a step now would break, what still cures or rests first."""
    rules = [*held_by(sheet, code, resting), *too_early(sheet, code, over)]
    return sorted(rules, key=lambda rule: rule.before not in resting)


def _early_words(book: Catalogue, early: Sequence[Rule], resting: Collection[str]) -> str:
    """What comes before a step, and what is spoiled otherwise."""
    return "; ".join(
        f"“{book.operations[rule.before].title}” {'is not over' if rule.before in resting else 'comes first'}, or"
        f" {rule.spoils}"
        for rule in early[:3]
    )


@screen.post("/jobs/<int:job_id>/sheet/tick")
def tick(job_id: int) -> Response:
    """Tick one fret off within a step, or take it back; answers the pace to a script."""
    job, instrument = _of(job_id)
    book, _ = catalogue(db())
    code, fret = request.form.get("step", ""), request.form.get("fret", 0, type=int)
    back = redirect(url_for(".show", job_id=job_id, _anchor="frets"))
    now_at, lines = _sheet(job, instrument, book, plan_for(db(), settings(), job, book))
    resting = {timer.step for timer in now_at.running if timer.kind == "rests"}
    line = next((one for one in lines if one.operation.code == code), None)
    held = [rule for rule in line.early if rule.before in resting] if line and not line.record.started_at else []
    if held:
        said = _early_words(book, held, resting)
        if wants_json():
            return make_response({"error": said}, 422)
        flash(f"Not ticked: {said}.")
        return back
    if code not in book.operations or not 1 <= fret <= instrument.spec.frets:
        if wants_json():
            return make_response({"error": f"frets are 1 to {instrument.spec.frets}"}, 422)
        flash(f"Not ticked: frets are 1 to {instrument.spec.frets}, of a step of this job.")
        return back
    ticked = sheets.toggle_tick(db(), job_id, code, fret, stamp())
    if not records(sheets.events(db(), job_id)).get(code, StepRecord()).started_at:
        # the first tick is the start
        sheets.add(db(), job_id, Event(code, "started", stamp()))
    if not wants_json():
        return back
    found = sheets.fret_ticks(db(), job_id, code)
    return make_response(
        {"ticked": ticked, "done": len(found), "pace": pace_words(_pace(found, instrument.spec.frets))}
    )


def pace_words(found: Pace | None) -> str:
    """`2.4 min a fret, 14 left: done about 15:20`."""
    if found is None:
        return ""
    if not found.left:
        return f"{found.per_fret_min:.1f} min a fret"
    return f"{found.per_fret_min:.1f} min a fret, {found.left} left: done about {found.finish.astimezone():%H:%M}"


@screen.post("/jobs/<int:job_id>/sheet/repair")
def repair(job_id: int) -> Response:
    """Put a repair in where a problem was found; it comes as early as its rules let it."""
    job, _ = _of(job_id)
    book, _problems = catalogue(db())
    plan = plan_for(db(), settings(), job, book)
    code, note = request.form.get("repair", ""), request.form.get("note", "").strip()[:400]
    if code not in book.operations or not book.operations[code].repair:
        flash("That is no repair.")
    else:
        if code not in plan.added:
            sheets.save(db(), job_id, replace(plan, added=(*plan.added, code)), stamp())
        elif records(sheets.events(db(), job_id)).get(code, StepRecord()).done:
            sheets.add(db(), job_id, Event(code, "reopened", stamp()))
        if note:
            sheets.add(db(), job_id, Event(code, "note", stamp(), note))
        flash(f"“{book.operations[code].title}” stands on the sheet now.")
    return redirect(url_for(".show", job_id=job_id))


@screen.post("/jobs/<int:job_id>/sheet/plan")
def plan(job_id: int) -> Response:
    """Another route, schools or hardness: what is not yet done is planned again, what is done stays."""
    job, _ = _of(job_id)
    book, _problems = catalogue(db())
    before = plan_for(db(), settings(), job, book)
    route = request.form.get("route", before.route)
    schools = {code: request.form.get(code, "") for code in book.schools}
    wrong = [school.title for code, school in book.schools.items() if schools[code] not in school.choices]
    hardness = request.form.get("hardness", before.hardness)
    if route not in book.routes or wrong or hardness not in HARDNESS:
        flash(f"Not changed: choose one of the lists’ own entries{' for ' + ', '.join(wrong) if wrong else ''}.")
    else:
        sheets.save(db(), job_id, SheetPlan(route, schools, before.added, hardness), stamp())
        flash("Re-planned; what is done stays done.")
    return redirect(url_for(".show", job_id=job_id))


@screen.route("/operations", methods=["GET", "POST"])
def operations() -> str | tuple[str, int] | Response:
    """The operations that run sheets are made from, and the shop's own beside them as TOML."""
    text = sheets.own_operations(db())
    code = 200
    problems: list[Problem] = []
    if request.method == "POST":
        text = request.form.get("toml", "").replace("\r\n", "\n")[: MOST_BYTES + 1]
        _, problems = extend(shipped(), text) if text.strip() else (shipped(), [])
        if not problems or "anyway" in request.form:
            sheets.save_operations(db(), text, stamp())
            flash(
                "Saved." if not problems else f"Saved; {len(problems)} entries are left out until they are put right."
            )
            return redirect(url_for(".operations"))
        code = 422
    else:
        _, problems = extend(shipped(), text) if text.strip() else (shipped(), [])
    book, _left_out = catalogue(db())
    html = render_template(
        "sheet/operations.html",
        section="settings",
        text=text,
        problems=problems,
        book=book,
        stages=STAGES,
        refused=code == 422,
    )
    return (html, code) if code != 200 else html


screen.add_app_template_filter(span_words, "minutes")
screen.add_app_template_filter(pace_words, "pace_words")
