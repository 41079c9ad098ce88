"""Estimate: the job's route and others side by side, each with what it leaves in the frets; accepted against actual;
PDF.
"""

from collections.abc import Sequence
from dataclasses import replace

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.datastructures import MultiDict
from werkzeug.wrappers import Response

from deft_bench.bench.estimating import Option, accept_estimate, option_of, spent_on
from deft_bench.bench.sheet_state import catalogue, plan_for
from deft_bench.core.work.catalogue import Catalogue
from deft_bench.core.work.estimate import Item, price_list
from deft_bench.core.work.job_sheet import SheetPlan
from deft_bench.store import estimates, instruments, jobs
from deft_bench.web.places import linked_steps
from deft_bench.web.support import db, display, job_or_404, now, rows_sent, settings

screen = Blueprint("estimate", __name__, template_folder="templates")

MOST_OPTIONS, MOST_PARTS = 3, 40


Part = tuple[str, str]
"""A part's name and its price, as they were typed."""


def _parts(rows: Sequence[Part]) -> tuple[Item, ...]:
    """Parts that were typed; raises ValueError naming the row that is none."""
    found = price_list("\n".join(f"{name} {price}" for name, price in rows))
    return tuple(Item(name, 1, "", price) for name, price in found.items())


def _typed(sent: MultiDict[str, str]) -> list[Part]:
    """The rows of parts that hold anything, but the one that is taken off."""
    rows = rows_sent(sent, "part", "price", but=sent.get("off", type=int))
    return [(name[:80], price[:20]) for name, price in rows][:MOST_PARTS]


def _asked(job: jobs.Job, sent: MultiDict[str, str], book: Catalogue) -> tuple[SheetPlan, list[SheetPlan], list[Part]]:
    """The job's own plan, the others that are laid beside it, and the parts as typed."""
    plan = plan_for(db(), settings(), job, book)
    codes = dict.fromkeys(code for code in sent.getlist("with") if code in book.routes and code != plan.route)
    others = [replace(plan, route=code, added=()) for code in codes]
    return plan, others[: MOST_OPTIONS - 1], _typed(sent)


def _options(
    job: jobs.Job,
    instrument: instruments.Instrument,
    book: Catalogue,
    plans: list[SheetPlan],
    parts: tuple[Item, ...],
) -> list[Option]:
    return [option_of(db(), settings(), now(), job, instrument, book, plan, parts) for plan in plans]


@screen.get("/jobs/<int:job_id>/estimate")
def show(job_id: int) -> str | tuple[str, int]:
    """The estimate of the job's route, and of others that `?with=` names; rows of `?part=` and `?price=` add
    parts.
    """
    job, instrument = job_or_404(job_id)
    book, _ = catalogue(db())
    plan, others, typed = _asked(job, request.args, book)
    parts: tuple[Item, ...] = ()
    wrong = ""
    try:
        parts = _parts(typed)
    except ValueError as error:
        wrong = str(error)
    options = _options(job, instrument, book, [plan, *others], parts)
    shop, accepted = settings(), estimates.ESTIMATES.of_job(db(), job_id)
    spent = spent_on(db(), shop, job)
    prices = shop.price_of
    html = render_template(
        "estimate/show.html",
        section="instruments",
        job=job,
        instrument=instrument,
        tape=linked_steps(job, instrument),
        options=options,
        book=book,
        chosen=[other.route for other in others],
        parts=typed,
        wrong=wrong,
        currency=shop.currency,
        rate=shop.rate_per_hour,
        tax=shop.tax_percent,
        spent=spent.minutes,
        spent_cost=spent.labour_cost,
        used_cost=spent.used_cost,
        accepted=accepted[-1] if accepted else None,
        unpriced=sorted(
            {item.name for option in options for item in option.items if item.name not in prices and not item.price}
        ),
    )
    return (html, 422) if wrong else html


@screen.post("/jobs/<int:job_id>/estimate")
def accept(job_id: int) -> Response:
    """Record the estimate that the owner accepted; the route becomes the job's."""
    job, instrument = job_or_404(job_id)
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
    accept_estimate(db(), settings(), now(), job, instrument, book, plan, route, parts)
    flash("Accepted. What it comes to is kept beside it.")
    return back


@screen.get("/jobs/<int:job_id>/estimate.pdf")
def pdf(job_id: int) -> Response:
    """The estimate of the job's route as a PDF page."""
    from deft_bench.formats.estimate_pdf import write_estimate

    job, instrument = job_or_404(job_id)
    book, _ = catalogue(db())
    plan, others, typed = _asked(job, request.args, book)
    try:
        parts = _parts(typed)
    except ValueError:
        parts = ()
    rows = [
        (
            option.route.title,
            option.sums,
            option.items,
            None if option.leaves_mm is None else display().fine_mm(option.leaves_mm),
        )
        for option in _options(job, instrument, book, [plan, *others], parts)
    ]
    raw = write_estimate(instrument.spec.name, job.note, rows, settings().currency, settings().tax_percent)
    answer = make_response(raw)
    answer.headers["Content-Type"] = "application/pdf"
    answer.headers["Content-Disposition"] = f"inline; filename=estimate-{job_id}.pdf"
    return answer
