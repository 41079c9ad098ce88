"""A schedule's problem in whole minutes from now: tasks, where each may stand, and what a set of starts comes to."""

from bisect import bisect_left, bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise

from deft_bench.core.times import clock_words, day_words
from deft_bench.core.work.schedule.bench import LONGEST_DAYS, Bench, Pin, Placed, Step, Technician

Span = tuple[int, int]


class ScheduleError(ValueError):
    """No schedule can be made; `where` is the field that is in the way, `job` the one that it keeps out (empty:
    all).
    """

    def __init__(self, where: str, why: str, job: str = "") -> None:
        self.where, self.job = where, job
        super().__init__(why)

    def __reduce__(self) -> tuple[type["ScheduleError"], tuple[str, str, str]]:
        return ScheduleError, (self.where, str(self), self.job)


@dataclass(frozen=True, slots=True)
class Task:
    """A step, or a part of one longer than any shift. Minutes; `after` are (task, least minutes after its end).

    `held` is how long its fixture is kept from its start. `fits` holds, by technician who can do it, the spans of
    starts that lie in a shift.
    """

    job: int
    step: int
    part: int
    parts: int
    size: int
    wait: int
    after: tuple[tuple[int, int], ...]
    holds: str
    held: int
    fits: Mapping[int, tuple[Span, ...]]
    fixed: int | None = None
    was: tuple[int, int] | None = None

    @property
    def end_of_wait(self) -> int:
        """From its start until its wait is over."""
        return self.size + self.wait


@dataclass(frozen=True, slots=True)
class Grid:
    """The problem in minutes. `day_ends` are local midnights from today's on; `due` each job's promised day counted
    from today, or None.
    """

    bench: Bench
    start: datetime
    tasks: tuple[Task, ...]
    windows: tuple[tuple[Span, ...], ...]
    day_ends: tuple[int, ...]
    due: tuple[int | None, ...]

    def day_of(self, minute: int) -> int:
        """The local day in which a minute ends, counted from today."""
        return bisect_left(self.day_ends, minute)

    def day_start(self, day: int) -> int:
        """The minute with which a day, counted from today, begins; 0 today."""
        return self.day_ends[day - 1] if day else 0

    def moment(self, minute: int) -> datetime:
        """The time of a minute."""
        return (self.start + timedelta(minutes=minute)).astimezone(self.bench.zone)

    def open_before(self, minute: int) -> int:
        """Bench minutes of all technicians before a minute."""
        return sum(max(0, min(b, minute) - a) for windows in self.windows for a, b in windows if a < minute)

    def of_job(self, job: int) -> list[int]:
        """A job's tasks in order."""
        return [i for i, task in enumerate(self.tasks) if task.job == job]


@dataclass(frozen=True, slots=True)
class Cost:
    """What a set of starts comes to, in the order in which it counts."""

    lateness: int
    moved: int
    idle: int
    changeovers: int

    @property
    def key(self) -> tuple[int, int, int, int]:
        """For comparing: less is better."""
        return self.lateness, self.moved, self.idle, self.changeovers


Starts = Sequence[tuple[int, int]]
"""By task: its start in minutes and its technician's number."""


def make_grid(bench: Bench) -> Grid:
    """Lay a bench out in minutes; raises ScheduleError when there is no one to work, or a step or pin fits nowhere."""
    if not bench.technicians:
        raise ScheduleError("technicians", "nobody has hours; enter at least one technician with a shift")
    start = (bench.now + timedelta(seconds=59)).astimezone(UTC).replace(second=0, microsecond=0)
    windows = tuple(tuple(_windows(bench, technician, start)) for technician in bench.technicians)
    today = bench.now.astimezone(bench.zone).date()
    day_ends = tuple(
        _minute(start, datetime.combine(today + timedelta(days=k + 1), datetime.min.time(), bench.zone))
        for k in range(LONGEST_DAYS + 1)
    )
    laying = _Laying(bench, start, windows, day_ends[-1])
    for j in range(len(bench.jobs)):
        laying.job(j)
    # a fixture is kept from each part's start through the wait
    tasks = [replace(task, held=task.end_of_wait) if task.holds else task for task in laying.tasks]
    # a promise past the horizon is kept by whatever ends within it
    due = tuple(min((job.promised - today).days, LONGEST_DAYS) if job.promised else None for job in bench.jobs)
    grid = Grid(bench, start, tuple(tasks), windows, day_ends, due)
    _refuse_homeless(grid)
    return grid


def _refuse_homeless(grid: Grid) -> None:
    """Raise ScheduleError for the first task that fits nowhere."""
    for task in grid.tasks:
        if not any(task.fits.values()):
            job = grid.bench.jobs[task.job]
            step = job.steps[task.step]
            why = "no dry window in bench hours is long enough" if step.outdoors else "no shift is left for it"
            raise ScheduleError(f"jobs[{task.job}].steps[{task.step}]", f"{step.title or step.code}: {why}", job.code)


class _Laying:
    """Lays jobs out as tasks, one after another."""

    def __init__(self, bench: Bench, start: datetime, windows: tuple[tuple[Span, ...], ...], horizon: int) -> None:
        self.bench, self.start, self.windows, self.horizon = bench, start, windows, horizon
        self.names = [technician.name for technician in bench.technicians]
        self.pins = {(pin.job, pin.step): (i, pin) for i, pin in enumerate(bench.pins)}
        self.was = {(before.job, before.step, before.part): before for before in bench.before}
        self.dry = [_span(start, dry) for dry in bench.dry] if bench.dry is not None else None
        self.tasks: list[Task] = []
        self.known: dict[tuple[int, int, int, bool], tuple[Span, ...]] = {}

    def job(self, j: int) -> None:
        """Lay one job out: each step after the one before it and after the waits that it names."""
        job = self.bench.jobs[j]
        arrives = max(0, _minute(self.start, job.arrives)) if job.arrives else 0
        last_of: dict[int, int] = {}
        chained: int | None = None
        for s, step in enumerate(job.steps):
            after = [(last_of[other], job.steps[other].wait) for other in step.waits_for]
            if chained is not None and not step.prepared:
                after.append((chained, 0))
            release = max(arrives, _minute(self.start, step.not_before)) if step.not_before else arrives
            self.step(j, s, tuple(dict.fromkeys(after)), release)
            last_of[s] = len(self.tasks) - 1
            if not step.prepared:
                chained = len(self.tasks) - 1

    def step(self, j: int, s: int, after: tuple[tuple[int, int], ...], release: int) -> None:
        """Lay one step out, in parts where it is longer than any shift."""
        job = self.bench.jobs[j]
        step = job.steps[s]
        who = [t for t, name in enumerate(self.names) if not step.technician or step.technician == name]
        sizes = _parts(step, [self.windows[t] for t in who], f"jobs[{j}].steps[{s}]", job.code)
        pinned = self.pins.get((job.code, step.code))
        dry = self.dry if step.outdoors else None
        for part, size in enumerate(sizes, start=1):
            fits: Mapping[int, tuple[Span, ...]] = {t: self.fits(t, size, release, dry) for t in who}
            fixed = None
            if pinned is not None and part == 1:
                title = f"{job.title or job.code}: {step.title or step.code}"
                fixed, fits = _pinned(self.bench, self.start, *pinned, fits, title)
            self.tasks.append(
                Task(
                    j,
                    s,
                    part,
                    len(sizes),
                    size,
                    step.wait if part == len(sizes) else 0,
                    after if part == 1 else ((len(self.tasks) - 1, 0),),
                    step.holds,
                    0,
                    fits,
                    fixed,
                    self.stood(job.code, step.code, part),
                )
            )

    def fits(self, t: int, size: int, release: int, dry: Sequence[Span] | None) -> tuple[Span, ...]:
        """Where a technician can start work of a size; most steps ask what another has asked."""
        asked = t, size, release, dry is not None
        if asked not in self.known:
            self.known[asked] = _fits(dry, self.windows[t], size, release)
        return self.known[asked]

    def stood(self, job: str, step: str, part: int) -> tuple[int, int] | None:
        """Where a part stood in the schedule before, if that is still ahead and within the horizon."""
        before = self.was.get((job, step, part))
        if before is None or before.technician not in self.names:
            return None
        minute = _minute(self.start, before.start)
        return (minute, self.names.index(before.technician)) if 0 <= minute < self.horizon else None


def _minute(start: datetime, at: datetime) -> int:
    return -int((start - at).total_seconds() // 60)


def _span(start: datetime, span: tuple[datetime, datetime]) -> Span:
    return _minute(start, span[0]), _minute(start, span[1])


def _windows(bench: Bench, one: Technician, start: datetime) -> list[Span]:
    today = bench.now.astimezone(bench.zone).date()
    spans = []
    for k in range(LONGEST_DAYS):
        day: date = today + timedelta(days=k)
        if day in one.days_off:
            continue
        for opens, closes in one.week.get(day.weekday(), ()):
            a = max(0, _minute(start, datetime.combine(day, opens, bench.zone)))
            b = _minute(start, datetime.combine(day, closes, bench.zone))
            if b > a:
                spans.append((a, b))
    return spans


def _parts(step: Step, windows: Sequence[Sequence[Span]], place: str, job: str) -> list[int]:
    """A step's minutes, in equal parts where it is longer than any shift."""
    longest = max((b - a for spans in windows for a, b in spans), default=0)
    if not longest:
        raise ScheduleError(place, f"{step.title or step.code}: nobody who can do it has hours", job)
    size = max(1, step.minutes)
    count = -(-size // longest)
    return [size * (k + 1) // count - size * k // count for k in range(count)]


def _fits(dry: Sequence[Span] | None, windows: Sequence[Span], size: int, release: int) -> tuple[Span, ...]:
    spans = windows
    if dry is not None:
        spans = sorted((max(a, c), min(b, d)) for a, b in windows for c, d in dry)
    return tuple((max(a, release), b - size) for a, b in spans if b - size >= max(a, release))


def _pinned(
    bench: Bench, start: datetime, number: int, pin: Pin, fits: Mapping[int, tuple[Span, ...]], title: str
) -> tuple[int, Mapping[int, tuple[Span, ...]]]:
    """The minute of a pin and who can keep it; raises ScheduleError when nobody can."""
    at = _minute(start, pin.at)
    names = [technician.name for technician in bench.technicians]
    kept: dict[int, tuple[Span, ...]] = {
        t: ((at, at),)
        for t, spans in fits.items()
        if (not pin.technician or names[t] == pin.technician) and any(a <= at <= b for a, b in spans)
    }
    if not kept:
        when = f"{day_words(pin.at.date(), pin.at.year)}, {clock_words(pin.at)}"
        why = f"{title} cannot start at {when}: it does not fit into bench hours there"
        raise ScheduleError(f"pins[{number}]", why, pin.job)
    return at, kept


def fits_at(spans: Sequence[Span], minute: int) -> int | None:
    """The first start in some spans that is not before a minute; None when there is none."""
    i = bisect_right(spans, (minute, 1 << 60))
    if i and spans[i - 1][1] >= minute:
        return minute
    return spans[i][0] if i < len(spans) else None


def fits_by(spans: Sequence[Span], minute: int) -> int | None:
    """The last start in some spans that is not after a minute; None when there is none."""
    i = bisect_right(spans, (minute, 1 << 60))
    return min(spans[i - 1][1], minute) if i else None


def finishes(grid: Grid, starts: Starts) -> list[int]:
    """When each job can be handed over: its last work is done, and every cure and rest is over."""
    ends = [0] * len(grid.bench.jobs)
    for task, (at, _) in zip(grid.tasks, starts, strict=True):
        ends[task.job] = max(ends[task.job], at + task.end_of_wait)
    return ends


def late_days(grid: Grid, job: int, end: int) -> int:
    """Days by which a job that ends at a minute is past its promise."""
    due = grid.due[job]
    return 0 if due is None else max(0, grid.day_of(end) - due)


def cost_of(grid: Grid, starts: Starts) -> Cost:
    """What a set of starts comes to."""
    late = sum(grid.bench.jobs[j].weight * late_days(grid, j, end) for j, end in enumerate(finishes(grid, starts)))
    moved = sum(
        task.was is not None and (grid.day_of(at + 1) != grid.day_of(task.was[0] + 1) or who != task.was[1])
        for task, (at, who) in zip(grid.tasks, starts, strict=True)
    )
    last = max((at + task.size for task, (at, _) in zip(grid.tasks, starts, strict=True)), default=0)
    idle = grid.open_before(last) - sum(task.size for task in grid.tasks)
    changes = 0
    for t in range(len(grid.windows)):
        mine = sorted((at, task.job) for task, (at, who) in zip(grid.tasks, starts, strict=True) if who == t)
        changes += sum(a[1] != b[1] for a, b in pairwise(mine))
    return Cost(late, moved, idle, changes)


def tight(grid: Grid, starts: Starts) -> int:
    """Promises, by weight, that are kept with no day to spare."""
    return sum(
        grid.bench.jobs[j].weight
        for j, end in enumerate(finishes(grid, starts))
        if grid.due[j] is not None and end and grid.day_of(end) == grid.due[j]
    )


def placed(grid: Grid, starts: Starts) -> tuple[Placed, ...]:
    """A set of starts as steps on the clock, in order of their start."""
    found = []
    for task, (at, who) in zip(grid.tasks, starts, strict=True):
        job = grid.bench.jobs[task.job]
        found.append(
            Placed(
                job.code,
                job.steps[task.step].code,
                task.part,
                task.parts,
                grid.bench.technicians[who].name,
                grid.moment(at),
                grid.moment(at + task.size),
                grid.moment(at + task.end_of_wait),
            )
        )
    return tuple(sorted(found, key=lambda placed: (placed.start, placed.technician, placed.job, placed.part)))


def faults(grid: Grid, starts: Starts) -> list[str]:
    """Every demand that a set of starts breaks, in words; empty for one that can be worked."""
    found = []
    for i, (task, (at, who)) in enumerate(zip(grid.tasks, starts, strict=True)):
        name = f"task {i}"
        if not any(a <= at <= b for a, b in task.fits.get(who, ())):
            found.append(f"{name} at {at} does not fit technician {who}")
        if task.fixed is not None and at != task.fixed:
            found.append(f"{name} is not at its pin")
        for other, lag in task.after:
            if at < starts[other][0] + grid.tasks[other].size + lag:
                found.append(f"{name} starts before task {other} lets it")
    for t in range(len(grid.windows)):
        mine = sorted((at, at + task.size) for task, (at, who) in zip(grid.tasks, starts, strict=True) if who == t)
        found += [f"technician {t} does two things at {b[0]}" for a, b in pairwise(mine) if b[0] < a[1]]
    for fixture, count in grid.bench.fixtures.items():
        held = [(at, at + task.held) for task, (at, _) in zip(grid.tasks, starts, strict=True) if task.holds == fixture]
        found += [f"{fixture} are short at {a}" for a, _ in held if sum(c <= a < d for c, d in held) > count]
    return found
