"""Today: what to pick up, what frees up, which readings are due, which tools and pots need attention."""

from collections.abc import Callable, Mapping, Sequence
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
from deft_bench.store.kept import kept

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


Say = Callable[[Connection, ShopSettings, jobs.Job, instruments.Instrument, NextStep], str]
"""Says a step in full."""


def today(db: Connection, settings: ShopSettings, now: datetime, most: int, say: Say = called) -> Today:
    """Open jobs, `most` of them in full, in the order of the plan; what it leaves out after it, by promise. `say` says
    the step of the first.
    """
    opened = jobs.in_bench_order(db, MOST_JOBS + 1)
    week, (book, _) = week_now(db, now), catalogue(db)
    first: dict[str, Placed] = {}
    for placed in sorted(week.saved.placed, key=lambda step: step.start) if week else ():
        first.setdefault(placed.job, placed)
    opened.sort(key=lambda job: first[str(job.id)].start.timestamp() if str(job.id) in first else float("inf"))
    theirs = instruments.of_ids(db, {job.instrument_id for job in opened})
    known = {job_id: records(events) for job_id, events in sheets.events_of(db, [job.id for job in opened]).items()}
    due = [
        _due(
            db,
            settings,
            now,
            job,
            theirs[job.instrument_id],
            known[job.id],
            week,
            first.get(str(job.id)),
            book,
            say=say if place == 0 else None,
        )
        for place, job in enumerate(opened[:most])
    ]
    names = {str(job.id): theirs[job.instrument_id].spec.name for job in opened}
    risks = week.saved.outcome["risks"] if week else ()
    return Today(
        due,
        len(opened) > most,
        _running(db, now, book, opened, names, known),
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
    instrument: instruments.Instrument,
    known: Mapping[str, StepRecord],
    week: Week | None,
    planned: Placed | None,
    book: Catalogue,
    *,
    say: Say | None,
) -> Due:
    step = next_step(db, settings, job, instrument)
    # the call itself, for the job to pick up; for every job it would cost a page's whole time
    said = say(db, settings, job, instrument, step) if say else step.say
    heights = latest(db, settings, instrument, "fret_heights")
    return Due(
        job,
        instrument,
        step,
        said,
        (date.fromisoformat(job.promised_on) - now.date()).days if job.promised_on else None,
        heights.figures.off_mm if heights else {},
        planned,
        book.operations[planned.step].title if planned and planned.step in book.operations else "",
        bool(planned and known.get(planned.step, StepRecord()).started_at),
        _why(job, week, now, nearest=say is not None),
    )


def _running(
    db: Connection,
    now: datetime,
    book: Catalogue,
    opened: Sequence[jobs.Job],
    names: Mapping[str, str],
    known: Mapping[int, Mapping[str, StepRecord]],
) -> list[Running]:
    """Cures, rests and open glue of all open jobs, what comes free first on top."""
    warmth = bench_warmth(db)
    running = [
        Running(job, names[str(job.id)], timer)
        for job in opened
        for timer in timers(book.operations, known[job.id], now, warmth)
    ]
    return sorted(running, key=lambda resting: resting.timer.ends_at)


def _readings_due(db: Connection, now: datetime, due: Sequence[Due]) -> list[ReadingDue]:
    """Readings that something waits for: the climate of the day, rods turned since they were read, after-surveys."""
    readings = []
    entered = shop.latest_climate(db)
    if entered is None or moment(entered[0]).date() < now.date():
        readings.append(ReadingDue("The bench’s climate, not entered today", "climate"))
    for due_job in due:
        name = due_job.instrument.spec.name
        if _rod_turned(db, due_job.instrument):
            readings.append(ReadingDue(f"{name}: relief, its rod was turned since", "neck", due_job))
        if due_job.next.code == "after":
            readings.append(ReadingDue(f"{name}: the survey after the work", due_job.next.place, due_job))
    return readings


@kept
def _rod_turned(db: Connection, instrument: instruments.Instrument) -> bool:
    """Whether the rod was turned since the relief was read."""
    turned = rod_turns.of_instrument(db, instrument.id)
    read = surveys.of_instrument(db, instrument.id, "straightness", 1)
    return bool(turned and (not read or turned[-1].at >= read[0].taken_at))


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
