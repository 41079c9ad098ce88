"""A stored survey with its readings and figures, as the screens show it."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

from deft_bench.bench.likely import evidence_of, likely, telling_surveys
from deft_bench.core.acts import MOVES_HEIGHTS, ActKind, moved_since
from deft_bench.core.acts import Act as DoneAct
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.doubts import Doubt, doubts
from deft_bench.core.evidence.judged import CERTAIN, COVERED, ENOUGH_COVERED, covered_share
from deft_bench.core.evidence.kinds import Act, Heights, still_holding
from deft_bench.core.frets.level_gate import LevelGate, level_gate
from deft_bench.core.level_job import Facts
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey import cursor_places, heights_from, places
from deft_bench.core.survey_figures import Figures, figures
from deft_bench.core.survey_kinds import FLAT_UM, Place
from deft_bench.store import acts, instruments, jobs, surveys
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept


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


@kept
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
    return [survey for survey in telling_surveys(db, job) if survey.head.kind == "fret_heights"]


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
    band = gate.band_mm if gate else {}
    misses = gate.misses if gate else ()
    if rocked is not None and (gate is None or gate.coarse_mm is not None or last is None or last.id < rocked[0]):
        return LevelGate(rocked[1] and not misses, band, misses, {}, by_rocker=True)
    if gate is not None and (gate.passes or gate.misses):
        return gate
    return _gate_by_likely(db, settings, job, instrument, plan) or gate


def _gate_by_likely(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    plan: jobs.AcceptedPlan,
) -> LevelGate | None:
    """The gate by all that was read since, of any kind; None before anything but numbers was."""
    since = [one for one in telling_surveys(db, job) if one.taken_at >= (plan.done_at or "9999")]
    if all(one.head.kind == "fret_heights" for one in since) or any(planned_drops(plan) or []):
        return None
    found = likely(db, settings, job, instrument, as_it_lies=True)
    if found is None or found.judged.covered < COVERED:
        return None
    left = next(one for one in found.judged.compared.actions if one.do == "leave")
    return LevelGate(left.passes >= CERTAIN, {}, (), {}, chance=left.passes)


def _rocked_since(db: Connection, job: jobs.Job, plan: jobs.AcceptedPlan) -> tuple[int, bool] | None:
    """The latest rocker survey of a job since a plan was carried out in which every test was made, by its id, and
    whether nothing rocks; None without one.
    """
    for survey in reversed(surveys.of_job(db, job.id)):
        if survey.head.kind == "rocker" and survey.head.reach == 1 and survey.taken_at >= (plan.done_at or "9999"):
            values = surveys.values(db, survey.id)
            if all(values.get(place) is not None for place in places(survey.head, survey.frets)):
                return survey.id, all(um == FLAT_UM for um in values.values())
    return None


def shown_band(gate: LevelGate, after: SurveyResults) -> float:
    """How close to the planned shape the frets were seen to be, mm: never closer than the tool can tell."""
    return max([after.survey.head.resolution_um / 1000, *gate.band_mm.values()])


def moved_since_read(
    db: Connection, survey: surveys.Survey, kinds: frozenset[ActKind], done: Sequence[DoneAct] | None = None
) -> DoneAct | None:
    """What was done to the neck since a survey was read; None when it still holds or holds nothing. `done` are the
    acts where they are known.
    """
    read_at = surveys.read_from(db, survey.id)
    if read_at is None:
        return None
    return moved_since(acts.of_instrument(db, survey.instrument_id) if done is None else done, read_at, kinds)


def _furthest(db: Connection, job: jobs.Job) -> surveys.Survey | None:
    """The survey of the fret tops that a job goes by: the last heights, or one of another kind since that is read
    further.
    """
    every = surveys.of_job(db, job.id)
    heights = [survey for survey in every if survey.head.kind == "fret_heights"]
    others = [survey for survey in telling_surveys(db, job) if survey.head.kind != "fret_heights"]
    found = [*heights[-1:], *(one for one in others if not heights or one.id > heights[-1].id)]
    if not found:
        return None
    counts = surveys.counts(db, [one.id for one in found])
    return max(found, key=lambda one: counts[one.id] / _places_of(one))


def _places_of(survey: surveys.Survey) -> int:
    """How many places a survey of its kind has on the whole neck."""
    return len(cursor_places(replace(survey.head, at_frets=()), survey.frets))


def _tells_enough(db: Connection, job: jobs.Job, instrument: instruments.Instrument) -> bool:
    """Whether all that was read together, of more kinds than numbers, is enough for a call."""
    told = [one.evidence for one in evidence_of(db, job, instrument)]
    mixed = any(not isinstance(one, (Heights, Act)) for one in told)
    share = covered_share(instrument.spec.frets, still_holding(told, instrument.spec.frets))
    return share >= (ENOUGH_COVERED if mixed else COVERED)


@kept
def facts_of(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> Facts:
    """What has been recorded of a job, for its steps."""
    closed = job.closed_at is not None
    plan = jobs.last_plan(db, job.id)
    last = _furthest(db, job)
    if last is None:
        return Facts(closed=closed)
    done = plan is not None and plan.done_at is not None
    gate = gate_since(db, settings, job, instrument, plan) if plan and done and plan.level.kind == "level" else None
    by_rocker = gate is not None and (gate.by_rocker or gate.chance is not None)
    since = plan is not None and done and (last.id > plan.survey_id or by_rocker)
    moved = moved_since_read(db, last, MOVES_HEIGHTS)
    read, places_in_all = surveys.counts(db, [last.id])[last.id], _places_of(last)
    if read < places_in_all and _tells_enough(db, job, instrument):
        read = places_in_all
    return Facts(
        moved=moved.said if moved else "",
        surveyed=True,
        read=read,
        places=places_in_all,
        when="after" if by_rocker else last.head.when,
        plan_kind=plan.level.kind if plan else None,
        plan_done=done,
        surveyed_since=since,
        gate_passes=gate is not None and gate.passes,
        closed=closed,
    )
