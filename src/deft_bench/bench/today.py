"""Today: what to pick up, what frees up, which readings are due, which tools and pots need attention."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from deft_bench.bench.next_step import NextStep, called, next_step
from deft_bench.bench.scheduling import MOST_JOBS, Week, week_now
from deft_bench.bench.sheet_state import bench_warmth, catalogue, tool_states
from deft_bench.bench.stock_outlook import Pot, pots
from deft_bench.bench.survey_results import latest
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import day_words, moment
from deft_bench.core.work.catalogue import Catalogue
from deft_bench.core.work.job_sheet import StepRecord, Timer, records, timers
from deft_bench.core.work.schedule.bench import Placed
from deft_bench.core.work.tools import ToolState
from deft_bench.store import instruments, jobs, rod_turns, sheets, shop, surveys
from deft_bench.store.database import Connection

OffMm = Mapping[str, Sequence[float | None]]
"""By lane: how far each fret stands off its line as last surveyed, mm."""


@dataclass(frozen=True, slots=True)
class Due:
    """One open job: what to do next in it, how many days its promise leaves (None without one), and its place in the
    plan.
    """

    job: jobs.Job
    instrument: instruments.Instrument
    next: NextStep
    say: str
    days: int | None
    off_mm: OffMm
    planned: Placed | None
    step_title: str
    started: bool
    why: str


@dataclass(frozen=True, slots=True)
class Running:
    """Something on the bench that runs by itself, and whose it is."""

    job: jobs.Job
    name: str
    timer: Timer


@dataclass(frozen=True, slots=True)
class ReadingDue:
    """A reading that something waits for; `place` is where it is taken, `due` whose it is (None: the bench's)."""

    words: str
    place: str
    due: Due | None = None


@dataclass(frozen=True, slots=True)
class Today:
    """All of it; `risks` are promises that the plan misses, with the instrument's name."""

    due: list[Due]
    more: bool
    running: list[Running]
    readings: list[ReadingDue]
    tools: list[ToolState]
    pots: list[Pot]
    risks: list[tuple[str, Mapping[str, object]]]
    week: Week | None


def today(db: Connection, settings: ShopSettings, now: datetime, most: int) -> Today:
    """Open jobs, `most` of them in full, in the order of the plan; what it leaves out after it, by promise."""
    opened = jobs.in_bench_order(db, MOST_JOBS + 1)
    week, (book, _) = week_now(db, now), catalogue(db)
    first: dict[str, Placed] = {}
    for placed in sorted(week.saved.placed, key=lambda step: step.start) if week else ():
        first.setdefault(placed.job, placed)
    opened.sort(key=lambda job: first[str(job.id)].start.timestamp() if str(job.id) in first else float("inf"))
    due = [
        _due(db, settings, now, job, week, first.get(str(job.id)), book, to_pick_up=place == 0)
        for place, job in enumerate(opened[:most])
    ]
    names = {str(job.id): instruments.get(db, job.instrument_id).spec.name for job in opened}
    risks = week.saved.outcome["risks"] if week else ()
    return Today(
        due,
        len(opened) > most,
        _running(db, now, book, opened, names),
        _readings_due(db, now, due),
        [tool for tool in tool_states(db, now, book) if tool.near],
        [pot for pot in pots(db, now) if pot.aging and pot.aging.over],
        [(names[risk["job"]], risk) for risk in risks if risk["job"] in names and risk["days"]],
        week,
    )


def _due(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    job: jobs.Job,
    week: Week | None,
    planned: Placed | None,
    book: Catalogue,
    *,
    to_pick_up: bool,
) -> Due:
    instrument = instruments.get(db, job.instrument_id)
    step = next_step(db, settings, job, instrument)
    # the call itself, for the job to pick up; for every job it would cost a page's whole time
    say = called(db, settings, job, instrument, step) if to_pick_up else step.say
    heights = latest(db, settings, instrument, "fret_heights")
    return Due(
        job,
        instrument,
        step,
        say,
        (date.fromisoformat(job.promised_on) - now.date()).days if job.promised_on else None,
        heights.figures.off_mm if heights else {},
        planned,
        book.operations[planned.step].title if planned and planned.step in book.operations else "",
        bool(planned and records(sheets.events(db, job.id)).get(planned.step, StepRecord()).started_at),
        _why(job, week, now, nearest=to_pick_up),
    )


def _running(
    db: Connection, now: datetime, book: Catalogue, opened: Sequence[jobs.Job], names: Mapping[str, str]
) -> list[Running]:
    """Cures, rests and open glue of all open jobs, what comes free first on top."""
    warmth = bench_warmth(db)
    running = [
        Running(job, names[str(job.id)], timer)
        for job in opened
        for timer in timers(book.operations, records(sheets.events(db, job.id)), now, warmth)
    ]
    return sorted(running, key=lambda resting: resting.timer.ends_at)


def _readings_due(db: Connection, now: datetime, due: Sequence[Due]) -> list[ReadingDue]:
    """Readings that something waits for: the climate of the day, rods turned since they were read, after-surveys."""
    readings = []
    entered = shop.latest_climate(db)
    if entered is None or moment(entered[0]).date() < now.date():
        readings.append(ReadingDue("The bench’s climate, not entered today", "climate"))
    for due_job in due:
        turned = rod_turns.of_instrument(db, due_job.instrument.id)
        read = surveys.of_instrument(db, due_job.instrument.id, "straightness", 1)
        name = due_job.instrument.spec.name
        if turned and (not read or turned[-1].at >= read[0].taken_at):
            readings.append(ReadingDue(f"{name}: relief, its rod was turned since", "neck", due_job))
        if due_job.next.code == "after":
            readings.append(ReadingDue(f"{name}: the survey after the work", due_job.next.place, due_job))
    return readings


def _why(job: jobs.Job, week: Week | None, now: datetime, *, nearest: bool) -> str:
    """Why a job has its place."""
    if week is None:
        return "It has the nearest promise of the open jobs." if job.promised_on and nearest else ""
    code = str(job.id)
    risk = next((risk for risk in week.saved.outcome["risks"] if risk["job"] == code), None)
    if risk is not None and risk["days"]:
        return f"By the plan it is {risk['days']} day{'s' if risk['days'] > 1 else ''} late: {risk['say']}."
    if risk is not None:
        return "By the plan it is ready on the promised day, with none to spare."
    finish = week.saved.outcome["finish"].get(code)
    if finish is None or not job.promised_on:
        return ""
    ready = datetime.fromisoformat(finish).date()
    spare = (date.fromisoformat(job.promised_on) - ready).days
    days = f"{spare} day{'s' if spare != 1 else ''}"
    return f"By the plan it is ready {day_words(ready, now.year)}, {days} before its promise."
