"""A stored survey with its readings and figures, as the screens show it."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.acts import MOVES_HEIGHTS, Act, ActKind, moved_since
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.doubts import Doubt, doubts
from deft_bench.core.frets.level_gate import LevelGate, level_gate
from deft_bench.core.level_job import Facts
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey import heights_from, places
from deft_bench.core.survey_figures import Figures, figures
from deft_bench.core.survey_kinds import FLAT_UM, Place
from deft_bench.store import acts, instruments, jobs, surveys
from deft_bench.store.database import Connection


@dataclass(frozen=True, slots=True)
class SurveyResults:
    """One survey, its current values by place (micrometres) and what they come down to."""

    survey: surveys.Survey
    values: dict[Place, int | None]
    figures: Figures


def survey_results(
    db: Connection,
    settings: ShopSettings,
    survey: surveys.Survey,
    instrument: instruments.Instrument,
    drops_mm: list[float] | None = None,
    *,
    brief: bool = False,
) -> SurveyResults:
    """Read a survey's values and work out its figures, for a list only the brief ones."""
    values = surveys.values(db, survey.id)
    found = figures(
        survey.head,
        values,
        instrument.spec.positions_mm(survey.frets),
        drops_mm,
        settings.rock_mm,
        brief=brief,
        joint_fret=instrument.spec.joint_fret,
    )
    return SurveyResults(survey, values, found)


def questioned(db: Connection, settings: ShopSettings, survey: surveys.Survey) -> list[Doubt]:
    """The readings of a survey that can hardly be."""
    return doubts(survey.head, surveys.values(db, survey.id), settings.display.fine_mm)


def latest(
    db: Connection, settings: ShopSettings, instrument: instruments.Instrument, kind: str
) -> SurveyResults | None:
    """The instrument's latest survey of a kind that holds any reading, with its brief figures."""
    for survey in surveys.of_instrument(db, instrument.id, kind, limit=3):
        found = survey_results(db, settings, survey, instrument, brief=True)
        if found.figures.read:
            return found
    return None


def height_surveys(db: Connection, job: jobs.Job) -> list[surveys.Survey]:
    """The job's fret-height surveys that hold a reading, oldest first."""
    found = [survey for survey in surveys.of_job(db, job.id) if survey.head.kind == "fret_heights"]
    counts = surveys.counts(db, [survey.id for survey in found])
    return [survey for survey in found if counts[survey.id]]


def planned_drops(plan: jobs.AcceptedPlan | None) -> list[float] | None:
    """The drop that a carried-out level plan asked for, by fret in mm."""
    return plan.level.drops_mm if plan is not None and plan.level.kind == "level" else None


def after_gate(settings: ShopSettings, plan: jobs.AcceptedPlan, after: SurveyResults, divisions: int) -> LevelGate:
    """Judge a survey against the plan that was carried out before it, in every lane that was planned; `divisions` are
    the frets to the octave.
    """
    frets = after.survey.frets
    lanes = heights_from(after.values, after.survey.head.method, frets)
    wanted = {lane: lanes.get(lane, [None] * frets) for lane in plan.level.lanes}
    positions = fret_positions(plan.level.scale_um / 1000, frets, divisions)
    left_out = frozenset(plan.level.left_out)
    return level_gate(
        positions,
        wanted,
        planned_drops(plan) or [0.0] * frets,
        left_out,
        rock_mm=settings.rock_mm,
        resolution_mm=after.survey.head.resolution_um / 1000,
    )


def gate_since(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    plan: jobs.AcceptedPlan,
) -> LevelGate | None:
    """How what was read since a level plan was carried out judges it: its latest heights, or a rocker over every three
    frets that is later, or that tells what the gauge cannot. None before either.
    """
    last = next((survey for survey in reversed(height_surveys(db, job)) if survey.id > plan.survey_id), None)
    gate = None
    if last:
        after = survey_results(db, settings, last, instrument)
        gate = after_gate(settings, plan, after, instrument.spec.divisions)
    rocked = _rocked_since(db, job, plan)
    if rocked is None or (gate is not None and gate.coarse_mm is None and last is not None and last.id > rocked[0]):
        return gate
    band = gate.band_mm if gate else {}
    misses = gate.misses if gate else ()
    return LevelGate(rocked[1] and not misses, band, misses, {}, by_rocker=True)


def _rocked_since(db: Connection, job: jobs.Job, plan: jobs.AcceptedPlan) -> tuple[int, bool] | None:
    """The latest rocker survey of a job since a plan was carried out in which every test was made, by its id, and
    whether nothing rocks; None without one.
    """
    for survey in reversed(surveys.of_job(db, job.id)):
        if survey.head.kind == "rocker" and survey.taken_at >= (plan.done_at or "9999"):
            values = surveys.values(db, survey.id)
            if all(values.get(place) is not None for place in places(survey.head, survey.frets)):
                return survey.id, all(um == FLAT_UM for um in values.values())
    return None


def shown_band(gate: LevelGate, after: SurveyResults) -> float:
    """How close to the planned shape the frets were seen to be, mm: never closer than the tool can tell."""
    return max([after.survey.head.resolution_um / 1000, *gate.band_mm.values()])


def moved_since_read(
    db: Connection, survey: surveys.Survey, kinds: frozenset[ActKind], done: Sequence[Act] | None = None
) -> Act | None:
    """What was done to the neck since a survey was read; None when it still holds or holds nothing. `done` are the
    acts where they are known.
    """
    read_at = surveys.read_from(db, survey.id)
    if read_at is None:
        return None
    return moved_since(acts.of_instrument(db, survey.instrument_id) if done is None else done, read_at, kinds)


def facts_of(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> Facts:
    """What has been recorded of a job, for its steps."""
    closed = job.closed_at is not None
    heights = [survey for survey in surveys.of_job(db, job.id) if survey.head.kind == "fret_heights"]
    if not heights:
        return Facts(closed=closed)
    plan = jobs.last_plan(db, job.id)
    last = heights[-1]
    done = plan is not None and plan.done_at is not None
    gate = gate_since(db, settings, job, instrument, plan) if plan and done and plan.level.kind == "level" else None
    by_rocker = gate is not None and gate.by_rocker
    since = plan is not None and done and (last.id > plan.survey_id or by_rocker)
    moved = moved_since_read(db, last, MOVES_HEIGHTS)
    return Facts(
        moved=moved.said if moved else "",
        surveyed=True,
        read=surveys.counts(db, [last.id])[last.id],
        places=3 * last.frets,
        when="after" if by_rocker else last.head.when,
        plan_kind=plan.level.kind if plan else None,
        plan_done=done,
        surveyed_since=since,
        gate_passes=gate is not None and gate.passes,
        closed=closed,
    )
