"""Filling gaps: steps are moved, one after another, into earlier time that nobody uses, until none can be."""

from bisect import bisect_right, insort

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


class _Taken:
    """When each technician works, in order, and which tasks hold each fixture."""

    def __init__(self, grid: Grid, starts: Starts) -> None:
        self.grid, self.starts = grid, list(starts)
        self.busy: list[list[Span]] = [[] for _ in grid.windows]
        self.holding: dict[str, list[int]] = {}
        for i, (task, (at, who)) in enumerate(zip(grid.tasks, starts, strict=True)):
            insort(self.busy[who], (at, at + task.size))
            if task.holds:
                self.holding.setdefault(task.holds, []).append(i)

    def lift(self, i: int) -> None:
        """Take a task off, so that it is in nobody's way."""
        at, who = self.starts[i]
        self.busy[who].remove((at, at + self.grid.tasks[i].size))

    def put(self, i: int, at: int, who: int) -> None:
        """Put a task that was taken off somewhere."""
        self.starts[i] = at, who
        insort(self.busy[who], (at, at + self.grid.tasks[i].size))

    def clash(self, i: int, who: int, at: int) -> int | None:
        """None when a technician and the fixture of a task that is off are free for it from a moment on, else the end
        of what is in the way.
        """
        task, busy = self.grid.tasks[i], self.busy[who]
        k = bisect_right(busy, (at, 1 << 60))
        if k and busy[k - 1][1] > at:
            return busy[k - 1][1]
        if k < len(busy) and busy[k][0] < at + task.size:
            return busy[k][1]
        return self._fixture_free(i, at) if task.holds else None

    def _fixture_free(self, i: int, at: int) -> int | None:
        """None when the task's fixture is free from a moment on for as long as it is held, else the next moment at
        which one is let go.
        """
        task, tasks = self.grid.tasks[i], self.grid.tasks
        spans = [(self.starts[k][0], self.starts[k][0] + tasks[k].held) for k in self.holding[task.holds] if k != i]
        holds = [(a, b) for a, b in spans if a < at + task.held and at < b]
        count = self.grid.bench.fixtures[task.holds]
        for moment in (at, *(start for start, _ in holds if start > at)):
            if sum(a <= moment < b for a, b in holds) >= count:
                return min(b for a, b in holds if a <= moment < b)
        return None


def _pass(grid: Grid, starts: list[tuple[int, int]]) -> list[tuple[int, int]]:
    """Every step once, in order: to the first moment before its own at which all that it needs is free. Those not
    yet looked at stand where they stood.
    """
    taken = _Taken(grid, starts)
    for i in sorted(range(len(starts)), key=lambda i: (starts[i][0], i)):
        task = grid.tasks[i]
        if task.fixed is not None:
            continue
        at, who = taken.starts[i]
        ready = max([0, *(taken.starts[other][0] + grid.tasks[other].size + lag for other, lag in task.after)])
        allowed = list(task.fits)
        if task.was is not None and grid.day_of(at + 1) == grid.day_of(task.was[0] + 1) and who == task.was[1]:
            day = grid.day_of(at + 1)
            ready, allowed = max(ready, grid.day_start(day)), [who]
        taken.lift(i)
        options = [
            (start, other != who, other)
            for other in allowed
            if (start := _first(grid, taken, i, other, ready, at)) is not None
        ]
        start, _, other = min(options, default=(at, False, who))
        taken.put(i, start, other)
    return taken.starts


def _first(grid: Grid, taken: _Taken, i: int, who: int, ready: int, limit: int) -> int | None:
    """The first start before `limit` at which a technician and the step's fixture are free; None when there is none."""
    spans = grid.tasks[i].fits[who]
    at = fits_at(spans, ready)
    while at is not None and at < limit:
        clash = taken.clash(i, who, at)
        if clash is None:
            return at
        at = fits_at(spans, clash)
    return None
