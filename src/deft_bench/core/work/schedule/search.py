"""Local search over lists: each job aims at a day, its steps are as urgent as the latest starts that keep it; one
aim after another is moved.
"""

import random
from dataclasses import dataclass

from deft_bench.core.work.schedule.deadline import Deadline
from deft_bench.core.work.schedule.grid import Cost, Grid, cost_of, tight
from deft_bench.core.work.schedule.listing import NEAR, by_list, put_first
from deft_bench.core.work.schedule.relaxed import Relaxed, latest_starts, least_changeovers

SEED = 7
SHARES = (0.0, 0.5, 1.0)
"""How much the way still to go counts in a step's urgency: nothing (job by job) to all (the latest start that keeps
the job's day).
"""
NEARS = (0, NEAR // 2, NEAR)
DAY = 1440
IDLE_STEP = 0.01
"""Idle time is compared in steps of this share of the work; within one, promises with a day to spare count more."""
STALE = (60, 4)
"""After so many lists, and so many more a task, without a better one the search stops."""
STAYS = (0.0, DAY / 3, 2.0 * DAY)
"""By how many minutes the instrument in hand may be kept before a more urgent one."""


def search(grid: Grid, first: list[tuple[int, int]], found: Relaxed, until: Deadline) -> list[tuple[int, int]]:
    """The best list found until a deadline; no step of idle time worse than the first."""
    chance = random.Random(SEED)
    step = max(1, round(IDLE_STEP * sum(task.size for task in grid.tasks)))

    def rank(cost: Cost, starts: list[tuple[int, int]]) -> tuple[int, ...]:
        return cost.lateness, cost.moved, cost.idle // step, tight(grid, starts), cost.idle, cost.changeovers

    best, best_cost = first, cost_of(grid, first)
    best_rank = rank(best_cost, best)
    far = len(grid.day_ends) - 2
    days = [far if day is None else min(day, far) for day in found.days]
    way = [0] * len(grid.tasks)
    for j, day in enumerate(days):
        for i, start in latest_starts(grid, grid.of_job(j), grid.day_ends[day]).items():
            way[i] = grid.day_ends[day] - start
    begin = [(share, near, stay) for share in SHARES for near in NEARS for stay in STAYS]
    at = _Aim([float(grid.day_ends[day]) for day in days], 0.0, 0, 0.0)
    reached: tuple[float, ...] = (float("inf"),)
    tried = better = 0
    while until.left > 0 and tried - better <= STALE[0] + STALE[1] * len(grid.tasks):
        aim = _Aim(list(at.turns), *begin[tried]) if tried < len(begin) else _moved(at, chance)
        tried += 1
        urgency = [aim.turns[task.job] - aim.share * way[i] for i, task in enumerate(grid.tasks)]
        put_first(grid, urgency)
        starts = by_list(grid, urgency, aim.near, aim.stay)
        until.spend()
        if starts is None:
            continue
        cost = cost_of(grid, starts)
        ranked = rank(cost, starts)
        if ranked <= reached:
            at, reached = aim, ranked
        if ranked < best_rank:
            best, best_cost, best_rank, better = starts, cost, ranked, tried
        if best_cost.lateness <= found.bound and not best_rank[3] and best_cost.changeovers <= least_changeovers(grid):
            break
    return best


def _moved(at: "_Aim", chance: random.Random) -> "_Aim":
    """A step from where the search is: one job's turn put off, two exchanged, or the list made otherwise."""
    turns, share, near, stay = list(at.turns), at.share, at.near, at.stay
    jobs = range(len(turns))
    move = chance.random()
    one, other = chance.choice(jobs), chance.choice(jobs)
    if move < 0.5:
        turns[one] += chance.gauss(0, 2) * DAY
    elif move < 0.85:
        turns[one], turns[other] = turns[other], turns[one]
    else:
        share, near, stay = chance.choice((*SHARES, 1.5)), chance.choice(NEARS), chance.choice(STAYS)
    return _Aim(turns, share, near, stay)


@dataclass(frozen=True, slots=True)
class _Aim:
    """From where the search goes on: each job's turn, and how its list is made."""

    turns: list[float]
    share: float
    near: int
    stay: float
