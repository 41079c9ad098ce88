"""Repairing a schedule in place: what stood stays on its day, and one or two jobs give way to what has slipped."""

from itertools import combinations

from deft_bench.core.work.schedule.deadline import Deadline
from deft_bench.core.work.schedule.grid import Cost, Grid, cost_of
from deft_bench.core.work.schedule.listing import NEAR, by_list, put_first

FAR = 1e7


def repaired(grid: Grid, until: Deadline) -> list[tuple[int, int]] | None:
    """The best list in which every step that stood keeps to its day, order and technician, except those of at most two
    jobs, which fill what is left.

    None when nothing stood before.
    """
    if not any(task.was for task in grid.tasks):
        return None
    jobs = [j for j in range(len(grid.bench.jobs)) if grid.of_job(j)]
    best: tuple[Cost, list[tuple[int, int]]] | None = None
    # those with most days to spare give way first
    spare = {j: _spare(grid, j) for j in jobs}
    jobs.sort(key=lambda j: (-spare[j], j))
    ways = [(), *((j,) for j in jobs), *combinations(jobs, 2)]
    for way in ways:
        for near in (0, NEAR):
            starts = _with(grid, set(way), near)
            until.spend()
            if starts is not None:
                cost = cost_of(grid, starts)
                if best is None or cost.key < best[0].key:
                    best = cost, starts
        if until.left < 0:
            break
    return best[1] if best else None


def _spare(grid: Grid, job: int) -> int:
    """Days to spare as the job stood before; many without a promise."""
    due = grid.due[job]
    stood = [task.was[0] + task.end_of_wait for i in grid.of_job(job) if (task := grid.tasks[i]).was is not None]
    return 1000 if due is None else due - grid.day_of(max(stood, default=0))


def _with(grid: Grid, way: set[int], near: int) -> list[tuple[int, int]] | None:
    """The list in the order of before, with some jobs last; what stood on a day stays with its technician and does
    not start before it.
    """
    urgency: list[float] = []
    kept: dict[int, tuple[int, int]] = {}
    for i, task in enumerate(grid.tasks):
        if task.was is None or task.job in way:
            # what slipped comes first, what gives way last
            urgency.append(FAR + i if task.job in way else float(i) - FAR / 2)
            continue
        day = grid.day_of(task.was[0] + 1)
        urgency.append(float(task.was[0]))
        if task.was[1] in task.fits:
            kept[i] = (grid.day_start(day), task.was[1])
    put_first(grid, urgency)
    return by_list(grid, urgency, near, kept=kept)
