"""What no schedule can go under: each job alone on the bench, and all of them on a bench that may be cut into minutes.

The second is a small integer program: a day of completion for every promised job, so that the work of all that are done
by a day fits into the bench hours until then. Every schedule that can be worked keeps it, so its least lateness is a
bound; its days are a good order to begin from.

Derived in docs/methods/schedule.md.
"""

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from deft_bench.core.work.schedule.grid import Grid, fits_at, fits_by, late_days

if TYPE_CHECKING:
    from scipy.sparse import coo_array

GAP = 1e-3
LONGEST_SPAN = 8
"""Days between the two ends of a stretch that is counted, unless it begins now."""


@dataclass(frozen=True, slots=True)
class Relaxed:
    """A bound on lateness, and by job the day (counted from today) by which it is done in the relaxed bench; None
    for one that is not late there.
    """

    bound: int
    days: tuple[int | None, ...]


def alone(grid: Grid) -> list[int]:
    """By job: the soonest that it can be handed over if it had the whole bench to itself."""
    ends = [0] * len(grid.bench.jobs)
    for task, start in zip(grid.tasks, soonest_starts(grid), strict=True):
        ends[task.job] = max(ends[task.job], start + task.end_of_wait)
    return ends


def least_idle(grid: Grid) -> int:
    """Idle minutes that no schedule can go under: those before the longest job alone is over."""
    work = sum(task.size for task in grid.tasks)
    last = max((at + task.size for task, at in zip(grid.tasks, soonest_starts(grid), strict=True)), default=0)
    return max(0, grid.open_before(last) - work)


def least_changeovers(grid: Grid) -> int:
    """Changeovers that no schedule can go under: each job is taken up once, each technician's first without one."""
    return max(0, len({task.job for task in grid.tasks}) - len(grid.windows))


def _finishes(grid: Grid, tasks: Sequence[Sequence[int]], first: Sequence[int | None]) -> list[tuple[int, int]]:
    """By job and day: finished on that day, the first of which is the last that is not late. Empty when nothing is
    promised, or when the calendar ends before all of it can be done.
    """
    total = sum(grid.tasks[i].size for j, mine in enumerate(tasks) if grid.due[j] is not None for i in mine)
    last = next((k for k, end in enumerate(grid.day_ends) if grid.open_before(end) >= total), len(grid.day_ends) - 1)
    last = max([last, *(day for day in first if day is not None)]) + 1
    if last >= len(grid.day_ends) - 1:
        return []
    names: list[tuple[int, int]] = []
    for j, day in enumerate(first):
        due = grid.due[j]
        if day is not None and due is not None and tasks[j]:
            begin = max(day, due, 0)
            names += [(j, k) for k in range(begin, max(last, begin) + 1)]
    return names


def relaxed(grid: Grid, seconds: float = 2.0) -> Relaxed:
    """Solve the relaxed bench; when time is short the bound of each job alone is the answer."""
    from scipy.optimize import Bounds, LinearConstraint, milp
    from scipy.sparse import coo_array

    jobs, soonest = grid.bench.jobs, alone(grid)
    tasks = [grid.of_job(j) for j in range(len(jobs))]
    simple = sum(jobs[j].weight * late_days(grid, j, end) for j, end in enumerate(soonest))
    first = [grid.day_of(end) if due is not None else None for end, due in zip(soonest, grid.due, strict=True)]
    short = Relaxed(simple, tuple(first))
    names = _finishes(grid, tasks, first)
    if not names:
        return short
    costs = np.array([jobs[j].weight * max(0, k - (grid.due[j] or 0)) for j, k in names], dtype=float)
    matrix, upper = _loads(grid, tasks, names)
    one = coo_array((np.ones(len(names)), ([j for j, _ in names], range(len(names)))), shape=(len(jobs), len(names)))
    promised = np.array([float(any(j == other for other, _ in names)) for j in range(len(jobs))])
    answer = milp(
        costs,
        integrality=np.ones(len(names)),
        bounds=Bounds(0.0, 1.0),
        constraints=[
            LinearConstraint(one.tocsr(), promised, promised),
            LinearConstraint(matrix.tocsr(), -np.inf, upper),
        ],
        options={"time_limit": seconds, "mip_rel_gap": GAP},
    )
    bound = answer.mip_dual_bound
    if bound is None:
        return short
    done = list(first)
    if answer.x is not None:
        for (j, k), chosen in zip(names, answer.x, strict=True):
            if chosen > 0.5:
                done[j] = k
    # a hair over a whole number is that number
    return Relaxed(max(simple, int(np.ceil(bound - 1e-6))), tuple(done))


def _loads(grid: Grid, tasks: list[list[int]], names: list[tuple[int, int]]) -> tuple["coo_array", np.ndarray]:
    """What must be done between two days' ends if the jobs finish on their days, against the bench hours and the
    fixtures between them.

    A task lies between the last day's end before its earliest start and the first after its latest end.
    """
    from scipy.sparse import coo_array

    edges = [0, *grid.day_ends[: max(k for _, k in names) + 1]]
    fixtures = sorted({task.holds for task in grid.tasks if task.holds})
    opened = np.array([float(grid.open_before(edge)) for edge in edges])
    between = [np.subtract.outer(opened, opened).T]
    between += [
        grid.bench.fixtures[fixture] * np.subtract.outer(np.array(edges, float), np.array(edges, float)).T
        for fixture in fixtures
    ]
    pairs = np.array([(a, b) for b in range(1, len(edges)) for a in range(b) if not a or b - a <= LONGEST_SPAN])
    heads = soonest_starts(grid)
    rows: list[np.ndarray] = []
    columns: list[np.ndarray] = []
    values: list[np.ndarray] = []
    for name, (j, k) in enumerate(names):
        load = np.zeros((1 + len(fixtures), len(edges), len(edges)))
        for i, start in latest_starts(grid, tasks[j], grid.day_ends[k]).items():
            task = grid.tasks[i]
            begin = bisect_right(edges, min(heads[i], start)) - 1
            load[0, begin, grid.day_of(start + task.size) + 1] += task.size
            if task.holds and start + task.held <= grid.day_ends[k]:
                load[1 + fixtures.index(task.holds), begin, grid.day_of(start + task.held) + 1] += task.held
        # all that begins at or after one edge and ends by another
        inside = np.cumsum(np.cumsum(load[:, ::-1, :], axis=1)[:, ::-1, :], axis=2)
        for row in range(len(load)):
            there = inside[row, pairs[:, 0], pairs[:, 1]]
            chosen = np.flatnonzero(there)
            rows.append(row * len(pairs) + chosen)
            columns.append(np.full(len(chosen), name))
            values.append(there[chosen])
    room = np.concatenate([hours[pairs[:, 0], pairs[:, 1]] for hours in between])
    matrix = coo_array(
        (np.concatenate(values), (np.concatenate(rows), np.concatenate(columns))), shape=(len(room), len(names))
    )
    return matrix, room


def soonest_starts(grid: Grid) -> list[int]:
    """By task: the soonest start that its job alone on the bench would allow."""
    soonest = [0] * len(grid.tasks)
    for i, task in enumerate(grid.tasks):
        ready = max([0, *(soonest[other] + grid.tasks[other].size + lag for other, lag in task.after)])
        starts = (fits_at(spans, ready) for spans in task.fits.values())
        soonest[i] = min((at for at in starts if at is not None), default=ready)
    return soonest


def latest_starts(grid: Grid, tasks: list[int], end: int) -> dict[int, int]:
    """By task of a job: the latest start with which the whole job can still be handed over by a minute."""
    limit = {i: end - grid.tasks[i].wait for i in tasks}
    found: dict[int, int] = {}
    for i in reversed(tasks):
        task = grid.tasks[i]
        most = limit[i] - task.size
        starts = (fits_by(spans, most) for spans in task.fits.values())
        found[i] = max((at for at in starts if at is not None), default=most)
        for other, lag in task.after:
            limit[other] = min(limit[other], found[i] - lag)
    return found
