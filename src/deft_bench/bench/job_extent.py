"""How much of the instrument a job goes over, and how long its steps took before, compared on the whole of it."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from deft_bench.core.work.catalogue import Catalogue, Operation
from deft_bench.core.work.extent import Extent, whole
from deft_bench.core.work.job_sheet import Learned, Sample, SheetPlan, learned, minutes_of, share_of_whole
from deft_bench.core.work.own_materials import own_materials
from deft_bench.core.work.run_sheet import instrument_facts
from deft_bench.core.work.tools import ToolState, state_for
from deft_bench.store import boards, instruments, jobs, refrets, setups, sheets
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept, kept_of_all

WHOLE_ROUTE, SPOT_ROUTE, PARTIAL_ROUTE = "refret", "spot_level", "partial_refret"


@kept
def extent_of(db: Connection, job: jobs.Job, instrument: instruments.Instrument, route: str) -> Extent:
    """What a job on a route goes over: a partial refret the frets that its plan replaces, a spot-level those that its
    plan takes metal off (one, before there is a plan), another all of them.
    """
    spec = instrument.spec
    board = boards.plan_of(db, instrument.id, spec)
    extent = whole(
        spec.frets,
        spec.strings,
        board.inlay_frets,
        blocks=board.inlay_style == "blocks",
        inlaid=board.inlay_style != "none",
    )
    extent = replace(extent, own=own_materials(setups.plan_of(db, instrument.id, spec), spec))
    accepted = jobs.last_plan(db, job.id)
    levelled = tuple(sorted(accepted.level.metal_taken())) if accepted else ()
    if route == SPOT_ROUTE:
        return replace(extent, named=levelled)
    wanted = refrets.PLANS.last(db, job.id)
    if wanted is not None:
        named = wanted.frets
    else:
        named = accepted.level.frets if accepted and accepted.level.kind == "refret" else ()
    partial = route == PARTIAL_ROUTE or (job.kind == "refret" and route != WHOLE_ROUTE)
    if partial and 0 < len(named) < spec.frets:
        return replace(extent, named=named, levelled=levelled)
    return extent


def job_facts(db: Connection, job: jobs.Job, instrument: instruments.Instrument) -> dict[str, str]:
    """What rules and routes ask about a job's instrument, and whether its refret brings taller wire."""
    wanted = refrets.PLANS.last(db, job.id)
    # once the frets are in, their wire is the instrument's: what counts is what it had before
    before = refrets.spec_before_fit(db, job.id, instrument.id) or instrument.spec
    taller = wanted is not None and wanted.fret_height_um > before.fret_height_um
    return instrument_facts(instrument.spec) | {"taller_wire": "yes" if taller else "no"}


@kept_of_all
def whole_samples(db: Connection, book: Catalogue) -> dict[str, list[Sample]]:
    """How long each operation took, each time as it would have been over the whole instrument."""
    taken = sheets.samples(db, list(book.operations))
    extents: dict[int, Extent] = {}
    for operation in book.operations.values():
        if operation.counts in ("named", "touched"):
            taken[operation.code] = [_on_the_whole(db, operation, one, extents) for one in taken[operation.code]]
    return taken


def _on_the_whole(db: Connection, operation: Operation, sample: Sample, extents: dict[int, Extent]) -> Sample:
    if sample.job_id not in extents:
        job = jobs.get(db, sample.job_id)
        route = sheets.plan_of(db, job.id, job.kind).route
        extents[job.id] = extent_of(db, job, instruments.get(db, job.instrument_id), route)
    return replace(sample, minutes=sample.minutes / share_of_whole(operation, extents[sample.job_id]))


def step_times(
    operations: Sequence[Operation],
    samples: Mapping[str, Sequence[Sample]],
    extent: Extent,
    kind: str,
    plan: SheetPlan,
    worn: Sequence[ToolState],
) -> tuple[dict[str, Learned | None], dict[str, float]]:
    """The shop's own time of each operation over this much of an instrument of a kind (None with too few samples over
    whole ones), and the minutes that each is taken to last.
    """
    own: dict[str, Learned | None] = {}
    minutes = {}
    for operation in operations:
        taught = learned(samples[operation.code], kind, plan.schools)
        own[operation.code] = taught.times(share_of_whole(operation, extent)) if taught else None
        tool = state_for(operation, worn)
        minutes[operation.code] = minutes_of(operation, extent, plan.hardness, own[operation.code], tool)
    return own, minutes
