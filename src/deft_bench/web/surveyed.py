"""A stored survey with its readings and figures, as the screens show it."""

from dataclasses import dataclass

from deft_bench.core.level_job import Facts
from deft_bench.core.survey import Place
from deft_bench.core.survey_figures import Figures, figures
from deft_bench.store import instruments, jobs, surveys
from deft_bench.web.support import db, rock_mm


@dataclass(frozen=True, slots=True)
class Surveyed:
    """One survey, its current values by place (micrometres) and what they come down to."""

    survey: surveys.Survey
    values: dict[Place, int | None]
    figures: Figures


def surveyed(
    survey: surveys.Survey, instrument: instruments.Instrument, drops_mm: list[float] | None = None
) -> Surveyed:
    """Read a survey's values and work out its figures."""
    values = surveys.values(db(), survey.id)
    found = figures(survey.head, values, survey.frets, instrument.spec.mean_scale_mm, drops_mm, rock_mm())
    return Surveyed(survey, values, found)


def latest(instrument: instruments.Instrument, kind: str) -> Surveyed | None:
    """The instrument's latest survey of a kind that holds any reading."""
    for survey in surveys.of_instrument(db(), instrument.id, kind, limit=3):
        found = surveyed(survey, instrument)
        if found.figures.read:
            return found
    return None


def planned_drops(plan: jobs.AcceptedPlan | None) -> list[float] | None:
    """The drop that a carried-out level plan asked for, by fret in mm."""
    if plan is None or plan.outcome["kind"] != "level":
        return None
    return [um / 1000 for um in plan.outcome["drops_um"]]


def facts_of(job: jobs.Job, instrument: instruments.Instrument) -> Facts:
    """What has been recorded of a job, for its steps."""
    from deft_bench.web.level.gate import after_gate

    heights = [survey for survey in surveys.of_job(db(), job.id) if survey.head.kind == "fret_heights"]
    plans = jobs.plans(db(), job.id)
    plan = plans[-1] if plans else None
    if not heights:
        return Facts(closed=job.closed_at is not None)
    last = heights[-1]
    count = surveys.counts(db(), [last.id])[last.id]
    since = plan is not None and plan.done_at is not None and last.id > plan.survey_id and last.taken_at >= plan.done_at
    gate = None
    if since and plan is not None and plan.outcome["kind"] == "level":
        gate = after_gate(plan, surveyed(last, instrument))
    return Facts(
        surveyed=count > 0,
        read=count,
        places=3 * last.frets,
        stage=last.head.stage,
        plan_kind=plan.outcome["kind"]
        if plan and (plan.done_at is None or since or last.id == plan.survey_id)
        else None,
        plan_done=plan is not None and plan.done_at is not None,
        surveyed_since=since,
        gate_passes=gate is not None and gate.passes,
        closed=job.closed_at is not None,
    )
