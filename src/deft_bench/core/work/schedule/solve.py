"""The schedule by constraint programming (OR-Tools CP-SAT): one aim after another, each kept while the next is worked
on.

The aims in order: days late by the weight of the promise; steps moved from where the schedule before had them; bench
minutes left idle before the last step ends; changeovers from one instrument to another. Each says what was reached and
what is proven that nothing can go under.
"""

from collections.abc import Callable, Mapping, Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from deft_bench.core.work.schedule.bench import Aim, Bench, Schedule
from deft_bench.core.work.schedule.deadline import NOBODY, Deadline, Found, Watch
from deft_bench.core.work.schedule.grid import (
    Grid,
    ScheduleError,
    Starts,
    Task,
    cost_of,
    finishes,
    late_days,
    make_grid,
    placed,
)
from deft_bench.core.work.schedule.listing import LEAST_TRIES, TRIES, first_schedule, pulled_forward
from deft_bench.core.work.schedule.relaxed import Relaxed, alone, least_changeovers, least_idle, relaxed
from deft_bench.core.work.schedule.repairing import repaired
from deft_bench.core.work.schedule.search import search
from deft_bench.core.work.schedule.tightening import tightened

if TYPE_CHECKING:  # it takes a second to load: where it is used, so that the start of the program is quick
    from ortools.sat.python import cp_model

LIMIT_S = 5.0
RELAX_BY_WORK_S = 60.0
LEAST_RUN_S, RESCUE_S = 0.05, 5.0
WORK_IN_A_SECOND = 0.1
"""The solver's own measure of work that one worker does in about a second."""
SPARE_DAYS = 7
"""How much farther than the first list the solver may look: less lateness may end later."""
FIRST_SHARE, REPAIR_SHARE, SEARCH_SHARE = 0.1, 0.3, 0.6
"""The shares of the time in which the first lists are made, in which the schedule before is repaired, and in which
lists are searched before the solver takes over.
"""
RELAX_S, RELAX_SHARE = (0.2, 2.0), 0.2
"""Least and most seconds for the relaxed bench, and its share of the time."""
SHARES = {"lateness": 0.6, "moved": 0.4, "idle": 0.75, "changeovers": 1.0}
"""The share of what is left of the time that each aim may use."""


def schedule(
    bench: Bench, limit_s: float = LIMIT_S, workers: int = 0, *, by_work: bool = False, watch: Watch = NOBODY
) -> Schedule:
    """Plan a bench within some seconds; with no time at all the first list is the answer. `watch` is told where the
    search stands, and may stop it.

    `by_work` counts what is done instead of seconds: the answer hangs neither on the machine nor on what else it does.

    Raises ScheduleError when nobody works, a step fits nowhere, or pins contradict the order of a job.
    """
    until = Deadline.after(limit_s, by_work=by_work, watch=watch)
    grid = make_grid(bench)
    if not grid.tasks:
        return Schedule((), tuple(Aim(name, 0, 0, 0) for name in SHARES), {}, {})
    first = first_schedule(
        grid, TRIES if limit_s > 1 else LEAST_TRIES, until=None if by_work else until.share(FIRST_SHARE)
    )
    # by work it ends by its gap alone
    known = relaxed(grid, RELAX_BY_WORK_S if by_work else max(RELAX_S[0], min(RELAX_S[1], limit_s * RELAX_SHARE)))
    least = {"lateness": known.bound, "moved": 0, "idle": least_idle(grid), "changeovers": least_changeovers(grid)}
    if first is None or limit_s > 0:
        starts, bounds = _improve(grid, first, known, least, until, workers)
    else:
        starts, bounds = first, {}
    starts = tightened(grid, pulled_forward(grid, starts))
    cost = cost_of(grid, starts)
    ends = finishes(grid, starts)
    worked = sum(task.size for task in grid.tasks)
    aims = tuple(
        Aim(name, value, min(value, max(least[name], bounds.get(name, 0))), value + worked if name == "idle" else value)
        for name in SHARES
        for value in [getattr(cost, name)]
    )
    names = [job.code for job in bench.jobs]
    return Schedule(
        placed(grid, starts),
        aims,
        {name: grid.moment(end) for name, end in zip(names, ends, strict=True)},
        {name: late_days(grid, j, end) for j, (name, end) in enumerate(zip(names, ends, strict=True))},
    )


@dataclass(slots=True)
class _Model:
    """The model and what the aims are made from."""

    model: "cp_model.CpModel"
    start: list[Any]
    who: list[dict[int, Any]]
    spans: list[list[tuple[int, Any]]]


def _improve(
    grid: Grid,
    first: list[tuple[int, int]] | None,
    known: Relaxed,
    least: Mapping[str, int],
    until: Deadline,
    workers: int,
) -> tuple[list[tuple[int, int]], dict[str, int]]:
    """Solve aim by aim from a first answer; raises ScheduleError when the pins let nothing through."""
    if first is not None:
        until.watch.told(Found("lateness", cost_of(grid, first).lateness, known.bound))
        first = search(
            grid, _better(grid, first, repaired(grid, until.share(REPAIR_SHARE))), known, until.share(SEARCH_SHARE)
        )
    best, bounds = first, dict[str, int]()
    if best is not None and until.left <= LEAST_RUN_S:
        return best, bounds  # a model of a full bench takes seconds to make
    far = _horizon(grid, first)
    made = _model(grid, far)
    aims: dict[str, Callable[[], tuple[Any, int]]] = {
        "lateness": lambda: _lateness(grid, made, far),
        "moved": lambda: _moved(grid, made),
        "idle": lambda: _idle(grid, made, far),
        "changeovers": lambda: _changeovers(grid, made),
    }
    for name, build in aims.items():
        reached = getattr(cost_of(grid, best), name) if best is not None else None
        if reached is not None:
            until.watch.told(Found(name, reached, min(reached, least[name])))
        expression, offset = build()
        made.model.add(expression + offset >= least[name])
        left = until.left
        if reached is not None and reached <= least[name]:
            bounds[name] = reached
        elif best is None or left > LEAST_RUN_S:
            # without any answer yet the solver gets the time that it needs for one
            limit = max(LEAST_RUN_S if best is not None else RESCUE_S, left * SHARES[name])
            found, bound = _run(made, grid, expression, best, limit, workers, until)
            if bound is not None:
                bounds[name] = bound + offset
            best = _better(grid, best if best is not None else _must_exist(grid, found), found)
        assert best is not None
        made.model.add(expression + offset <= getattr(cost_of(grid, best), name))
    assert best is not None
    return best, bounds


def _better(grid: Grid, answer: list[tuple[int, int]], other: list[tuple[int, int]] | None) -> list[tuple[int, int]]:
    """The cheaper of two; the first when they cost the same."""
    return other if other is not None and cost_of(grid, other).key < cost_of(grid, answer).key else answer


def _must_exist(grid: Grid, answer: list[tuple[int, int]] | None) -> list[tuple[int, int]]:
    if answer is not None:
        return answer
    if grid.bench.pins:
        raise ScheduleError("pins", "the pins contradict each other or the order of a job; take one out")
    raise ScheduleError("dry", "the dry windows and the bench hours are not enough for what is to be done in them")


def _horizon(grid: Grid, first: list[tuple[int, int]] | None) -> int:
    """The last minute that the model looks at: some days after the end of the first answer."""
    if first is None:
        return grid.day_ends[-1]
    end = max((at + grid.tasks[i].end_of_wait for i, (at, _) in enumerate(first)), default=0)
    return grid.day_ends[min(len(grid.day_ends) - 1, grid.day_of(end) + SPARE_DAYS)]


def _model(grid: Grid, far: int) -> _Model:
    """Starts within shifts, one thing at a time for a technician, order with waits, fixtures by their count."""
    from ortools.sat.python import cp_model

    model = cp_model.CpModel()
    made = _Model(model, [], [], [[] for _ in grid.windows])
    fixtures: dict[str, list[Any]] = {}
    every: list[Any] = []
    for i, task in enumerate(grid.tasks):
        at = model.new_int_var_from_domain(
            _domain([span for fits in task.fits.values() for span in fits], far), f"s{i}"
        )
        mine = _technicians(made, i, task, at, far)
        if len(mine) > 1:
            model.add_exactly_one(mine.values())
            every.append(model.new_fixed_size_interval_var(at, task.size, f"e{i}"))
        for other, lag in task.after:
            model.add(at >= made.start[other] + grid.tasks[other].size + lag)
        if task.holds:
            fixtures.setdefault(task.holds, []).append(model.new_fixed_size_interval_var(at, task.held, f"h{i}"))
        made.start.append(at)
        made.who.append(mine)
    for intervals in made.spans:
        model.add_no_overlap([interval for _, interval in intervals])
    if len(grid.windows) > 1 and len(every) == len(grid.tasks):
        model.add_cumulative(every, [1] * len(every), len(grid.windows))
    for fixture, held in fixtures.items():
        count = grid.bench.fixtures[fixture]
        if count < len(held):
            model.add_cumulative(held, [1] * len(held), count)
    return made


def _domain(spans: Sequence[tuple[int, int]], far: int) -> Any:
    """Where a start may lie, up to a minute."""
    from ortools.sat.python import cp_model

    return cp_model.Domain.from_intervals([[a, min(b, far)] for a, b in spans if a <= far])


def _technicians(made: _Model, i: int, task: Task, at: Any, far: int) -> dict[int, Any]:
    """Who may do a task, each with the truth that it is he; its intervals go to their days."""
    if len(task.fits) == 1:
        (only,) = task.fits
        made.spans[only].append((i, made.model.new_fixed_size_interval_var(at, task.size, f"i{i}")))
        return {only: made.model.new_constant(1)}
    mine: dict[int, Any] = {}
    for t, fits in task.fits.items():
        mine[t] = here = made.model.new_bool_var(f"t{i}_{t}")
        made.model.add_linear_expression_in_domain(at, _domain(fits, far)).only_enforce_if(here)
        interval = made.model.new_optional_fixed_size_interval_var(at, task.size, here, f"i{i}_{t}")
        made.spans[t].append((i, interval))
    return mine


def _lateness(grid: Grid, made: _Model, far: int) -> tuple[Any, int]:
    """Days late by weight. By job and day a truth: done by then; what is done by a day must fit into the hours until
    it.
    """
    model, soonest, offset = made.model, alone(grid), 0
    last = grid.day_of(far)
    work = [sum(grid.tasks[i].size for i in grid.of_job(j)) for j in range(len(grid.bench.jobs))]
    by_day: dict[int, list[Any]] = {}
    terms = []
    for j, job in enumerate(grid.bench.jobs):
        due = grid.due[j]
        if due is None or not grid.of_job(j):
            continue
        # a job already late has its days behind it as well
        offset += job.weight * max(0, -due)
        followed = {other for k in grid.of_job(j) for other, _ in grid.tasks[k].after}
        ends = [i for i in grid.of_job(j) if i not in followed or grid.tasks[i].wait]
        before = None
        for day in range(max(0, due), last):
            if grid.day_ends[day] < soonest[j]:
                offset += job.weight
                continue
            done = model.new_bool_var(f"d{j}_{day}")
            for i in ends:
                model.add(made.start[i] + grid.tasks[i].end_of_wait <= grid.day_ends[day]).only_enforce_if(done)
            if before is not None:
                model.add_implication(before, done)
            before = done
            terms.append(job.weight * (1 - done))
            by_day.setdefault(day, []).append(work[j] * done)
    for day, loads in by_day.items():
        model.add(sum(loads) <= grid.open_before(grid.day_ends[day]))
    return sum(terms), offset


def _moved(grid: Grid, made: _Model) -> tuple[Any, int]:
    """Steps on another day or with another technician than before."""
    terms = []
    for i, task in enumerate(grid.tasks):
        if task.was is None:
            continue
        at, who = task.was
        day = grid.day_of(at + 1)
        stays = made.model.new_bool_var(f"stays{i}")
        floor = grid.day_start(day)
        made.model.add_linear_constraint(made.start[i], floor, grid.day_ends[day] - 1).only_enforce_if(stays)
        if who in made.who[i]:
            made.model.add_implication(stays, made.who[i][who])
        else:
            made.model.add(stays == 0)
        terms.append(1 - stays)
    return sum(terms), 0


def _idle(grid: Grid, made: _Model, far: int) -> tuple[Any, int]:
    """Bench minutes before the last step ends, less the work: a table of open minutes by shift."""
    model, work = made.model, sum(task.size for task in grid.tasks)
    last = model.new_int_var(0, far, "last")
    for i, task in enumerate(grid.tasks):
        model.add(last >= made.start[i] + task.size)
    opened = model.new_int_var(0, grid.open_before(far), "opened")
    edges = sorted(
        {edge for windows in grid.windows for window in windows for edge in window if edge <= far} | {0, far}
    )
    for a, b in pairwise(edges):
        at_work = sum(c <= a and b <= d for windows in grid.windows for c, d in windows)
        if at_work:
            # the last end lies after the stretch, within it, or before it
            after, beyond = model.new_bool_var(f"after{a}"), model.new_bool_var(f"beyond{a}")
            model.add(last <= a).only_enforce_if(~after)
            model.add(last <= b).only_enforce_if(~beyond)
            model.add(opened >= grid.open_before(b)).only_enforce_if(beyond)
            model.add(opened >= grid.open_before(a) + at_work * (last - a)).only_enforce_if(after, ~beyond)
    return opened - work, 0


def _changeovers(grid: Grid, made: _Model) -> tuple[Any, int]:
    """How often a technician takes up another instrument. Where two steps of a job follow each other with nothing
    between, that gap is an interval which bars everything else; every step without such a join begins a stretch.
    """
    from ortools.sat.python import cp_model

    model = made.model
    joins: list[Any] = []
    after_of: dict[tuple[int, int], list[Any]] = {}
    before_of: dict[tuple[int, int], list[Any]] = {}
    spans = [[interval for _, interval in intervals] for intervals in made.spans]
    for a, b in _may_follow(grid):
        for t in grid.tasks[a].fits.keys() & grid.tasks[b].fits.keys():
            join = model.new_bool_var(f"join{a}_{b}_{t}")
            gap = model.new_int_var(0, cp_model.INT32_MAX // 2, f"gap{a}_{b}_{t}")
            model.add_implication(join, made.who[a][t])
            model.add_implication(join, made.who[b][t])
            end = made.start[a] + grid.tasks[a].size
            spans[t].append(model.new_optional_interval_var(end, gap, made.start[b], join, f"g{a}_{b}_{t}"))
            joins.append(join)
            after_of.setdefault((a, t), []).append(join)
            before_of.setdefault((b, t), []).append(join)
    for choices in (*after_of.values(), *before_of.values()):
        if len(choices) > 1:
            model.add_at_most_one(choices)
    for intervals in spans:
        model.add_no_overlap(intervals)
    used = []
    for t in range(len(grid.windows)):
        works = model.new_bool_var(f"used{t}")
        model.add_at_least_one([*(who[t] for who in made.who if t in who), ~works])
        used.append(works)
    return len(grid.tasks) - sum(used) - sum(joins), 0


def _may_follow(grid: Grid) -> list[tuple[int, int]]:
    """Pairs of a job's tasks that one technician may do without another instrument between: neighbours in the order;
    with several technicians, or something prepared, those a little further apart too.
    """
    by_job: dict[int, list[int]] = {}
    for i, task in enumerate(grid.tasks):
        by_job.setdefault(task.job, []).append(i)
    reach = 3 if len(grid.windows) > 1 else 1
    pairs: list[tuple[int, int]] = []
    for tasks in by_job.values():
        free = {i for i in tasks if grid.bench.jobs[grid.tasks[i].job].steps[grid.tasks[i].step].prepared}
        chain = [i for i in tasks if i not in free]
        pairs += [(a, b) for k, a in enumerate(chain) for b in chain[k + 1 : k + 1 + reach]]
        pairs += [pair for i in free for other in tasks if other != i for pair in ((i, other), (other, i))]
    return list(dict.fromkeys(pairs))


def _run(
    made: _Model, grid: Grid, expression: Any, best: Starts | None, seconds: float, workers: int, until: Deadline
) -> tuple[list[tuple[int, int]] | None, int | None]:
    """One aim's search, from the best answer so far; its bound where there is one."""
    from ortools.sat.python import cp_model

    model = made.model
    model.clear_hints()  # type: ignore[no-untyped-call]
    if best is not None:
        for i, (at, t) in enumerate(best):
            model.add_hint(made.start[i], at)
            for other, here in made.who[i].items():
                if len(made.who[i]) > 1:
                    model.add_hint(here, other == t)
    model.minimize(expression)
    solver = cp_model.CpSolver()
    if until.by_work:
        solver.parameters.max_deterministic_time = seconds * WORK_IN_A_SECOND
    else:
        solver.parameters.max_time_in_seconds = seconds
    solver.parameters.num_workers = workers
    solver.parameters.random_seed = 1
    # without any answer yet there is nothing to stop with
    with until.stopping(solver.stop_search) if best is not None else nullcontext():
        status = solver.solve(model)
    if status == cp_model.INFEASIBLE:
        return None, None
    bound = round(solver.best_objective_bound)
    if status not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
        return None, bound
    starts = [
        (solver.value(at), next(t for t, here in who.items() if solver.boolean_value(here)))
        for at, who in zip(made.start, made.who, strict=True)
    ]
    return starts, bound
