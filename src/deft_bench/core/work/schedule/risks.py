"""Promises at risk, each with the reason: what the job waits for, or who stands before it; and what a pin costs."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime

from deft_bench.core.times import day_words, span_words
from deft_bench.core.work.schedule.bench import Bench, Job, Schedule
from deft_bench.core.work.schedule.grid import ScheduleError, late_days, make_grid
from deft_bench.core.work.schedule.relaxed import alone

MOST_NAMED = 3


@dataclass(frozen=True, slots=True)
class Risk:
    """A promise that is missed (`days` late) or met on its very day (0); `alone` says that even an empty bench would
    not keep it.
    """

    job: str
    days: int
    alone: bool
    say: str


def risks(bench: Bench, found: Schedule) -> list[Risk]:
    """Every promise that the schedule misses or meets with no day to spare, the latest first."""
    named = []
    for job in bench.jobs:
        if job.promised is None or job.code not in found.finish:
            continue
        days = found.days_late[job.code]
        if days:
            by_itself, why = _why_alone(bench, job)
            named.append(Risk(job.code, days, by_itself, why if by_itself else _who_before(bench, found, job)))
        elif found.finish[job.code].astimezone(bench.zone).date() == job.promised:
            named.append(Risk(job.code, 0, False, "ready on the promised day, with none to spare"))
    return sorted(named, key=lambda risk: -risk.days)


def _alone_late(bench: Bench, job: Job) -> int:
    """Days late if the job had the whole bench to itself."""
    try:
        grid = make_grid(
            replace(bench, jobs=(job,), before=(), pins=tuple(pin for pin in bench.pins if pin.job == job.code))
        )
    except ScheduleError:
        return 1
    return late_days(grid, 0, alone(grid)[0])


def _why_alone(bench: Bench, job: Job) -> tuple[bool, str]:
    """Whether even an empty bench would be late with it, and what of it makes it so."""
    if not _alone_late(bench, job):
        return False, ""
    if any(pin.job == job.code for pin in bench.pins) and not _alone_late(replace(bench, pins=()), job):
        return True, "a pin holds it back"
    free = replace(job, steps=tuple(replace(step, not_before=None) for step in job.steps))
    held = [step for step in job.steps if step.not_before is not None]
    if held and not _alone_late(bench, free):
        last = max(held, key=lambda step: step.not_before or datetime.min)
        until = last.not_before
        assert until is not None
        at = until.astimezone(bench.zone)
        why = last.why_not_before or "its turn"
        return True, f"“{last.title or last.code}” waits for {why} until {day_words(at.date(), at.year)}"
    quick = replace(free, steps=tuple(replace(step, wait=0) for step in free.steps))
    if not _alone_late(bench, quick):
        waits = [step for step in job.steps if step.wait]
        longest = max(waits, key=lambda step: step.wait)
        return (
            True,
            (
                f"its cures and rests alone are too long: “{longest.title or longest.code}” takes"
                f" {span_words(longest.wait)}"
            ),
        )
    work = sum(step.minutes for step in job.steps)
    return True, f"{span_words(work)} of work are left, and the bench hours until then are not enough"


def _who_before(bench: Bench, found: Schedule, job: Job) -> str:
    """Which jobs take the bench before this one is done."""
    titles = {other.code: other.title or other.code for other in bench.jobs}
    spent: dict[str, float] = {}
    for step in found.placed:
        if step.job != job.code and step.start < found.finish[job.code]:
            spent[step.job] = spent.get(step.job, 0.0) + (step.end - step.start).total_seconds() / 60
    most = sorted(spent, key=lambda code: (-spent[code], code))[:MOST_NAMED]
    if not most:
        return "its own cures and the shifts leave no room"
    return f"the bench is full: before it stand {listed(titles, most)}"


def listed(titles: Mapping[str, str], codes: list[str]) -> str:
    """Names in a row: a, b and c."""
    names = [titles[code] for code in codes]
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"


def change_words(bench: Bench, before: Schedule, after: Schedule) -> str:
    """What another schedule costs against the one before, in a sentence."""
    titles = {job.code: job.title or job.code for job in bench.jobs}
    later = {
        code: after.days_late[code] - before.days_late.get(code, 0)
        for code in after.days_late
        if after.days_late[code] > before.days_late.get(code, 0)
    }
    sooner = [code for code in after.days_late if after.days_late[code] < before.days_late.get(code, 0)]
    said = [f"{titles[code]} {days} day{'s' if days > 1 else ''} late more" for code, days in later.items()]
    if not said:
        idle = after.aim("idle").value - before.aim("idle").value
        said = [f"no promise; {span_words(idle)} more idle at the bench"] if idle > 0 else ["nothing"]
    words = "It costs " + ", ".join(said) + "."
    return f"{words} It helps {listed(titles, sooner)}." if sooner else words
