"""Estimate: the job's route and others side by side, each with what it leaves in the frets; accepted against actual;
PDF.
"""

from dataclasses import asdict, dataclass, replace

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.datastructures import MultiDict
from werkzeug.wrappers import Response

from deft_bench.bench.level_planning import Choices, height_surveys, make_plan, metal_now
from deft_bench.bench.sheet_state import catalogue, plan_for, tool_states
from deft_bench.bench.survey_results import survey_results
from deft_bench.core.work.catalogue import Catalogue, Route
from deft_bench.core.work.estimate import (
    Estimate,
    Item,
    Labour,
    estimate,
    labour_cost,
    materials,
    price_list,
    used_cost,
)
from deft_bench.core.work.job_sheet import SheetPlan, job_sheet, learned, minutes_of, records
from deft_bench.core.work.run_sheet import instrument_facts
from deft_bench.core.work.tools import state_for
from deft_bench.formats.estimate_pdf import write_estimate
from deft_bench.store import estimates, instruments, jobs, sheets, stock
from deft_bench.web.places import linked_steps
from deft_bench.web.support import db, display, now, or_404, settings, stamp

screen = Blueprint("estimate", __name__, template_folder="templates")

MOST_OPTIONS = 3


@dataclass(frozen=True, slots=True)
class Option:
    """One way of doing the job: its sums, what is used, and the least height it leaves in the frets, mm (None
    unknown).
    """

    route: Route
    sums: Estimate
    labour: tuple[Labour, ...]
    items: tuple[Item, ...]
    leaves_mm: float | None


def _of(job_id: int) -> tuple[jobs.Job, instruments.Instrument]:
    with or_404():
        job = jobs.get(db(), job_id)
        return job, instruments.get(db(), job.instrument_id)


def _money() -> tuple[str, float, float, dict[str, float]]:
    found = settings()
    return found.currency, found.rate_per_hour, found.tax_percent, found.price_of


def _option(
    job: jobs.Job, instrument: instruments.Instrument, book: Catalogue, plan: SheetPlan, parts: tuple[Item, ...]
) -> Option:
    spec = instrument.spec
    sheet = job_sheet(book, plan, instrument_facts(spec), ())
    taken = sheets.samples(db(), sheet.codes)
    _, rate, tax, prices = _money()
    labour: list[Labour] = []
    worn = tool_states(db(), now(), book)
    for step in sheet.steps:
        one = step.operation
        own = learned(taken[one.code], spec.kind, plan.schools)
        minutes = minutes_of(one, spec.frets, spec.strings, plan.hardness, own, state_for(one, worn))
        labour.append(
            Labour(one.code, one.title, one.stage, minutes, own.low if own else None, own.high if own else None)
        )
    used = materials([step.operation for step in sheet.steps], spec.frets, spec.strings, prices)
    items = (*used, *parts)
    return Option(
        sheet.route, estimate(labour, items, rate, tax), tuple(labour), items, _leaves(job, instrument, sheet.route)
    )


def _leaves(job: jobs.Job, instrument: instruments.Instrument, route: Route) -> float | None:
    """The least height left in any fret after this route, mm."""
    codes = {step.code for step in route.steps}
    if "pull_frets" in codes:
        return instrument.spec.fret_height_um / 1000
    if "level" not in codes:
        return min(metal_now(db(), instrument))
    heights = height_surveys(db(), job)
    if not heights:
        return None
    try:
        return min(
            make_plan(
                db(), settings(), job, instrument, survey_results(db(), settings(), heights[-1], instrument), Choices()
            ).plan.height_left()
        )
    except ValueError:
        return None


def _parts(text: str) -> tuple[Item, ...]:
    return tuple(Item(name, 1, "", price) for name, price in price_list(text).items())


def _asked(job: jobs.Job, sent: MultiDict[str, str], book: Catalogue) -> tuple[SheetPlan, list[SheetPlan], str]:
    """The job's own plan, the others that are laid beside it, and the parts as typed."""
    plan = plan_for(db(), settings(), job, book)
    others = [code for code in sent.getlist("with") if code in book.routes and code != plan.route]
    return (
        plan,
        [replace(plan, route=code, added=()) for code in dict.fromkeys(others)][: MOST_OPTIONS - 1],
        sent.get("parts", "")[:2000],
    )


@screen.get("/jobs/<int:job_id>/estimate")
def show(job_id: int) -> str | tuple[str, int]:
    """The estimate of the job's route, and of others that `?with=` names; `?parts=` adds lines with their prices."""
    job, instrument = _of(job_id)
    book, _ = catalogue(db())
    plan, others, typed = _asked(job, request.args, book)
    wrong = ""
    try:
        parts = _parts(typed)
    except ValueError as error:
        parts, wrong = (), str(error)
    options = [_option(job, instrument, book, one, parts) for one in (plan, *others)]
    spent = sum(one.minutes for one in records(sheets.events(db(), job_id)).values() if one.minutes is not None)
    currency, rate, tax, prices = _money()
    found = estimates.accepted(db(), job_id)
    html = render_template(
        "estimate/show.html",
        section="instruments",
        job=job,
        instrument=instrument,
        tape=linked_steps(job, instrument),
        options=options,
        book=book,
        chosen=[one.route for one in others],
        parts=typed,
        wrong=wrong,
        currency=currency,
        rate=rate,
        tax=tax,
        spent=spent,
        spent_cost=labour_cost(spent, rate),
        used_cost=used_cost(stock.used_by(db(), job_id), prices),
        accepted=found[-1] if found else None,
        unpriced=sorted(
            {item.name for one in options for item in one.items if item.name not in prices and not item.price}
        ),
    )
    return (html, 422) if wrong else html


@screen.post("/jobs/<int:job_id>/estimate")
def accept(job_id: int) -> Response:
    """Record the estimate that the owner accepted; the route becomes the job's."""
    job, instrument = _of(job_id)
    book, _ = catalogue(db())
    plan, _others, typed = _asked(job, request.form, book)
    back = redirect(url_for(".show", job_id=job_id))
    route = request.form.get("route", plan.route)
    if route not in book.routes:
        flash("That is no route.")
        return back
    try:
        parts = _parts(typed)
    except ValueError as error:
        flash(f"Not accepted: {error}.")
        return back
    wanted = replace(plan, route=route)
    option = _option(job, instrument, book, wanted, parts)
    currency, rate, tax, _prices = _money()
    inputs = {
        "route": route,
        "rate_per_hour": rate,
        "tax_percent": tax,
        "currency": currency,
        "items": [asdict(item) for item in option.items],
    }
    estimates.accept(
        db(),
        job_id,
        stamp(),
        inputs,
        {name: value for name, value in asdict(option.sums).items() if name != "by_stage"},
    )
    if route != plan.route:
        sheets.save(db(), job_id, wanted, stamp())
    flash("Accepted. What it comes to is kept beside it.")
    return back


@screen.get("/jobs/<int:job_id>/estimate.pdf")
def pdf(job_id: int) -> Response:
    """The estimate of the job's route as a PDF page."""
    job, instrument = _of(job_id)
    book, _ = catalogue(db())
    plan, others, typed = _asked(job, request.args, book)
    try:
        parts = _parts(typed)
    except ValueError:
        parts = ()
    options = [_option(job, instrument, book, one, parts) for one in (plan, *others)]
    currency, _rate, tax, _prices = _money()
    rows = [
        (one.route.title, one.sums, one.items, None if one.leaves_mm is None else display().fine_mm(one.leaves_mm))
        for one in options
    ]
    answer = make_response(write_estimate(instrument.spec.name, job.note, rows, currency, tax))
    answer.headers["Content-Type"] = "application/pdf"
    answer.headers["Content-Disposition"] = f"inline; filename=estimate-{job_id}.pdf"
    return answer
