"""Estimates: what a route takes in hours and materials and what it leaves in the frets; and accepting one."""

from dataclasses import asdict, dataclass, replace
from datetime import datetime

from deft_bench.bench.job_extent import extent_of, job_facts, step_times, whole_samples
from deft_bench.bench.level_planning import Choices, base_survey, make_plan
from deft_bench.bench.metal import metal_now
from deft_bench.bench.sheet_state import tool_states
from deft_bench.bench.survey_results import survey_results
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import stamp
from deft_bench.core.work.catalogue import Catalogue, Route
from deft_bench.core.work.estimate import NOT_KEPT, Estimate, Item, Labour, estimate, labour_cost, materials, used_cost
from deft_bench.core.work.job_sheet import SheetPlan, job_sheet, records
from deft_bench.store import estimates, instruments, jobs, sheets, stock
from deft_bench.store.database import Connection, transaction


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


@dataclass(frozen=True, slots=True)
class Spent:
    """What a job has taken so far: minutes at the bench, and both costs."""

    minutes: float
    labour_cost: float
    used_cost: float


def option_of(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    job: jobs.Job,
    instrument: instruments.Instrument,
    book: Catalogue,
    plan: SheetPlan,
    parts: tuple[Item, ...],
) -> Option:
    """What a job's sheet takes by one plan, with parts beside its materials."""
    sheet = job_sheet(book, plan, job_facts(db, job, instrument), ())
    extent = extent_of(db, job, instrument, plan.route)
    operations = [step.operation for step in sheet.steps]
    worn = tool_states(db, now, book)
    own, minutes = step_times(operations, whole_samples(db, book), extent, instrument.spec.kind, plan, worn)
    labour = [
        Labour(
            operation.code,
            operation.title,
            operation.phase,
            minutes[operation.code],
            *((taught.low, taught.high) if (taught := own[operation.code]) else (None, None)),
        )
        for operation in operations
    ]
    used = materials(operations, extent, settings.price_of)
    items = (*used, *parts)
    return Option(
        sheet.route,
        estimate(labour, items, settings.rate_per_hour, settings.tax_percent),
        tuple(labour),
        items,
        _leaves(db, settings, job, instrument, sheet.route),
    )


def _leaves(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument, route: Route
) -> float | None:
    """The least height left in any fret after this route, mm."""
    codes = {step.code for step in route.steps}
    if "pull_frets" in codes:
        return instrument.spec.fret_height_um / 1000
    if "level" not in codes:
        return min(metal_now(db, instrument).heights_mm)
    base_of = base_survey(db, job)
    if base_of is None:
        return None
    base = survey_results(db, settings, base_of, instrument)
    try:
        return min(make_plan(db, settings, job, instrument, base, Choices()).plan.height_left())
    except ValueError:
        return None


def spent_on(db: Connection, settings: ShopSettings, job: jobs.Job) -> Spent:
    """What the job has taken by its sheet and the stock's ledger."""
    done = records(sheets.events(db, job.id)).values()
    minutes = sum(step.minutes for step in done if step.minutes is not None)
    used = used_cost(stock.used_by(db, job.id), settings.price_of)
    return Spent(minutes, labour_cost(minutes, settings.rate_per_hour), used)


def accept_estimate(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    job: jobs.Job,
    instrument: instruments.Instrument,
    book: Catalogue,
    plan: SheetPlan,
    route: str,
    parts: tuple[Item, ...],
) -> None:
    """Record the estimate of a route that the owner accepted; the route becomes the job's, both or neither."""
    wanted = replace(plan, route=route)
    option = option_of(db, settings, now, job, instrument, book, wanted, parts)
    inputs = {
        "route": route,
        "rate_per_hour": settings.rate_per_hour,
        "tax_percent": settings.tax_percent,
        "currency": settings.currency,
        "items": [asdict(item) for item in option.items],
    }
    sums = {name: value for name, value in asdict(option.sums).items() if name not in NOT_KEPT}
    with transaction(db):
        estimates.ESTIMATES.keep(db, job.id, stamp(now), inputs, sums)
        if route != plan.route:
            sheets.PLANS.save(db, job.id, wanted, stamp(now))
