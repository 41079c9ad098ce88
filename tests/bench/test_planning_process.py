"""Planning in a process of its own: the same plans, told as they go, stopped by whoever waits, and never lost."""

import os
import signal
import threading
import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest

from deft_bench.bench.planner import Planner, Progress
from deft_bench.bench.planning_process import PlanningProcess
from deft_bench.bench.scheduling import bench_of, work_left
from deft_bench.core.work.schedule.bench import Bench
from deft_bench.core.work.schedule.deadline import Found
from deft_bench.core.work.schedule.grid import ScheduleError
from deft_bench.core.work.schedule.planning import Planned, plan_bench
from deft_bench.store import shop
from deft_bench.store.database import open_database
from deft_bench.web import create_app
from harness import NOW
from harness import Bench as Client
from weeks import fortnight

LONG_S = 60.0
"""Longer than any of these may take: what ends sooner was stopped, or had nothing more to find."""


@pytest.fixture(scope="module")
def apart() -> Iterator[PlanningProcess]:
    process = PlanningProcess()
    yield process
    process.close()


@pytest.fixture(scope="module")
def week(demo_made: Path) -> Bench:
    with closing(open_database(demo_made)) as db:
        return bench_of(db, NOW, work_left(db, shop.settings(db), NOW), [])


@pytest.fixture(scope="module")
def hard() -> Bench:
    """A fortnight overbooked by half: no search ends before its time."""
    return fortnight(1, (1, 7))


def test_it_plans_as_it_does_here(apart: PlanningProcess, week: Bench) -> None:
    progress = Progress(0.0)  # no search: the first list is the answer, the same everywhere
    there, here = apart.plan(week, progress), plan_bench(week, 0.0)
    assert there.found.placed == here.found.placed
    assert there.risks == here.risks


def test_a_plan_that_is_stopped_is_the_best_so_far(apart: PlanningProcess, hard: Bench) -> None:
    planner = Planner()
    planner.elsewhere = apart
    made = []
    asking = threading.Thread(target=lambda: made.append(planner.make(hard, LONG_S)))
    asking.start()
    while planner.progress is None or planner.progress.found is None:
        time.sleep(0.01)
    began, found = planner.progress.began, planner.progress.found
    assert found.value >= found.bound
    planner.stop()
    asking.join(LONG_S)
    assert time.monotonic() - began < LONG_S / 2
    assert planner.progress is None
    assert {one.job for one in made[0].found.placed} == {job.code for job in hard.jobs}
    planner.stop()  # nothing is being made: nothing happens
    # nor does a wish to stop reach the plan after it
    assert apart.plan(hard, Progress(0.0)).found.placed


def test_one_that_is_stopped_here_ends_too(hard: Bench) -> None:
    planner = Planner()
    told = threading.Event()
    tell = Progress.tell

    class Stopped(Progress):
        def tell(self, found: object) -> None:
            tell(self, found)  # type: ignore[arg-type]
            planner.stop()
            told.set()

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("deft_bench.bench.planner.Progress", Stopped)
        began = time.monotonic()
        assert planner.make(hard, LONG_S).found.placed
    assert told.is_set()
    assert time.monotonic() - began < LONG_S / 2


def test_what_cannot_be_planned_is_refused_from_there(apart: PlanningProcess, week: Bench) -> None:
    nobody = Bench(week.now, week.zone, (), week.jobs)
    with pytest.raises(ScheduleError) as here:
        plan_bench(nobody, 0.0)
    with pytest.raises(ScheduleError) as there:
        apart.plan(nobody, Progress(0.0))
    assert (str(there.value), there.value.where, there.value.job) == (
        str(here.value),
        here.value.where,
        here.value.job,
    )


def test_one_that_is_killed_is_started_again(apart: PlanningProcess, week: Bench) -> None:
    apart.start()
    process = apart._process
    assert process is not None
    pid = process.pid
    assert pid is not None
    progress = Progress(LONG_S)

    def kill() -> None:
        while progress.found is None:
            time.sleep(0.01)
        os.kill(pid, signal.SIGKILL)
        progress.stop.set()

    killing = threading.Thread(target=kill)
    killing.start()
    assert apart.plan(week, progress).found.placed
    killing.join()
    assert not process.is_alive()


def test_the_page_says_how_a_plan_stands_and_stops_it(demo_path: Path) -> None:
    class Waits:
        """Plans nothing until it is stopped."""

        def plan(self, bench: Bench, progress: Progress) -> Planned:
            progress.tell(Found("idle", 95, 60))
            assert progress.stop.wait(LONG_S)
            return plan_bench(bench, 0.0)

    app = create_app(demo_path, now=lambda: NOW, testing=True)
    app.config["SCHEDULE_SECONDS"] = LONG_S
    app.extensions["planner"].elsewhere = Waits()
    bench = Client(app.test_client())
    assert bench.get("/schedule/planning").strip() == ""
    answers = []
    asking = threading.Thread(target=lambda: answers.append(Client(app.test_client()).post("/schedule/plan").text))
    asking.start()
    while not (said := " ".join(bench.get("/schedule/planning").split())):
        time.sleep(0.01)
    assert said == f"0 s of at most {LONG_S:.0f}: 1 h 35 idle before the last step."
    assert bench.post("/schedule/stop").status_code == 204
    asking.join(LONG_S)
    assert "Planned from now" in answers[0]
