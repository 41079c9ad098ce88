"""Schedules: equal to an exhaustive search on small weeks, near their proven bound on a full fortnight, and never
against a demand.
"""

import itertools
import random
from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.core.work.schedule.bench import Bench, Job, Pin, Step, Technician, troubles, without_trouble
from deft_bench.core.work.schedule.grid import Cost, Grid, ScheduleError, cost_of, faults, make_grid
from deft_bench.core.work.schedule.planning import plan_bench
from deft_bench.core.work.schedule.solve import schedule
from weeks import NOW, bench, fortnight, starts_of


def small(seed: int) -> Bench:
    """A small week: two or three jobs of one to three steps, long enough that order and days matter."""
    chance = random.Random(seed)
    jobs = []
    left = 6
    for j in range(chance.choice((2, 3))):
        steps: list[Step] = []
        for s in range(min(left, chance.randint(1, 3))):
            wait = chance.choice((0, 0, 90, 1200))
            steps.append(
                Step(
                    f"s{s}",
                    "",
                    chance.choice((50, 100, 150, 205)),
                    wait,
                    tuple(k for k in range(s) if steps[k].wait),
                    holds="clamps" if wait else "",
                )
            )
        left -= len(steps)
        if steps:
            day = NOW.date() + timedelta(days=chance.randint(-1, 2))
            jobs.append(Job(f"j{j}", "", tuple(steps), day, chance.randint(1, 4)))
    return bench(jobs, chance.choice((1, 2)))


def exhaustive(grid: Grid) -> Cost:
    """The least cost over every order of the tasks and every choice of technicians, each task as early as that order
    lets it.
    """
    best = None
    for order in itertools.permutations(range(len(grid.tasks))):
        place = {i: k for k, i in enumerate(order)}
        if any(place[other] > place[i] for i, task in enumerate(grid.tasks) for other, _ in task.after):
            continue
        for who in itertools.product(range(len(grid.windows)), repeat=len(order)):
            starts: dict[int, int] = {}
            free = [0] * len(grid.windows)
            held: list[tuple[int, int]] = []
            for i in order:
                task = grid.tasks[i]
                at = max([free[who[i]], *(starts[other] + grid.tasks[other].size + lag for other, lag in task.after)])
                while True:
                    at = min(max(a, at) for a, b in task.fits[who[i]] if b >= at)
                    clash = [d for c, d in held if c < at + task.held and at < d] if task.holds else []
                    if not clash:
                        break
                    at = max(clash)
                starts[i], free[who[i]] = at, at + task.size
                if task.holds:
                    held.append((at, at + task.held))
            cost = cost_of(grid, [(starts[i], who[i]) for i in range(len(order))])
            best = cost if best is None or cost.key < best.key else best
    assert best is not None
    return best


@pytest.mark.parametrize("seed", range(24))
def test_small_weeks_equal_an_exhaustive_search(seed: int) -> None:
    week = small(seed)
    least = exhaustive(make_grid(week))
    found = schedule(week, 8)
    assert tuple(aim.value for aim in found.aims) == least.key
    assert found.aim("lateness").gap == 0


@settings(max_examples=25)
@given(st.integers(0, 10**6), st.booleans())
def test_no_schedule_breaks_a_demand(seed: int, tried: bool) -> None:
    chance = random.Random(seed)
    jobs = []
    for j in range(chance.randint(1, 4)):
        steps: list[Step] = []
        for s in range(chance.randint(1, 5)):
            after = tuple(k for k in range(s) if steps[k].wait)
            steps.append(
                Step(
                    f"s{s}",
                    "",
                    chance.choice((0, 20, 90, 300, 700)),
                    chance.choice((0, 0, 600)),
                    after,
                    prepared=s == 0 and chance.random() < 0.3,
                    holds=chance.choice(("", "clamps")),
                    outdoors=chance.random() < 0.2,
                    technician=chance.choice(("", "Ada", "Bo")),
                    not_before=chance.choice((None, NOW + timedelta(days=2))),
                )
            )
        jobs.append(Job(f"j{j}", "", tuple(steps), chance.choice((None, date(2026, 8, 26))), chance.randint(1, 9)))
    dry = ((NOW + timedelta(days=1), NOW + timedelta(days=5)), (NOW + timedelta(days=7), NOW + timedelta(days=90)))
    asked = bench(jobs, 2, dry=dry)
    long = [step for job in jobs for step in job.steps if step.outdoors and step.minutes > 255]
    found = schedule(asked, 0.4 if tried else 0)
    assert faults(make_grid(asked), starts_of(asked, found)) == []
    assert long == [] or len([one for one in found.placed if one.parts > 1]) >= len(long)
    for job in jobs:
        last = max(one.free_at for one in found.placed if one.job == job.code)
        assert found.finish[job.code] == last
        if job.promised:
            # a job that ends at midnight is not meant: shifts end in the evening
            assert found.days_late[job.code] == max(0, (last.date() - job.promised).days)
    assert [aim.bound <= aim.value for aim in found.aims] == [True] * 4


def test_a_pin_is_kept_and_what_cannot_be_kept_is_said() -> None:
    jobs = [
        Job(f"j{j}", f"Job {j}", (Step("a", "Cut", 60, 1200), Step("b", "Fit", 60, 0, (0,))), date(2026, 8, 25))
        for j in range(3)
    ]
    asked = bench(jobs, fixtures={})
    free = schedule(asked, 3)
    assert free.aim("lateness").value == 0
    pinned = replace(asked, pins=(Pin("j1", "a", NOW + timedelta(days=2, hours=2)),))
    found = schedule(pinned, 3)
    at = next(one for one in found.placed if (one.job, one.step) == ("j1", "a"))
    assert at.start == NOW + timedelta(days=2, hours=2)
    assert found.aim("lateness").value == 2  # what the pin costs: a cure of a night after it
    with pytest.raises(ScheduleError, match="does not fit into bench hours") as night:
        schedule(replace(asked, pins=(Pin("j1", "a", NOW + timedelta(hours=16)),)), 1)
    assert (night.value.where, night.value.job) == ("pins[0]", "j1")
    twice = (Pin("j1", "b", NOW + timedelta(hours=2)), Pin("j1", "a", NOW + timedelta(hours=6)))
    with pytest.raises(ScheduleError, match="contradict"):
        schedule(replace(asked, pins=twice), 2)


@pytest.mark.parametrize("far", [119, 120, 121, 400, 2_900_000])
def test_a_promise_past_the_horizon_is_planned_with_the_rest(far: int) -> None:
    first = fortnight(3)
    asked = replace(first, jobs=(replace(first.jobs[0], promised=NOW.date() + timedelta(days=far)), *first.jobs[1:4]))
    found = schedule(asked, 0.5)
    assert faults(make_grid(asked), starts_of(asked, found)) == []
    assert found.days_late[asked.jobs[0].code] == 0
    # what is promised for yesterday is a clock set back to another bench: it is late, and planned
    early = replace(asked, now=NOW - timedelta(days=365))
    assert schedule(replace(early, jobs=early.jobs[:2]), 0.5).placed


def test_a_promise_is_kept_when_the_last_cure_is_over() -> None:
    spray = Job("a", "", (Step("spray", "", 60, 3 * 1440), Step("card", "", 30)), date(2026, 8, 26))
    found = schedule(bench([spray]), 1)
    assert found.finish["a"] == NOW + timedelta(days=3, hours=2)
    assert (found.days_late["a"], found.aim("lateness").bound) == (1, 1)


def test_what_finds_no_dry_window_is_left_out_and_the_rest_planned() -> None:
    dry = ((NOW + timedelta(hours=1), NOW + timedelta(hours=3)),)
    coats = tuple(Step(f"coat{k}", "", 60, 600, tuple(range(k)), outdoors=True) for k in range(2))
    jobs = [
        Job("level", "", (Step("a", "", 60),), date(2026, 8, 25)),
        Job("two coats", "", coats, date(2026, 8, 27)),
        *(Job(f"one{k}", "", (coats[0],), date(2026, 8, 26 + k)) for k in range(3)),
    ]
    planned = plan_bench(bench(jobs, dry=dry), 1)
    assert [trouble.job for trouble in planned.troubles] == ["two coats", "one2"]
    assert "beside the others’" in planned.troubles[1].why
    assert {one.job for one in planned.found.placed} == {"level", "one0", "one1"}


def test_planned_anew_it_moves_as_little_as_it_can() -> None:
    jobs = [Job(f"j{j}", "", (Step("a", "", 100), Step("b", "", 100)), date(2026, 8, 28)) for j in range(8)]
    before = schedule(bench(jobs), 3)
    later = NOW + timedelta(hours=5)
    left = [
        replace(
            job,
            steps=tuple(
                step
                for step in job.steps
                if next(one for one in before.placed if (one.job, one.step) == (job.code, step.code)).start >= later
            ),
        )
        for job in jobs
    ]
    asked = replace(bench([job for job in left if job.steps]), now=later, before=before.placed)
    assert schedule(asked, 3).aim("moved").value == 0
    slipped = replace(asked, jobs=(*asked.jobs, Job("new", "", (Step("a", "", 200),), date(2026, 8, 24), 9)))
    found = schedule(slipped, 3)
    assert found.aim("lateness").value == 0
    assert 1 <= found.aim("moved").value <= 3


def test_troubles_are_named_and_the_rest_is_planned() -> None:
    good = Job("ok", "Heron", (Step("a", "Level", 60),), date(2026, 8, 28))
    bad = [
        Job("early", "Plover", (Step("a", "", 10),), date(2026, 8, 20), arrives=NOW),
        Job("hold", "Dunlin", (Step("a", "Glue", 10, 60, holds="press"),)),
        Job("under", "Knot", (Step("a", "Cut", -5),)),
        Job("who", "Ruff", (Step("a", "Cut", 5, technician="Cy"),)),
        Job("heavy", "Godwit", (Step("a", "Cut", 5),), weight=12),
    ]
    asked = bench([good, *bad], fixtures={"press": 0})
    asked = replace(asked, technicians=(*asked.technicians, Technician("Di", {})), pins=(Pin("ok", "z", NOW),))
    said = {one.where: one.why for one in troubles(asked)}
    assert said == {
        "technicians[1].hours": "Di has no hours; give at least one shift a week",
        "jobs[1].promised": "Plover: promised before it comes in",
        "fixtures.press": "“Glue” needs press and there are none",
        "jobs[3].steps[0].minutes": "Cut: minutes are zero or more",
        "jobs[4].steps[0].technician": "“Cy” is no technician here",
        "jobs[5].weight": "must be from 1 to 9",
        "pins[0].step": "no step “z” of “ok” is left to do",
    }
    kept, _ = without_trouble(asked)
    assert [job.code for job in kept.jobs] == ["ok"]
    assert [one.step for one in schedule(kept, 1).placed] == ["a"]
    with pytest.raises(ScheduleError, match="nobody has hours"):
        schedule(replace(asked, technicians=(), jobs=(good,), pins=()), 1)
    outside = Job("out", "", (Step("a", "Spray", 60, outdoors=True),))
    with pytest.raises(ScheduleError, match="no dry window"):
        schedule(bench([outside], dry=((NOW + timedelta(hours=12), NOW + timedelta(hours=20)),)), 1)
