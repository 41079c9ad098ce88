"""What a job came to: before and after by the same figures, its gate, its setup's report; an instrument's history."""

from dataclasses import dataclass, replace

from deft_bench.bench.setup.readings import readings_of, setup_facts
from deft_bench.bench.survey_results import SurveyResults, gate_since, planned_drops, shown_band, survey_results
from deft_bench.core.frets.level_gate import LevelGate
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.setup_job import left_as_it_is
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.core.strings.setup_report import SetupReport, relief_by_humidity, setup_report
from deft_bench.store import instruments, jobs, rod_turns, setups, surveys
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept


@dataclass(frozen=True, slots=True)
class BeforeAfter:
    """The fret heights that a job began and ended with, and what was read and done between.

    `after` is None until the heights were read twice; `gate` judges it by the plan that was carried out, `gate_mm` is
    its widest band.
    """

    before: SurveyResults | None
    after: SurveyResults | None
    bows: list[SurveyResults]
    done: list[jobs.AcceptedPlan]
    gate: LevelGate | None
    turns: list[rod_turns.RodTurn]

    @property
    def gate_mm(self) -> float:
        """The widest band that the gate allows or found, mm; 0 without one."""
        return shown_band(self.gate, self.after) if self.gate and self.after else 0.0


def before_and_after(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> BeforeAfter:
    """A job's heights before and after, its bows, its gate and the turns of the rod while it was open."""
    done = [plan for plan in jobs.plans(db, job.id) if plan.done_at]
    levelled = next((plan for plan in reversed(done) if plan.level.kind == "level"), None)
    read = [survey_results(db, settings, survey, instrument) for survey in surveys.of_job(db, job.id)]
    heights = [one for one in read if one.survey.head.kind == "fret_heights" and one.figures.read]
    after, gate = heights[-1] if len(heights) > 1 else None, None
    if levelled is not None and after is not None and after.survey.id > levelled.survey_id:
        after = survey_results(db, settings, after.survey, instrument, planned_drops(levelled))
    if levelled is not None:
        gate = gate_since(db, settings, job, instrument, levelled)
    return BeforeAfter(
        heights[0] if heights else None,
        after,
        [one for one in read if one.survey.head.kind == "straightness" and one.figures.straight],
        done,
        gate,
        _turns_of(db, job),
    )


def _turns_of(db: Connection, job: jobs.Job) -> list[rod_turns.RodTurn]:
    """Turns of the rod while a job was open."""
    return [
        turn
        for turn in rod_turns.of_instrument(db, job.instrument_id)
        if job.opened_at <= turn.at <= (job.closed_at or turn.at)
    ]


def report_of(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> SetupReport:
    """A setup's report: after is what was read since the setup was accepted."""
    found = list(reversed(surveys.of_job(db, job.id)))
    accepted = setups.last_accepted(db, job.id)
    since = accepted.accepted_at if accepted else "9999"
    before = readings_of(db, settings, instrument, [one for one in found if one.head.when == "before"]).found
    after = readings_of(db, settings, instrument, [one for one in found if one.taken_at >= since])
    humidity = next((one.head.humidity for one in found if one.head.humidity is not None), None)
    seasons = [
        (survey.head.humidity, straight.relief_mm)
        for survey in surveys.of_instrument(db, instrument.id, "straightness", 40)
        if survey.head.humidity is not None
        and survey.head.string_state == "tuned"
        and survey.job_id != job.id
        and (straight := survey_results(db, settings, survey, instrument).figures.straight) is not None
    ]
    plan = setups.plan_of(db, instrument.id, instrument.spec)
    target = accepted.target if accepted else None
    changes = relief_by_humidity(seasons)
    length = settings.display.fine_mm
    names = string_names(plan)
    report = setup_report(before, target, after.found, names, humidity, changes, length)
    left = left_as_it_is(setup_facts(db, settings, job, instrument), names, length)
    return replace(report, left=tuple(left))


@dataclass(frozen=True, slots=True)
class History:
    """An instrument's surveys, the latest first, with the same figures whenever in a job they were taken."""

    visits: list[SurveyResults]

    @property
    def heights(self) -> SurveyResults | None:
        """The latest fret heights of which anything is read."""
        return next((survey for survey in self._of("fret_heights") if survey.figures.read), None)

    @property
    def heights_read(self) -> list[surveys.Survey]:
        """Every survey of fret heights of which anything is read, the latest first."""
        return [one.survey for one in self._of("fret_heights") if one.figures.read]

    @property
    def bows(self) -> list[SurveyResults]:
        """Every bow that was found, the latest first."""
        return [survey for survey in self._of("straightness") if survey.figures.straight]

    def _of(self, kind: str) -> list[SurveyResults]:
        return [visit for visit in self.visits if visit.survey.head.kind == kind]


@kept
def history_of(
    db: Connection, settings: ShopSettings, instrument: instruments.Instrument, past: list[jobs.Job], limit: int
) -> History:
    """The latest `limit` surveys; those after the last plan that was carried out are judged by its planned shape."""
    last_done = next((plan for job in past for plan in reversed(jobs.plans(db, job.id)) if plan.done_at), None)
    visits = []
    for survey in surveys.of_instrument(db, instrument.id, limit=limit):
        drops = planned_drops(last_done) if last_done and survey.taken_at >= (last_done.done_at or "") else None
        visits.append(survey_results(db, settings, survey, instrument, drops))
    return History(visits)
