"""Run sheet: now, next and later; started and finished by one key; gates, timers, repairs, skips with a reason, and the shop's own operations."""

import re
from dataclasses import dataclass, replace
from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.work.catalogue import HARDNESS, STAGES, WARM_C, Catalogue, Operation, Rule
from deft_bench.core.work.job_sheet import (
    Event,
    Learned,
    SheetPlan,
    StepRecord,
    Timer,
    job_sheet,
    learned,
    minutes_of,
    records,
    sound,
    timers,
)
from deft_bench.core.work.run_sheet import RunSheet, instrument_facts, too_early
from deft_bench.formats.operations_toml import MOST_BYTES, Problem, extend, shipped
from deft_bench.store import instruments, jobs, refrets, sheets, shop
from deft_bench.web.job_now import job_steps
from deft_bench.web.sheet.recorded import recorded
from deft_bench.web.support import db, display, here, now, settings, stamp

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


def catalogue() -> tuple[Catalogue, list[Problem]]:
    """What the shop works by: the shipped operations with its own over them, and what of its own was left out."""
    own = sheets.own_operations(db())
    return extend(shipped(), own) if own.strip() else (shipped(), [])


def bench_warmth() -> float:
    """The bench's temperature as last entered, °C."""
    climate = shop.latest_climate(db())
    return climate[1] if climate else WARM_C


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
    with here():
        job = jobs.get(db(), job_id)
        return job, instruments.get(db(), job.instrument_id)


def plan_for(job: jobs.Job, book: Catalogue) -> SheetPlan:
    """What a job's sheet is made from, made to fit the catalogue; the shop's masking school until one is chosen."""
    plan = sheets.plan_of(db(), job.id, job.kind)
    if job.kind == "refret" and not sheets.plans(db(), job.id):
        wanted = refrets.plan_of(db(), job.id)
        if wanted is not None and len(wanted.frets) < instruments.get(db(), job.instrument_id).spec.frets:
            plan = replace(plan, route="partial_refret")
    if not plan.schools and settings()["mask"] in book.schools["mask"].choices:
        plan = replace(plan, schools={"mask": settings()["mask"]})
    return sound(plan, book)


def _sheet(
    job: jobs.Job, instrument: instruments.Instrument, book: Catalogue, plan: SheetPlan
) -> tuple[RunSheet, list[Line], list[Timer]]:
    """The job's sheet, its lines, and what still runs: what follows a cure waits until it is over."""
    happened = sheets.events(db(), job.id)
    known, proved = records(happened), recorded(job, instrument)
    sheet = job_sheet(book, plan, instrument_facts(instrument.spec), happened, sorted(proved))
    behind = {code for code, one in known.items() if one.done} | proved
    running = timers(book.operations, known, now(), bench_warmth())
    over = sorted(behind - {timer.step for timer in running if timer.kind == "rests"})
    spec, length = instrument.spec, display().fine_mm
    taken = sheets.samples(db(), [code for code in sheet.codes if code not in behind])
    lines = []
    for number, step in enumerate(sheet.steps, start=1):
        code = step.operation.code
        own = learned(taken.get(code, ()), spec.kind, plan.schools)
        gate = re.sub(r"\{([\d.]+)\}", lambda found: length(float(found[1])), step.operation.gate)
        early = [] if code in behind else too_early(sheet, code, over)
        minutes = minutes_of(step.operation, spec.frets, spec.strings, plan.hardness, own)
        lines.append(
            Line(
                number,
                step.operation,
                gate,
                minutes,
                own,
                known.get(code, StepRecord()),
                code in proved,
                early,
                _page_of(step.operation.page, job),
            )
        )
    return sheet, lines, running


@screen.get("/jobs/<int:job_id>/sheet")
def show(job_id: int) -> str:
    """The job's steps: the one to do now in full, the next, what comes later, and what is behind."""
    job, instrument = _of(job_id)
    book, problems = catalogue()
    plan = plan_for(job, book)
    sheet, lines, running = _sheet(job, instrument, book, plan)
    left = [line for line in lines if not line.done]
    started = next((line for line in left if line.record.started_at), None)
    at = started or next((line for line in left if not line.early), left[0] if left else None)
    after = [line for line in left if line is not at]
    later: dict[str, list[Line]] = {}
    for line in after[3:]:
        later.setdefault(STAGES[line.operation.stage], []).append(line)
    return render_template(
        "sheet/show.html", section="instruments", job=job, instrument=instrument, tape=job_steps(job, instrument), sheet=sheet, lines=lines, at=at, next=after[:3],
        later=later, behind=[line for line in lines if line.done], running=running, plan=plan, book=book, problems=problems, stages=STAGES, hardness=HARDNESS,
        left_minutes=sum(line.minutes for line in left), repairs=[one for one in book.operations.values() if one.repair], titles={code: one.title for code, one in book.operations.items()},
        cautions=book.cautions, now=now(),
    )  # fmt: skip


@screen.post("/jobs/<int:job_id>/sheet/step")
def step(job_id: int) -> Response:
    """Start, finish, skip or reopen a step, or note something at it. One whose turn has not come is finished only with a reason."""
    job, instrument = _of(job_id)
    book, _ = catalogue()
    lines = _sheet(job, instrument, book, plan_for(job, book))[1]
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
        said = "; ".join(
            f"“{book.operations[rule.before].title}” comes first, or {rule.spoils}" for rule in line.early[:3]
        )
        flash(f"Not {what}: {said}. Say why it is done now, or do that first.")
        return back
    if (what == "finished" and line.record.done) or (
        what == "started" and line.record.started_at and not line.record.done
    ):
        return back
    sheets.add(db(), job_id, Event(code, what, stamp(), note))
    return back


@screen.post("/jobs/<int:job_id>/sheet/repair")
def repair(job_id: int) -> Response:
    """Put a repair in where a problem was found; it comes as early as its rules let it."""
    job, _ = _of(job_id)
    book, _problems = catalogue()
    plan = plan_for(job, book)
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
    """Another route, schools or hardness: what is not yet done is planned anew, what is done stays."""
    job, _ = _of(job_id)
    book, _problems = catalogue()
    before = plan_for(job, book)
    route = request.form.get("route", before.route)
    schools = {code: request.form.get(code, "") for code in book.schools}
    wrong = [school.title for code, school in book.schools.items() if schools[code] not in school.choices]
    hardness = request.form.get("hardness", before.hardness)
    if route not in book.routes or wrong or hardness not in HARDNESS:
        flash(f"Not changed: choose one of the lists’ own entries{' for ' + ', '.join(wrong) if wrong else ''}.")
    else:
        sheets.save(db(), job_id, SheetPlan(route, schools, before.added, hardness), stamp())
        flash("Planned anew; what is done stays done.")
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
    book, _left_out = catalogue()
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


def minutes_words(minutes: float) -> Any:
    """`25 min`, `3 h 10`, `2 days`."""
    whole = round(minutes)
    if whole >= 2880:
        return f"{whole / 1440:.2g} days"
    return f"{whole} min" if whole < 90 else f"{whole // 60} h {whole % 60:02d}"


screen.add_app_template_filter(minutes_words, "minutes")
