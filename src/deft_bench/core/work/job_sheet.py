"""A job's own run sheet: its route and schools, what was started, finished and noted, how long things take here, and
what is still curing.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from statistics import quantiles
from typing import Any

from deft_bench.core.times import moment
from deft_bench.core.work.catalogue import Catalogue, Operation
from deft_bench.core.work.extent import Extent
from deft_bench.core.work.run_sheet import RunSheet, RunSheetError, run_sheet

LEAST_SAMPLES = 3
SHORTEST_MIN, LONGEST_MIN = 0.2, 720.0
"""A time outside these is a forgotten key, not work."""

EVENTS = ("started", "finished", "reopened", "skipped", "note")
JOB_ROUTES = {"level_and_dress": "level_and_dress", "refret": "refret", "setup": "setup", "work": "nut"}
"""The route that a kind of job begins with."""


@dataclass(frozen=True, slots=True)
class SheetPlan:
    """What a job's sheet is made from; `added` are repairs put in, `hardness` the board's."""

    route: str
    schools: Mapping[str, str] = field(default_factory=dict)
    added: tuple[str, ...] = ()
    hardness: str = "medium"


def to_fields(plan: SheetPlan) -> dict[str, Any]:
    """A plan as it is stored."""
    return {"route": plan.route, "schools": dict(plan.schools), "added": list(plan.added), "hardness": plan.hardness}


def from_fields(stored: Mapping[str, Any]) -> SheetPlan:
    """A stored plan."""
    return SheetPlan(stored["route"], dict(stored["schools"]), tuple(stored["added"]), stored["hardness"])


def sound(plan: SheetPlan, catalogue: Catalogue) -> SheetPlan:
    """A stored plan made to fit the catalogue as it is now: what is no longer in it is left out."""
    schools = {
        code: choice
        for code, choice in plan.schools.items()
        if code in catalogue.schools and choice in catalogue.schools[code].choices
    }
    route = plan.route if plan.route in catalogue.routes else "setup"
    return SheetPlan(route, schools, tuple(code for code in plan.added if code in catalogue.operations), plan.hardness)


@dataclass(frozen=True, slots=True)
class Event:
    """One thing that happened to a step: started, finished, reopened, skipped, or a note; the time as stored."""

    step: str
    kind: str
    at: str
    note: str = ""


@dataclass(frozen=True, slots=True)
class StepRecord:
    """What the events say of one step. `minutes` is the active time of a step that was both started and finished."""

    started_at: str | None = None
    finished_at: str | None = None
    skipped: bool = False
    minutes: float | None = None
    note: str = ""
    notes: tuple[str, ...] = ()

    @property
    def done(self) -> bool:
        """Whether it is behind."""
        return self.finished_at is not None


def records(events: Sequence[Event]) -> dict[str, StepRecord]:
    """The state of every step that anything happened to, from its events in order."""
    by_code: dict[str, StepRecord] = {}
    for event in events:
        now = by_code.get(event.step, StepRecord())
        if event.kind == "started":
            now = StepRecord(started_at=event.at, notes=now.notes)
        elif event.kind in ("finished", "skipped"):
            taken = None
            if event.kind == "finished" and now.started_at is not None:
                spent = (moment(event.at) - moment(now.started_at)).total_seconds() / 60
                taken = spent if SHORTEST_MIN <= spent <= LONGEST_MIN else None
            now = StepRecord(now.started_at, event.at, event.kind == "skipped", taken, event.note, now.notes)
        elif event.kind == "reopened":
            now = StepRecord(notes=now.notes)
        elif event.kind == "note":
            now = StepRecord(
                now.started_at, now.finished_at, now.skipped, now.minutes, now.note, (*now.notes, event.note)
            )
        by_code[event.step] = now
    return by_code


def finished_order(events: Sequence[Event]) -> list[str]:
    """Steps that are behind, in the order in which they were finished."""
    done = {code: one for code, one in records(events).items() if one.finished_at is not None}
    return sorted(done, key=lambda code: (done[code].finished_at or "", code))


@dataclass(frozen=True, slots=True)
class Sample:
    """How long an operation took once: minutes, on which kind of instrument and under which schools."""

    minutes: float
    kind: str
    schools: Mapping[str, str]
    job_id: int = 0


@dataclass(frozen=True, slots=True)
class Learned:
    """The shop's own time: median with the middle half, over how many, and how alike they are (`alike`, `kind` or
    `all`).
    """

    minutes: float
    low: float
    high: float
    count: int
    over: str

    def times(self, share: float) -> "Learned":
        """The same for a share of the work."""
        return Learned(self.minutes * share, self.low * share, self.high * share, self.count, self.over)


def learned(samples: Sequence[Sample], kind: str, schools: Mapping[str, str]) -> Learned | None:
    """The median of the most alike samples that are enough: same kind and schools, else same kind, else all; None
    with too few.
    """
    groups = (
        (
            "alike",
            [
                sample.minutes
                for sample in samples
                if sample.kind == kind and all(sample.schools.get(code) == choice for code, choice in schools.items())
            ],
        ),
        ("kind", [sample.minutes for sample in samples if sample.kind == kind]),
        ("all", [sample.minutes for sample in samples]),
    )
    for name, minutes in groups:
        if len(minutes) >= LEAST_SAMPLES:
            low, middle, high = quantiles(minutes, n=4, method="inclusive")
            return Learned(middle, low, high, len(minutes), name)
    return None


@dataclass(frozen=True, slots=True)
class Timer:
    """Something that runs by itself: a cure or rest after a step, or the open time of a glue since it was started."""

    step: str
    title: str
    kind: str
    ends_at: datetime
    holds: str


def timers(
    operations: Mapping[str, Operation], known: Mapping[str, StepRecord], now: datetime, temperature_c: float
) -> list[Timer]:
    """What still runs at a moment, the soonest end first. A cure counts from the step's end, at the bench's
    temperature.
    """
    found = []
    for code, one in known.items():
        operation = operations.get(code)
        if operation is None or one.skipped:
            continue
        if one.finished_at is not None and operation.ready_after(temperature_c):
            ends = moment(one.finished_at) + timedelta(minutes=operation.ready_after(temperature_c))
            if ends > now:
                found.append(Timer(code, operation.title, "rests", ends, operation.holds))
        elif one.started_at is not None and one.finished_at is None and operation.open_minutes:
            ends = moment(one.started_at) + timedelta(minutes=operation.open_minutes)
            found.append(Timer(code, operation.title, "open", ends, ""))
    return sorted(found, key=lambda timer: timer.ends_at)


def job_sheet(
    catalogue: Catalogue,
    plan: SheetPlan,
    facts: Mapping[str, str],
    events: Sequence[Event],
    recorded: Sequence[str] = (),
) -> RunSheet:
    """The job's sheet as it stands: what is behind first, what the record itself shows as done, then the rest in order.

    An order that cannot be made (a circle in the shop's own rules) falls back on the route as it is listed; what is
    done stays done.
    """
    done = [code for code in finished_order(events) if code in catalogue.operations]
    early = [code for code in recorded if code not in done]

    def made(book: Catalogue) -> RunSheet:
        whole = run_sheet(book, plan.route, facts, plan.schools, added=plan.added).codes
        shown = [code for code in whole if code in early]
        return run_sheet(book, plan.route, facts, plan.schools, done=[*shown, *done], added=plan.added)

    try:
        return made(catalogue)
    except RunSheetError:
        return made(replace(catalogue, rules=()))


def minutes_of(operation: Operation, extent: Extent, hardness: str, own: Learned | None, tool: str = "sharp") -> float:
    """How long a step is taken to last: the shop's own median where there is one, else the shipped guess by hardness
    and tool.
    """
    return own.minutes if own is not None else operation.active(extent, hardness, tool)


def share_of_whole(operation: Operation, extent: Extent) -> float:
    """How long an operation takes for this much of an instrument, against the whole of it: by this, times of jobs
    over a few frets and over all of them are compared. 1 for what does not count the named frets.
    """
    every = operation.active(replace(extent, named=None))
    return operation.active(extent) / every if every else 1.0
