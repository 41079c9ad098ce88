"""How far a refret has come, read from its plan and surveys."""

from collections.abc import Mapping, Sequence

from deft_bench.bench.survey_results import questioned, survey_results
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.frets.cut_list import CutList, CutListError, cut_list
from deft_bench.core.frets.notch import Notch
from deft_bench.core.frets.wire import wire_call
from deft_bench.core.refret import (
    RefretFacts,
    RefretPlan,
    depth_gate,
    ends_ready,
    notches_of,
    seat_gate,
    starting_refret,
)
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey_kinds import Place
from deft_bench.store import boards, instruments, jobs, refrets, surveys
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept

DEFAULT_PIECE_UM = 610_000
DEFAULT_PIECES = 12


def refret_plan(db: Connection, job: jobs.Job, instrument: instruments.Instrument) -> tuple[RefretPlan, bool]:
    """The refret as saved, or the starting one; and whether it was saved."""
    saved = refrets.PLANS.last(db, job.id)
    if saved is not None:
        return saved, True
    board = boards.plan_of(db, instrument.id, instrument.spec)
    return starting_refret(instrument.spec, board.kerf_um, board.under_tang_gap_um, board.tang_width_um), False


def latest_values(db: Connection, job: jobs.Job, kind: str) -> tuple[surveys.Survey, Mapping[Place, int | None]] | None:
    """The job's latest survey of a kind that holds a reading, and its values."""
    for survey in reversed(surveys.of_job(db, job.id)):
        if survey.head.kind == kind:
            values = surveys.values(db, survey.id)
            if values:
                return survey, values
    return None


@kept
def refret_facts(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> RefretFacts:
    """What has been recorded of a refret, for its steps and its sentence."""
    plan, saved = refret_plan(db, job, instrument)
    fit, _ = wire_call(
        plan.slot_um / 1000,
        plan.tang_width_um / 1000,
        plan.barb_width_um / 1000,
        plan.wire_radius_um / 1000,
        tightest_radius(instrument),
    )
    depth, seat = latest_values(db, job, "slot_depth"), latest_values(db, job, "seating")
    fitted = refrets.fitted(db, job.id)
    before, after = bows(db, settings, job, instrument)
    return RefretFacts(
        saved=saved,
        fit=fit.fit,
        overbend_ok=fit.overbend_ok,
        has_nibs=plan.nibs != "none",
        nibs_said=plan.nibs_said,
        depth=depth_gate(depth[1], plan, instrument.spec) if depth else None,
        notches=notches_in(db, job, instrument, plan),
        cut=len(set(plan.cut) & set(plan.frets)),
        frets=len(plan.frets),
        fitted=bool(fitted),
        seat=seat_gate(seat[1], plan.frets) if seat else None,
        bow_before_mm=before,
        bow_after_mm=after,
        ends_done=ends_ready(plan.ends_done),
        closed=job.closed_at is not None,
        questioned=tuple(f"{odd.where}, {odd.why}" for odd in questioned(db, settings, depth[0])) if depth else (),
    )


def notches_in(
    db: Connection, job: jobs.Job, instrument: instruments.Instrument, plan: RefretPlan | None = None
) -> tuple[Notch, ...]:
    """The notches that the tangs of a job's refret need, by the slot depths as read; of its saved plan, or of one that
    is tried.
    """
    wanted = plan or refrets.PLANS.last(db, job.id)
    if wanted is None or not wanted.obstructions:
        return ()
    depth = latest_values(db, job, "slot_depth")
    return notches_of(wanted, instrument.spec, depth[1] if depth else {})


def bows(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> tuple[float | None, float | None]:
    """Relief in mm as last read before the work and as last read since; None where there is none."""
    found: dict[bool, float] = {}
    for survey in surveys.of_job(db, job.id):
        if survey.head.kind == "straightness":
            straight = survey_results(db, settings, survey, instrument).figures.straight
            if straight is not None:
                found[survey.head.when == "before"] = straight.relief_mm
    return found.get(True), found.get(False)


def tightest_radius(instrument: instruments.Instrument) -> float | None:
    """The board's smallest radius in mm, which the wire must be bent inside of; None when flat."""
    spec = instrument.spec
    if spec.nut_radius_um is None or spec.end_radius_um is None:
        return None
    return min(spec.nut_radius_um, spec.end_radius_um) / 1000


def daylight_of(db: Connection, job: jobs.Job) -> tuple[dict[int, float], bool]:
    """Daylight that the job's seating survey found, by fret in mm, and whether every place was read and is home."""
    found = latest_values(db, job, "seating")
    if found is None:
        return {}, False
    survey, values = found
    plan = refrets.PLANS.last(db, job.id)
    gate = seat_gate(values, plan.frets if plan else range(1, survey.frets + 1))
    return dict(gate.daylight), gate.passes


def seated_with(db: Connection, settings: ShopSettings, job: jobs.Job) -> str:
    """How the frets were seated, in words for a call; empty when nothing is recorded."""
    plan = refrets.PLANS.last(db, job.id)
    if plan is None or not plan.tool:
        return ""
    spring = f", {settings.display.fine(plan.spring_back_um)} of spring-back" if plan.spring_back_um else ""
    support = f", on {plan.support}" if plan.support else ""
    return f"{plan.tool}{support}{spring}"


def cutting_of(
    db: Connection,
    instrument: instruments.Instrument,
    plan: RefretPlan,
    pieces_um: Sequence[int] | None = None,
    board: BoardPlan | None = None,
) -> tuple[CutList | None, str]:
    """The cut list from the pieces on hand (the plan's own, or others), or from whole pieces of the usual length
    when none are named; `board` is its board's plan where that is known already.
    """
    slots = [line.length_mm for line in instrument.spec.lines()[1:]]
    bound = instrument.spec.bound
    board = board or (boards.plan_of(db, instrument.id, instrument.spec) if bound else None)
    binding = board.binding_um / 1000 if board is not None and bound else 0.0
    pieces = [um / 1000 for um in (plan.pieces_um if pieces_um is None else pieces_um)]
    if not pieces and pieces_um is None:
        pieces = [DEFAULT_PIECE_UM / 1000] * DEFAULT_PIECES
    try:
        return (
            cut_list(
                slots, plan.frets, plan.overhang_um / 1000, binding, plan.setback_um / 1000, pieces, plan.saw_um / 1000
            ),
            "",
        )
    except CutListError as error:
        return None, f"{str(error)[:1].upper()}{str(error)[1:]}."
