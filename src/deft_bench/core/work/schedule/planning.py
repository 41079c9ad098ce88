"""A whole bench planned: what cannot be planned is left out by name, the rest is scheduled."""

from dataclasses import dataclass, replace
from datetime import date

from deft_bench.core.work.schedule.bench import Bench, Schedule, Trouble, without_trouble
from deft_bench.core.work.schedule.deadline import NOBODY, Watch
from deft_bench.core.work.schedule.grid import ScheduleError, make_grid
from deft_bench.core.work.schedule.listing import first_schedule
from deft_bench.core.work.schedule.risks import Risk, risks
from deft_bench.core.work.schedule.solve import schedule


@dataclass(frozen=True, slots=True)
class Planned:
    """A schedule, the bench that it was made from, and what was left out of it."""

    bench: Bench
    found: Schedule
    troubles: tuple[Trouble, ...]
    risks: tuple[Risk, ...]


def plan_bench(whole: Bench, limit_s: float, watch: Watch = NOBODY, *, by_work: bool = False) -> Planned:
    """Plan what can be planned; `watch` is told how it goes, and may stop it with the best so far. `by_work` gives the
    same plan on any machine, however busy.

    Raises ScheduleError when nobody works, or pins contradict the order of a job.
    """
    bench, troubles = without_trouble(whole)
    while True:
        try:
            found = schedule(bench, limit_s, workers=int(by_work), by_work=by_work, watch=watch)
            return Planned(bench, found, tuple(troubles), tuple(risks(bench, found)))
        except ScheduleError as error:
            if not error.job and error.where != "dry":
                raise
            if error.where == "dry":
                error = _one_too_many(bench)
            if error.where.startswith("pins["):
                number = int(error.where[5:-1])
                bench = replace(bench, pins=tuple(pin for i, pin in enumerate(bench.pins) if i != number))
            else:
                bench = replace(
                    bench,
                    jobs=tuple(job for job in bench.jobs if job.code != error.job),
                    pins=tuple(pin for pin in bench.pins if pin.job != error.job),
                )
            troubles.append(Trouble(error.where, str(error), error.job))


def _one_too_many(bench: Bench) -> ScheduleError:
    """The job to leave out where the dry windows are not enough: one that finds no room in them even alone, else that
    with the farthest promise, the lightest first.
    """
    outdoors = [(i, job) for i, job in enumerate(bench.jobs) if any(step.outdoors for step in job.steps)]
    alone = [
        (i, job) for i, job in outdoors if first_schedule(make_grid(replace(bench, jobs=(job,), pins=())), 1) is None
    ]
    i, job = max(alone or outdoors, key=lambda one: (one[1].promised or date.max, -one[1].weight))
    why = "the dry windows are not enough for its work outdoors" + ("" if alone else " beside the others’")
    return ScheduleError(f"jobs[{i}]", f"{job.title or job.code}: {why}", job.code)
