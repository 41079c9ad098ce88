"""Filling gaps: steps are moved, one after another, into earlier time that nobody uses, until none can be."""

from deft_bench.core.work.schedule.grid import Grid, Span, Starts, cost_of, fits_at

MOST_PASSES = 6


def tightened(grid: Grid, starts: Starts) -> list[tuple[int, int]]:
    """The schedule with its gaps filled; never worse. What stood before keeps its technician and does not leave its
    day.
    """
    best = list(starts)
    for _ in range(MOST_PASSES):
        tried = _pass(grid, best)
        if tried == best or cost_of(grid, tried).key > cost_of(grid, best).key:
            break
        best = tried
    return best


def _pass(grid: Grid, starts: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Every step once, in order: to the first moment before its own at which all that it needs is free. Those not
    yet looked at stand where they stood.
    """
    found = list(starts)
    for i in sorted(range(len(found)), key=lambda i: (found[i][0], i)):
        task = grid.tasks[i]
        if task.fixed is not None:
            continue
        at, who = found[i]
        ready = max([0, *(found[other][0] + grid.tasks[other].size + lag for other, lag in task.after)])
        allowed = list(task.fits)
        if task.was is not None and grid.day_of(at + 1) == grid.day_of(task.was[0] + 1) and who == task.was[1]:
            day = grid.day_of(at + 1)
            ready, allowed = max(ready, grid.day_start(day)), [who]
        options = [
            (start, other != who, other)
            for other in allowed
            if (start := _first(grid, found, i, other, ready, at)) is not None
        ]
        if options:
            start, _, other = min(options)
            found[i] = (start, other)
    return found


def _first(grid: Grid, found: list[tuple[int, int]], i: int, who: int, ready: int, limit: int) -> int | None:
    """The first start before `limit` at which a technician and the step's fixture are free; None when there is none."""
    task = grid.tasks[i]
    busy = sorted(
        (at, at + other.size)
        for k, (other, (at, t)) in enumerate(zip(grid.tasks, found, strict=True))
        if k != i and t == who and at < limit + task.size
    )
    at = fits_at(task.fits[who], ready)
    while at is not None and at < limit:
        clash = next((b for a, b in busy if a < at + task.size and at < b), None)
        if clash is None and task.holds:
            clash = _fixture_free(grid, found, i, at)
        if clash is None:
            return at
        at = fits_at(task.fits[who], clash)
    return None


def _fixture_free(grid: Grid, found: list[tuple[int, int]], i: int, at: int) -> int | None:
    """None when the step's fixture is free from a moment on for as long as it is held, else the next moment at which
    one is let go.
    """
    task = grid.tasks[i]
    holds: list[Span] = [
        (start, start + other.held)
        for k, (other, (start, _)) in enumerate(zip(grid.tasks, found, strict=True))
        if k != i and other.holds == task.holds and start < at + task.held and at < start + other.held
    ]
    count = grid.bench.fixtures[task.holds]
    for moment in (at, *(start for start, _ in holds if start > at)):
        if sum(a <= moment < b for a, b in holds) >= count:
            return min(b for a, b in holds if a <= moment < b)
    return None
