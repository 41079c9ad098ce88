"""A job's run sheet as it stands: its steps, what is behind, what still rests, and how long each step takes here."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from deft_bench.bench.job_extent import extent_of, job_facts, step_times, whole_samples
from deft_bench.bench.refret_progress import notches_in
from deft_bench.bench.schools import shared_schools
from deft_bench.bench.sheet_records import proved_steps
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.work.catalogue import WARM_C, Catalogue, Operation
from deft_bench.core.work.extent import Extent
from deft_bench.core.work.job_sheet import (
    Learned,
    SheetPlan,
    StepRecord,
    Timer,
    job_sheet,
    records,
    sound,
    timers,
)
from deft_bench.core.work.run_sheet import RunSheet
from deft_bench.core.work.tools import ToolState, states
from deft_bench.formats.operations_toml import Problem, extend, shipped
from deft_bench.store import instruments, jobs, refrets, sheets, shop, tools
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept

RELIEVE = "relieve"
"""The step that notches tangs over what is in their slots."""
TOOLS_DAYS = 800
"""How far back work counts towards a tool that was never seen to."""


@dataclass(frozen=True, slots=True)
class JobSheet:
    """A job's sheet with what it is made from, what its events and the record say of each step, and how much of the
    instrument it goes over.
    """

    plan: SheetPlan
    sheet: RunSheet
    known: Mapping[str, StepRecord]
    proved: frozenset[str]
    extent: Extent

    @property
    def behind(self) -> set[str]:
        """Steps that are done, by their events or by the record."""
        return {code for code, one in self.known.items() if one.done} | self.proved

    def left(self) -> list[Operation]:
        """The operations still to do, in order."""
        behind = self.behind
        return [step.operation for step in self.sheet.steps if not step.done and step.operation.code not in behind]


@dataclass(frozen=True, slots=True)
class SheetState:
    """The sheet as it stands at a moment: what runs by itself; minutes are by operation, `own` the shop's own times."""

    job_sheet: JobSheet
    running: tuple[Timer, ...]
    minutes: Mapping[str, float]
    own: Mapping[str, Learned | None]


@kept
def catalogue(db: Connection) -> tuple[Catalogue, list[Problem]]:
    """What the shop works by: the shipped operations with its own over them, and what of its own was left out."""
    own = sheets.own_operations(db)
    return extend(shipped(), own) if own.strip() else (shipped(), [])


def bench_warmth(db: Connection) -> float:
    """The bench's temperature as last entered, °C."""
    climate = shop.latest_climate(db)
    return climate[1] if climate else WARM_C


@kept
def plan_for(db: Connection, settings: ShopSettings, job: jobs.Job, book: Catalogue) -> SheetPlan:
    """What a job's sheet is made from, made to fit the catalogue; the shop's masking school until one is chosen, and
    those that are said on the board's and the refret's pages as they are there.
    """
    plan = sheets.plan_of(db, job.id, job.kind)
    if job.kind == "refret" and not sheets.PLANS.every(db, job.id):
        wanted = refrets.PLANS.last(db, job.id)
        if wanted is not None and len(wanted.frets) < instruments.get(db, job.instrument_id).spec.frets:
            plan = replace(plan, route="partial_refret")
    if RELIEVE in book.operations and RELIEVE not in plan.added and _notched(db, job):
        plan = replace(plan, added=(*plan.added, RELIEVE))
    if not plan.schools and settings.mask in book.schools["mask"].choices:
        plan = replace(plan, schools={"mask": settings.mask})
    elsewhere = shared_schools(db, job, instruments.get(db, job.instrument_id))
    return sound(replace(plan, schools={**plan.schools, **elsewhere}), book)


def _notched(db: Connection, job: jobs.Job) -> bool:
    """Whether a tang of this job's refret needs a notch: a step of its own stands on the sheet for it."""
    return bool(notches_in(db, job, instruments.get(db, job.instrument_id)))


def tool_states(db: Connection, now: datetime, book: Catalogue) -> list[ToolState]:
    """Every tool with what it has worked since it was seen to."""
    found = tools.tools(db)
    if not found:
        return []
    oldest = (now - timedelta(days=TOOLS_DAYS)).isoformat()
    since = min(tool.since or oldest for tool in found)
    return states(found, book.operations, tools.worked_since(db, since))


@kept
def sheet_of(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> JobSheet:
    """The job's sheet with what is recorded of it."""
    book, _ = catalogue(db)
    plan, happened = plan_for(db, settings, job, book), sheets.events(db, job.id)
    proved = proved_steps(db, settings, job, instrument, book)
    sheet = job_sheet(book, plan, job_facts(db, job, instrument), happened, sorted(proved))
    return JobSheet(plan, sheet, records(happened), frozenset(proved), extent_of(db, job, instrument, plan.route))


def sheet_state(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    job: jobs.Job,
    instrument: instruments.Instrument,
    worn: list[ToolState],
) -> SheetState:
    """The sheet as it stands; `worn` are the tools as they are."""
    found, (book, _) = sheet_of(db, settings, job, instrument), catalogue(db)
    operations = [step.operation for step in found.sheet.steps]
    own, minutes = step_times(operations, whole_samples(db, book), found.extent, instrument.spec.kind, found.plan, worn)
    running = tuple(timers(book.operations, found.known, now, bench_warmth(db)))
    return SheetState(found, running, minutes, own)
