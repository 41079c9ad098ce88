"""The bench as the schedule needs it: every open job with what is left on its sheet, the bench's hours, pins, and
what is on order.
"""

from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass
from datetime import date, datetime
from functools import partial

from dateutil import tz

from deft_bench.bench.sheet_state import JobSheet, bench_warmth, catalogue, sheet_of, sheet_state, tool_states
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import moment, stamp
from deft_bench.core.work.job_sheet import Event, Timer, records, timers
from deft_bench.core.work.schedule.bench import Bench, Job, Pin, Placed, Step
from deft_bench.core.work.schedule.from_sheet import Awaited, steps_left
from deft_bench.core.work.schedule.grid import ScheduleError
from deft_bench.core.work.schedule.planning import Planned, plan_bench
from deft_bench.core.work.schedule.risks import change_words
from deft_bench.store import instruments, jobs, schedules, sheets, stock
from deft_bench.store.database import Connection, transaction

MOST_JOBS = 60
FIRST_PLAN_S = 8.0
"""A first plan may take longer than one that somebody waits for."""


@dataclass(frozen=True, slots=True)
class OnBench:
    """An open job with its instrument and its sheet."""

    job: jobs.Job
    instrument: instruments.Instrument
    sheet: JobSheet

    @property
    def name(self) -> str:
        """The instrument's name."""
        return self.instrument.spec.name


@dataclass(frozen=True, slots=True)
class WorkLeft:
    """What is left of an open job, as the schedule takes it from now."""

    on: OnBench
    steps: tuple[Step, ...]


def on_bench(db: Connection, settings: ShopSettings, limit: int = MOST_JOBS) -> list[OnBench]:
    """Every open job in bench order with its sheet."""
    opened = [job for job in jobs.in_bench_order(db, limit) if job.kind != "inspection"]
    theirs = instruments.of_ids(db, {job.instrument_id for job in opened})
    return [
        OnBench(job, theirs[job.instrument_id], sheet_of(db, settings, job, theirs[job.instrument_id]))
        for job in opened
    ]


def work_left(db: Connection, settings: ShopSettings, now: datetime) -> list[WorkLeft]:
    """Every open job in bench order with the steps that are left of its sheet."""
    book, _ = catalogue(db)
    warmth, ordered, worn = bench_warmth(db), stock.orders(db), tool_states(db, now, book)
    work = []
    for on in on_bench(db, settings):
        state = sheet_state(db, settings, now, on.job, on.instrument, worn)
        sheet = on.sheet.sheet
        running = {
            code: (now - moment(one.started_at)).total_seconds() / 60
            for code, one in on.sheet.known.items()
            if one.started_at is not None and not one.done
        }
        parts = [
            Awaited(order.what, date.fromisoformat(order.due_on), order.step)
            for order in ordered
            if order.job_id == on.job.id
        ]
        steps = steps_left(
            sheet,
            state.minutes,
            {step.operation.code: step.operation.ready_after(warmth) for step in sheet.steps},
            resting={timer.step: timer.ends_at for timer in state.running if timer.kind == "rests"},
            running=running,
            parts=parts,
            zone=tz.tzlocal(),
            done=sorted(on.sheet.behind),
        )
        work.append(WorkLeft(on, steps))
    return work


def bench_of(db: Connection, now: datetime, found: Sequence[WorkLeft], pins: Sequence[Pin] | None = None) -> Bench:
    """The bench as it is now, with the pins in force or others that are tried."""
    hours, latest = schedules.hours(db), schedules.latest(db)
    left = {(str(work.on.job.id), step.code) for work in found for step in work.steps}
    if pins is None:
        pins = pins_in_force(db)
    return Bench(
        now,
        tz.tzlocal(),
        hours.technicians,
        tuple(
            Job(
                str(work.on.job.id),
                work.on.name,
                work.steps,
                date.fromisoformat(work.on.job.promised_on) if work.on.job.promised_on else None,
                work.on.job.weight,
            )
            for work in found
            if work.steps
        ),
        hours.fixtures,
        hours.dry,
        tuple(pin for pin in pins if (pin.job, pin.step) in left),
        tuple(placed for placed in latest.placed if placed.start > now) if latest else (),
    )


def pins_in_force(db: Connection) -> list[Pin]:
    """Every pin of an open job."""
    return [Pin(str(pin.job_id), pin.step, moment(pin.at), pin.technician) for pin in schedules.pins(db)]


Plan = Callable[[Bench, float], Planned]
"""Plans a bench within some seconds, here or elsewhere."""


def plan_from_now(
    db: Connection, settings: ShopSettings, now: datetime, seconds: float, plan: Plan = plan_bench
) -> Planned:
    """Plan the bench from now, for so long, and put that in force; raises ScheduleError when nobody has hours."""
    planned = plan(bench_of(db, now, work_left(db, settings, now)), seconds)
    save(db, now, planned, seconds)
    return planned


@dataclass(frozen=True, slots=True)
class PinTried:
    """A pin as it was tried: why it cannot be kept (empty: it can, and is kept now), or what it costs."""

    refused: str
    cost: str


def try_pin(
    db: Connection, now: datetime, found: Sequence[WorkLeft], wanted: Pin, seconds: float, plan: Plan = plan_bench
) -> PinTried:
    """Plan with a step pinned and without, for so long together, and keep the pin where it can be kept."""
    others = [pin for pin in pins_in_force(db) if (pin.job, pin.step) != (wanted.job, wanted.step)]
    try:
        free = plan(bench_of(db, now, found, others), seconds / 2)
        planned = plan(bench_of(db, now, found, [*others, wanted]), seconds / 2)
    except ScheduleError as error:
        return PinTried(str(error), "")
    refused = next((trouble.why for trouble in planned.troubles if trouble.where.startswith("pins[")), "")
    cost = change_words(planned.bench, free.found, planned.found)
    if not refused:
        with transaction(db):
            schedules.pin(db, int(wanted.job), wanted.step, wanted.at.isoformat(), wanted.technician, cost, stamp(now))
            save(db, now, planned, seconds)
    return PinTried(refused, cost)


def save(db: Connection, now: datetime, planned: Planned, seconds: float) -> None:
    """Put a schedule in force."""
    outcome = {
        "aims": [asdict(aim) for aim in planned.found.aims],
        "finish": {code: at.isoformat() for code, at in planned.found.finish.items()},
        "days_late": dict(planned.found.days_late),
        "risks": [asdict(risk) for risk in planned.risks],
        "troubles": [asdict(trouble) for trouble in planned.troubles],
        "seconds": seconds,
    }
    schedules.save(db, stamp(now), schedules.key(db), planned.found.placed, outcome)


@dataclass(frozen=True, slots=True)
class Week:
    """The schedule in force with how it stands: `stale` when something it was made from has changed, `slipped` steps
    whose time has gone by.
    """

    saved: schedules.SavedSchedule
    stale: bool
    slipped: tuple[Placed, ...]
    opened: Mapping[str, jobs.Job]

    def ahead(self, now: datetime) -> list[Placed]:
        """Steps that are not over, in order."""
        return [
            step
            for step in self.saved.placed
            if step.job in self.opened and step not in self.slipped and step.end > now
        ]


def week_now(db: Connection, now: datetime) -> Week | None:
    """The schedule in force; None when the bench was never planned."""
    saved = schedules.latest(db)
    if saved is None:
        return None
    opened = {str(job.id): job for job in jobs.in_bench_order(db, MOST_JOBS)}
    happened = sheets.events_of(db, [job.id for job in opened.values()])
    behind = {code: steps_behind(happened[job.id]) for code, job in opened.items()}
    still = tuple(step for step in saved.placed if step.job in opened and step.step not in behind.get(step.job, ()))
    slipped = tuple(step for step in still if step.end <= now)
    return Week(
        schedules.SavedSchedule(saved.made_at, saved.key, still, saved.outcome),
        saved.key != schedules.key(db),
        slipped,
        opened,
    )


@dataclass(frozen=True, slots=True)
class PromiseLine:
    """One open job beside the rails: its promise, its end by the schedule, and what is at risk."""

    job: jobs.Job
    name: str
    finish: datetime | None
    days_late: int
    say: str
    alone: bool
    unplanned: str


def promise_lines(week: Week, names: Mapping[str, str]) -> list[PromiseLine]:
    """A line for every open job that is no inspection; `names` are the instruments', by job."""
    outcome = week.saved.outcome
    said = {risk["job"]: risk for risk in outcome["risks"]}
    out = {trouble["job"] for trouble in outcome["troubles"]}
    return [
        PromiseLine(
            job,
            names[code],
            datetime.fromisoformat(outcome["finish"][code]) if code in outcome["finish"] else None,
            outcome["days_late"].get(code, 0),
            said[code]["say"] if code in said else "",
            code in said and said[code]["alone"],
            "left out" if code in out else "not planned yet" if week.stale else "every step is behind",
        )
        for code, job in week.opened.items()
        if job.kind != "inspection"
    ]


def resting_now(db: Connection, now: datetime, opened: Mapping[str, jobs.Job]) -> list[tuple[str, Timer]]:
    """What is done and still cures or rests, by job."""
    book, _ = catalogue(db)
    warmth, happened = bench_warmth(db), sheets.events_of(db, [job.id for job in opened.values()])
    return [
        (code, timer)
        for code, job in opened.items()
        for timer in timers(book.operations, records(happened[job.id]), now, warmth)
        if timer.kind == "rests"
    ]


def pin_wanted(found: Sequence[WorkLeft], wanted: Pin, now: datetime) -> None:
    """Raise ScheduleError for a pin on a step that is not left to do, or on a moment that is over."""
    left = {(str(work.on.job.id), step.code) for work in found for step in work.steps}
    if (wanted.job, wanted.step) not in left:
        raise ScheduleError("pins", "that step is not left to do")
    if wanted.at < now:
        raise ScheduleError("pins", "that moment is over")


def steps_behind(happened: Sequence[Event]) -> set[str]:
    """Steps of a job that its events show as done."""
    return {code for code, one in records(happened).items() if one.done}


def plan_first(db: Connection, settings: ShopSettings, now: datetime, seconds: float = FIRST_PLAN_S) -> None:
    """Plan a bench that was never planned, the same on any machine: the demo's schedule is there when it is first
    opened.
    """
    with suppress(ScheduleError):
        if schedules.latest(db) is None:
            plan_from_now(db, settings, now, seconds, partial(plan_bench, by_work=True))
