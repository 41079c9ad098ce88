"""What a schedule is made from and what it comes to: technicians' hours, jobs with their steps, pins, and where each
step stands.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, tzinfo

WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
LONGEST_DAYS = 120
"""A schedule looks no farther ahead than this."""
MOST_WEIGHT = 9


@dataclass(frozen=True, slots=True)
class Technician:
    """Who works when: shifts by weekday (Monday 0) in local time, and days off."""

    name: str
    week: Mapping[int, tuple[tuple[time, time], ...]]
    days_off: frozenset[date] = frozenset()

    @property
    def has_hours(self) -> bool:
        """Whether there is any shift at all."""
        return any(self.week.values())


@dataclass(frozen=True, slots=True)
class Step:
    """One step: whole minutes of work, then of waiting (a cure, a rest, or the lead of something prepared).

    It follows the step before it in the job's order, except a `prepared` one, which follows nothing. It starts when the
    waits of the steps at `waits_for` (their places in the job) are over. `holds` is the fixture kept occupied through
    work and wait.
    """

    code: str
    title: str
    minutes: int
    wait: int = 0
    waits_for: tuple[int, ...] = ()
    prepared: bool = False
    holds: str = ""
    outdoors: bool = False
    not_before: datetime | None = None
    technician: str = ""
    why_not_before: str = ""


@dataclass(frozen=True, slots=True)
class Job:
    """One job's steps still to be done, in order; `weight` 1 to 9 is how much a day late counts."""

    code: str
    title: str
    steps: tuple[Step, ...]
    promised: date | None = None
    weight: int = 1
    arrives: datetime | None = None


@dataclass(frozen=True, slots=True)
class Pin:
    """A step that must start at a moment, with a technician where there are several."""

    job: str
    step: str
    at: datetime
    technician: str = ""


@dataclass(frozen=True, slots=True)
class Placed:
    """Where a step (or a part of one that is longer than a shift) stands; `free_at` is the end of its wait."""

    job: str
    step: str
    part: int
    parts: int
    technician: str
    start: datetime
    end: datetime
    free_at: datetime


@dataclass(frozen=True, slots=True)
class Bench:
    """Everything that a schedule is made from. `before` is the schedule that it replaces, which moves as little as it
    can.

    `dry` windows bound outdoor work; None says that none were entered, and then any bench hour counts.
    """

    now: datetime
    zone: tzinfo
    technicians: tuple[Technician, ...]
    jobs: tuple[Job, ...]
    fixtures: Mapping[str, int] = field(default_factory=dict)
    dry: tuple[tuple[datetime, datetime], ...] | None = None
    pins: tuple[Pin, ...] = ()
    before: tuple[Placed, ...] = ()


@dataclass(frozen=True, slots=True)
class Aim:
    """One aim: what was reached, and what is proven that nothing can go under; `of` is what the gap is a share of
    (of idle minutes the bench minutes until the last step ends, of everything else the value itself).
    """

    name: str
    value: int
    bound: int
    of: int

    @property
    def gap(self) -> float:
        """How far from proven best it stopped, as a share; 0 is proven best."""
        return (self.value - self.bound) / self.of if self.of else 0.0


@dataclass(frozen=True, slots=True)
class Schedule:
    """The steps in order of their start, what each aim came to, when each job can be handed over, and its days late."""

    placed: tuple[Placed, ...]
    aims: tuple[Aim, ...]
    finish: Mapping[str, datetime]
    days_late: Mapping[str, int]

    def aim(self, name: str) -> Aim:
        """An aim by its name: `lateness` (days × weight), `moved` (steps on another day or with another technician
        than before), `idle` (bench minutes not worked before the last step ends) or `changeovers`.
        """
        return next(aim for aim in self.aims if aim.name == name)


@dataclass(frozen=True, slots=True)
class Trouble:
    """What is wrong with a request: the place, as a path of fields, why, and the job it keeps out (empty: nothing
    can be planned).
    """

    where: str
    why: str
    job: str = ""


def troubles(bench: Bench) -> list[Trouble]:
    """Everything that keeps a job, a technician or a pin out of a schedule, each with its place."""
    found = []
    names = [technician.name for technician in bench.technicians]
    for i, one in enumerate(bench.technicians):
        if not one.has_hours:
            found.append(Trouble(f"technicians[{i}].hours", f"{one.name} has no hours; give at least one shift a week"))
        if names.count(one.name) > 1:
            found.append(Trouble(f"technicians[{i}].name", f"“{one.name}” stands twice"))
        for weekday, shifts in one.week.items():
            edges = [edge for shift in shifts for edge in shift]
            if edges != sorted(set(edges)):
                found.append(
                    Trouble(f"technicians[{i}].hours.{WEEKDAYS[weekday]}", "shifts must rise and must not overlap")
                )
    codes = [job.code for job in bench.jobs]
    for i, job in enumerate(bench.jobs):
        found += _job_troubles(bench, i, job, names, codes)
    placed = {(job.code, step.code) for job in bench.jobs for step in job.steps}
    for i, pin in enumerate(bench.pins):
        if (pin.job, pin.step) not in placed:
            found.append(Trouble(f"pins[{i}].step", f"no step “{pin.step}” of “{pin.job}” is left to do"))
        if pin.technician and pin.technician not in names:
            found.append(Trouble(f"pins[{i}].technician", f"“{pin.technician}” is no technician here"))
    return found


def _job_troubles(bench: Bench, i: int, job: Job, names: Sequence[str], codes: Sequence[str]) -> list[Trouble]:
    place, found = f"jobs[{i}]", []
    if codes.count(job.code) > 1:
        found.append(Trouble(f"{place}.code", f"“{job.code}” stands twice", job.code))
    if job.promised and job.arrives and job.promised < job.arrives.astimezone(bench.zone).date():
        found.append(Trouble(f"{place}.promised", f"{job.title or job.code}: promised before it comes in", job.code))
    if not 1 <= job.weight <= MOST_WEIGHT:
        found.append(Trouble(f"{place}.weight", f"must be from 1 to {MOST_WEIGHT}", job.code))
    steps = [step.code for step in job.steps]
    for k, step in enumerate(job.steps):
        at = f"{place}.steps[{k}]"
        if steps.count(step.code) > 1:
            found.append(Trouble(f"{at}.code", f"“{step.code}” stands twice in the job", job.code))
        if step.minutes < 0 or step.wait < 0:
            found.append(Trouble(f"{at}.minutes", f"{step.title or step.code}: minutes are zero or more", job.code))
        if step.holds and bench.fixtures.get(step.holds, 0) < 1:
            found.append(
                Trouble(
                    f"fixtures.{step.holds}",
                    f"“{step.title or step.code}” needs {step.holds} and there are none",
                    job.code,
                )
            )
        if step.technician and step.technician not in names:
            found.append(Trouble(f"{at}.technician", f"“{step.technician}” is no technician here", job.code))
        if any(not 0 <= other < k for other in step.waits_for):
            found.append(Trouble(f"{at}.after", "may only name steps that stand before it", job.code))
    return found


def without_trouble(bench: Bench) -> tuple[Bench, list[Trouble]]:
    """The bench without the jobs, technicians and pins that cannot be planned, and why each is left out."""
    found = troubles(bench)
    out = {one.job for one in found if one.job}
    places = {one.where.split(".")[0] for one in found}
    technicians = tuple(one for i, one in enumerate(bench.technicians) if f"technicians[{i}]" not in places)
    kept = replace(
        bench,
        technicians=technicians,
        jobs=tuple(job for job in bench.jobs if job.code not in out),
        pins=tuple(pin for i, pin in enumerate(bench.pins) if f"pins[{i}]" not in places and pin.job not in out),
    )
    names = {technician.name for technician in technicians}
    if len(technicians) < len(bench.technicians):
        # pins and steps given to one who is left out are anyone's
        kept = replace(
            kept,
            pins=tuple(pin for pin in kept.pins if not pin.technician or pin.technician in names),
            jobs=tuple(
                replace(
                    job,
                    steps=tuple(
                        step if not step.technician or step.technician in names else replace(step, technician="")
                        for step in job.steps
                    ),
                )
                for job in kept.jobs
            ),
        )
    return kept, found
