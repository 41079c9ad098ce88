"""List scheduling: a schedule in milliseconds, by taking at each moment the most urgent step that can be worked.

Serial and greedy, tried under several orders of urgency; it is the first answer, the solver's starting point, and what
remains when time is short.
"""

import random
from collections.abc import Iterable, Mapping, Sequence

from deft_bench.core.work.schedule.deadline import Deadline
from deft_bench.core.work.schedule.grid import Cost, Grid, Span, Starts, cost_of, fits_at

TRIES, LEAST_TRIES = 24, 4
NEAR = 30
"""Minutes within which a more urgent step is waited for."""


def first_schedule(
    grid: Grid, tries: int = TRIES, seed: int = 1, until: Deadline | None = None
) -> list[tuple[int, int]] | None:
    """The best of several lists, of which there are fewer where a deadline passes; None when pins let none through."""
    chance = random.Random(seed)
    best: tuple[Cost, list[tuple[int, int]]] | None = None
    for k in range(tries):
        urgency = _urgency(grid, k, chance)
        found = by_list(grid, urgency, NEAR * (k % 3))
        if found is not None:
            cost = cost_of(grid, found)
            if best is None or cost.key < best[0].key:
                best = cost, found
        if best is not None and k + 1 >= LEAST_TRIES and until is not None and until.left < 0:
            break
    return best[1] if best else None


def _urgency(grid: Grid, k: int, chance: random.Random) -> list[float]:
    """By task, smaller is more urgent: promise, slack, weight or the schedule before; after the first tries with a
    shake.
    """
    tails = tails_of(grid)
    work = [sum(grid.tasks[i].size for i in grid.of_job(j)) for j in range(len(grid.bench.jobs))]
    far = len(grid.day_ends) - 1
    due = [grid.day_ends[min(far, max(0, day))] if day is not None else grid.day_ends[far] for day in grid.due]
    shake = [chance.gauss(1, 0.25) if k > 4 else 1.0 for _ in grid.bench.jobs]
    found = []
    for i, task in enumerate(grid.tasks):
        weight = grid.bench.jobs[task.job].weight
        kinds = (due[task.job] - tails[i], due[task.job], work[task.job] / weight, due[task.job] + 4 * work[task.job])
        base = float(kinds[k % 4])
        if task.was is not None and k % 2 == 0:
            base = float(task.was[0])
        found.append(base * shake[task.job])
    put_first(grid, found)
    return found


def put_first(grid: Grid, urgency: list[float]) -> None:
    """What a pin needs comes before everything else, then whatever is made ready days before: it takes minutes and
    its lead is long.
    """
    for i, task in enumerate(grid.tasks):
        if grid.bench.jobs[task.job].steps[task.step].prepared:
            urgency[i] = min(urgency[i], -1e6)
        if task.fixed is not None:
            for j in range(i + 1):
                if grid.tasks[j].job == task.job:
                    urgency[j] = min(urgency[j], float(task.fixed) - 1e9)


def tails_of(grid: Grid) -> list[int]:
    """By task: the least time from its start until its job can be handed over."""
    tails = [task.end_of_wait for task in grid.tasks]
    for i in reversed(range(len(grid.tasks))):
        for other, lag in grid.tasks[i].after:
            tails[other] = max(tails[other], grid.tasks[other].size + lag + tails[i])
    return tails


class _Board:
    """What is taken so far: each technician's last end, and the spans in which fixtures are held."""

    def __init__(self, grid: Grid) -> None:
        self.grid = grid
        self.until = [0] * len(grid.windows)
        self.held: dict[str, list[Span]] = {fixture: [] for fixture in grid.bench.fixtures}
        self.pinned: dict[int, list[Span]] = {t: [] for t in range(len(grid.windows))}
        for task in grid.tasks:
            if task.fixed is not None:
                self.pinned[next(iter(task.fits))].append((task.fixed, task.fixed + task.size))

    def earliest(self, i: int, who: int, ready: int) -> int | None:
        """The first minute at which a technician can start a task."""
        task = self.grid.tasks[i]
        at = max(ready, self.until[who]) if task.fixed is None else ready
        if not task.holds and (task.fixed is not None or not self.pinned[who]):
            return fits_at(task.fits[who], at)
        while True:
            found = fits_at(task.fits[who], at)
            if found is None:
                return None
            clash = max(
                (b for a, b in self.pinned[who] if task.fixed is None and a < found + task.size and found < b),
                default=None,
            )
            if clash is None and task.holds:
                clash = self._free(task.holds, found, found + task.held)
            if clash is None:
                return found
            at = clash

    def _free(self, fixture: str, a: int, b: int) -> int | None:
        """None when a fixture is free through a span, else the next end of a hold."""
        over = [(c, d) for c, d in self.held[fixture] if c < b and a < d]
        count = self.grid.bench.fixtures[fixture]
        for at in (a, *(c for c, _ in over if c > a)):
            if sum(c <= at < d for c, d in over) >= count:
                return min(d for c, d in over if c <= at < d)
        return None

    def take(self, i: int, who: int, at: int) -> None:
        """Put a task there."""
        task = self.grid.tasks[i]
        self.until[who] = max(self.until[who], at + task.size)
        if task.holds:
            self.held[task.holds].append((at, at + task.held))


def by_list(
    grid: Grid,
    urgency: Sequence[float],
    near: int,
    stay: float = 0.0,
    kept: Mapping[int, tuple[int, int]] | None = None,
) -> list[tuple[int, int]] | None:
    """Take at each moment the most urgent of the steps that can be started within `near` minutes of the first; None
    when a pin is missed.

    The instrument that a technician has in hand counts as more urgent by `stay` minutes; `kept` are tasks that keep a
    technician, with the first minute at which each may start.
    """
    board, turns = _Board(grid), _Turns(grid, kept or {})
    options = _Options(board, turns)
    last_job = [-1] * len(grid.windows)
    while turns.ready:
        chosen = options.most_urgent(urgency, near, stay, last_job)
        if chosen is None:
            return None
        i, who, at = chosen
        if grid.tasks[i].fixed not in (None, at):
            return None
        options.take(i, who, at)
        last_job[who] = grid.tasks[i].job
    return [start for start in turns.starts if start is not None] if None not in turns.starts else None


class _Options:
    """The first minute at which each technician can start each task whose turn has come; what one is given changes
    nothing for the others.
    """

    def __init__(self, board: _Board, turns: "_Turns") -> None:
        self.board, self.turns, self.tasks = board, turns, board.grid.tasks
        self.at: list[dict[int, int]] = [{} for _ in board.until]
        for i in turns.ready:
            self._let_in(i)

    def _let_in(self, i: int) -> None:
        for who in self.turns.who(i):
            self._look(i, who)

    def _look(self, i: int, who: int) -> None:
        found = self.board.earliest(i, who, self.turns.ready[i])
        if found is None:
            self.at[who].pop(i, None)
        else:
            self.at[who][i] = found

    def most_urgent(
        self, urgency: Sequence[float], near: int, stay: float, last_job: Sequence[int]
    ) -> tuple[int, int, int] | None:
        """The task to take, by whom and when; None when there is none."""
        first = [min(starts.values()) for starts in self.at if starts]
        if not first:
            return None
        latest, best = min(first) + near, None
        for who, starts in enumerate(self.at):
            for i, at in starts.items():
                if at > latest:
                    continue
                other = self.tasks[i].job != last_job[who]
                value = urgency[i] if other else urgency[i] - stay
                if best is None or value <= best[0]:
                    key = value, other, at, i, who
                    best = key if best is None else min(best, key)
        assert best is not None
        return best[3], best[4], best[2]

    def take(self, i: int, who: int, at: int) -> None:
        """Put a task there, and let in what has waited for it alone."""
        self.board.take(i, who, at)
        for starts in self.at:
            starts.pop(i, None)
        until, fixture = self.board.until[who], self.tasks[i].holds
        for k in [k for k, start in self.at[who].items() if start < until]:
            self._look(k, who)
        for other, starts in enumerate(self.at if fixture else ()):
            for k in [k for k in starts if self.tasks[k].holds == fixture]:
                self._look(k, other)
        for k in self.turns.placed(i, (at, who)):
            self._let_in(k)


class _Turns:
    """Which tasks may be placed next, each with the first minute at which it may start; and where the placed ones
    stand.
    """

    def __init__(self, grid: Grid, kept: Mapping[int, tuple[int, int]]) -> None:
        self.grid, self.kept = grid, kept
        self.starts: list[tuple[int, int] | None] = [None] * len(grid.tasks)
        self.missing = [len(task.after) for task in grid.tasks]
        self.followers: list[list[int]] = [[] for _ in grid.tasks]
        for i, task in enumerate(grid.tasks):
            for other, _ in task.after:
                self.followers[other].append(i)
        self.ready = {i: self._not_before(i) for i, count in enumerate(self.missing) if not count}

    def who(self, i: int) -> Iterable[int]:
        """The technicians who may take a task."""
        return self.grid.tasks[i].fits if i not in self.kept else (self.kept[i][1],)

    def placed(self, i: int, start: tuple[int, int]) -> list[int]:
        """Take a task out; what has waited for it alone has its turn now."""
        self.starts[i] = start
        del self.ready[i]
        free = []
        for follower in self.followers[i]:
            self.missing[follower] -= 1
            if not self.missing[follower]:
                self.ready[follower] = max(_ready(self.grid, self.starts, follower) or 0, self._not_before(follower))
                free.append(follower)
        return free

    def _not_before(self, i: int) -> int:
        return self.kept[i][0] if i in self.kept else 0


def _ready(grid: Grid, starts: Sequence[tuple[int, int] | None], i: int) -> int | None:
    """When a task's turn comes; None while something before it is not placed."""
    ready = 0
    for other, lag in grid.tasks[i].after:
        start = starts[other]
        if start is None:
            return None
        ready = max(ready, start[0] + grid.tasks[other].size + lag)
    return ready


def pulled_forward(grid: Grid, starts: Starts) -> list[tuple[int, int]]:
    """The same order with the same technicians, each step as early as it can be; one that stands on its former day
    stays on it.
    """
    board = _Board(grid)
    found: list[tuple[int, int] | None] = [None] * len(grid.tasks)
    for i in sorted(range(len(starts)), key=lambda i: (starts[i][0], grid.tasks[i].size, i)):
        at, who = starts[i]
        task = grid.tasks[i]
        ready = _ready(grid, found, i)
        if ready is None:
            return list(starts)
        if task.was is not None and grid.day_of(at + 1) == grid.day_of(task.was[0] + 1):
            day = grid.day_of(at + 1)
            ready = max(ready, grid.day_start(day))
        early = board.earliest(i, who, ready)
        if early is None or early > at:
            return list(starts)
        board.take(i, who, early)
        found[i] = (early, who)
    return [start for start in found if start is not None]
