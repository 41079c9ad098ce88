"""Weeks for the schedule's tests: a Monday, usual shifts, and a full fortnight."""

import random
from datetime import UTC, datetime, time, timedelta

from deft_bench.core.work.schedule.bench import Bench, Job, Schedule, Step, Technician
from deft_bench.core.work.schedule.grid import make_grid

NOW = datetime(2026, 8, 24, 8, 0, tzinfo=UTC)  # a Monday
SHIFTS = ((time(9), time(12, 30)), (time(13, 15), time(17, 30)))
WEEK = dict.fromkeys(range(5), SHIFTS)


def bench(jobs: list[Job], technicians: int = 1, **more: object) -> Bench:
    names = tuple(Technician(name, WEEK) for name in ("Ada", "Bo")[:technicians])
    return Bench(NOW, UTC, names, tuple(jobs), **{"fixtures": {"clamps": 1}, **more})  # type: ignore[arg-type]


def fortnight(seed: int, promised: tuple[int, int] = (3, 18)) -> Bench:
    """Twenty jobs of fifteen steps with two cures each, for two technicians with three pairs of clamps; two promises
    are over before they begin.
    """
    chance = random.Random(seed)
    jobs = []
    for j in range(20):
        cures = set(chance.sample(range(1, 14), 2))
        steps: list[Step] = []
        for s in range(15):
            wait = chance.choice((60, 240, 720, 1440)) if s in cures else 0
            after = tuple(k for k in range(s) if steps[k].wait)
            holds = "clamps" if wait and chance.random() < 0.3 else ""
            steps.append(Step(f"s{s}", "", chance.randint(5, 45), wait, after, holds=holds))
        day = NOW.date() + timedelta(days=0 if j < 2 else chance.randint(*promised))
        jobs.append(Job(f"j{j}", "", tuple(steps), day, chance.randint(1, 3)))
    return bench(jobs, 2, fixtures={"clamps": 3})


def starts_of(asked: Bench, found: Schedule) -> list[tuple[int, int]]:
    """A schedule's starts as the grid counts them: minutes, and who."""
    grid = make_grid(asked)
    names = [technician.name for technician in asked.technicians]
    placed = {(step.job, step.step, step.part): step for step in found.placed}
    starts = []
    for task in grid.tasks:
        job = asked.jobs[task.job]
        step = placed[job.code, job.steps[task.step].code, task.part]
        starts.append((round((step.start - grid.start).total_seconds() / 60), names.index(step.technician)))
    return starts
