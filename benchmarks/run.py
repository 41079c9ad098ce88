"""`make bench`: ratios against a reference run in the same process. No bare seconds, no promise in a timed test."""

import math
import random
import tempfile
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from datetime import time as clock
from functools import partial
from itertools import combinations
from pathlib import Path
from statistics import median
from time import perf_counter

import numpy as np
from following import bench_following
from pages import bench_many, bench_pages, bench_starts
from scipy.optimize import linprog

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.levelling import LevelRequest, level_option, plan_level
from deft_bench.core.strings.clearance import OverString, clearance
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.pitch import pitch
from deft_bench.core.strings.setup_solve import setup_solve
from deft_bench.core.work.schedule.bench import Bench, Job, Step, Technician
from deft_bench.core.work.schedule.grid import cost_of, make_grid
from deft_bench.core.work.schedule.listing import by_list
from deft_bench.core.work.schedule.relaxed import relaxed
from deft_bench.core.work.schedule.solve import schedule
from deft_bench.demo import make_demo
from deft_bench.formats.board import EXPORTS
from deft_bench.web import create_app

DAY = datetime(2026, 8, 24, 9, 30, tzinfo=UTC)


def timed(work: Callable[[], object], rounds: int) -> float:
    """The median time of some rounds, for ratios only."""
    times = []
    for _ in range(rounds):
        start = perf_counter()
        work()
        times.append(perf_counter() - start)
    return median(times)


def by_solver(request: LevelRequest) -> dict[tuple[int, ...], float]:
    """The total of level-all and of every set of one or two lifted frets, each lane's programme by HiGHS one by one."""
    frets = range(1, len(request.positions_mm) + 1)
    totals = {}
    for size in (0, 1, 2):
        for lift in combinations(frets, size):
            total = 0.0
            for lane in request.heights:
                bounds = request.bounds(lane)
                held = [(x / 1000, g) for fret, x, g in bounds if fret not in lift]
                free = [(x / 1000, g) for fret, x, g in bounds if fret in lift]
                rows = [[1, x] + [0] * len(free) for x, _ in held]
                rows += [[-1, -x] + [-1 if i == k else 0 for i in range(len(free))] for k, (x, _) in enumerate(free)]
                limits = [g for _, g in held] + [-g for _, g in free]
                cost = np.array([-len(held), -sum(x for x, _ in held)] + [1] * len(free))
                answer = linprog(
                    cost, rows, limits, bounds=[(None, None)] * 2 + [(0, None)] * len(free), method="highs"
                )
                total += answer.fun + sum(g for _, g in held)
            totals[lift] = total
    return totals


def bench_level_plan() -> None:
    """The plan for 24 frets and three lanes with all options, against the solver on the same programmes."""
    chance = random.Random(24)
    lanes = {lane: [round(chance.gauss(0, 0.03), 2) for _ in range(24)] for lane in ("bass", "middle", "treble")}
    positions = tuple(fret_positions(648, 24))
    request = LevelRequest(positions, lanes, (0.0,) * 24, frozenset(), "least_metal", (1.2,) * 24, 0.78, 0.01, 0.02)
    ours = timed(lambda: plan_level(request), 15)
    start = perf_counter()
    theirs = by_solver(request)
    solver = perf_counter() - start
    worst = max(abs(level_option(request, lift).total_mm - total) for lift, total in theirs.items())
    threshold = max(0.10, 0.15 * theirs[()])
    pays = {
        lift
        for lift in theirs
        if lift and all(theirs[tuple(f for f in lift if f != out)] - theirs[lift] >= threshold for out in lift)
    }
    same = pays == {option.lift for option in plan_level(request).options if option.lift}
    print(
        f"level-plan, 24 frets × 3 lanes, {len(theirs)} sets: {solver / ours:.0f} times faster than HiGHS one by one"
        " (wanted: 20)"
    )
    print(
        f"  largest difference in any total {worst:.1e} mm; the sets that pay are"
        f" {'the same' if same else 'NOT the same'}"
    )


def bench_schedule() -> None:
    """Fortnights of 20 jobs of 15 steps against the plain rule of a bench without a plan: the nearest promise first."""
    for seed in (3, 6, 8):
        _bench_fortnight(seed)


def _fortnight(seed: int, promised: tuple[int, int] = (3, 18)) -> Bench:
    chance = random.Random(seed)
    hours = ((clock(9), clock(12, 30)), (clock(13, 15), clock(17, 30)))
    who = tuple(Technician(name, dict.fromkeys(range(5), hours)) for name in ("Ada", "Bo"))
    jobs_then = []
    for j in range(20):
        cures = set(chance.sample(range(1, 14), 2))
        steps: list[Step] = []
        for k in range(15):
            wait = chance.choice((60, 240, 720, 1440)) if k in cures else 0
            after = tuple(n for n in range(k) if steps[n].wait)
            steps.append(Step(f"s{k}", "", chance.randint(5, 45), wait, after))
        day = DAY.date() + timedelta(days=0 if j < 2 else chance.randint(*promised))
        jobs_then.append(Job(f"j{j}", "", tuple(steps), day, chance.randint(1, 3)))
    return Bench(DAY, UTC, who, tuple(jobs_then))


def _bench_fortnight(seed: int) -> None:
    bench = _fortnight(seed)
    grid = make_grid(bench)
    urgency = [float(grid.due[task.job] or 0) for task in grid.tasks]
    plain = by_list(grid, urgency, 0)
    assert plain is not None
    reference = timed(lambda: by_list(grid, urgency, 0), 5)
    first = timed(lambda: schedule(bench, 0), 3)
    then, found = cost_of(grid, plain), schedule(bench, 10)
    late, idle = found.aim("lateness"), found.aim("idle")
    print(
        f"schedule, fortnight {seed}: lateness {late.value / max(1, then.lateness):.2f} and idle"
        f" {idle.value / max(1, then.idle):.2f} of nearest promise first; gaps to the bound {late.gap:.3f} and"
        f" {idle.gap:.3f}; a first answer takes {first / reference:.0f} plain lists"
    )


def bench_overbooked() -> None:
    """Weeks of five jobs of eight steps, overbooked by a third, whose optimum the solver can prove; what is found in
    ten seconds, and the relaxed bound alone, against it.
    """
    found = optimum = bound = proven = 0
    for seed in range(1, 9):
        week = _overbooked(seed)
        late = schedule(week, 10).aim("lateness")
        found += late.value
        proven += late.gap == 0
        optimum += late.value if late.gap == 0 else schedule(week, 60).aim("lateness").bound
        bound += relaxed(make_grid(week), 2.0).bound
    print(
        f"schedule, eight overbooked weeks ({proven} proven at once): lateness found {found / optimum:.2f} of the"
        f" optimum, the relaxed bound {bound / optimum:.2f} of it"
    )
    full = [schedule(_fortnight(seed, (1, 7)), 20).aim("lateness") for seed in range(1, 7)]
    over = sorted(late.value / max(1, late.bound) for late in full)
    print(
        f"schedule, six overbooked fortnights: lateness {median(over):.2f} of its bound at the median, {over[-1]:.2f}"
        f" at worst (wanted: 1.10, or a bound that is too low; {'yes' if over[-1] <= 1.1 else 'NO'})"
    )


def _overbooked(seed: int) -> Bench:
    chance = random.Random(seed)
    hours = ((clock(9), clock(12, 30)), (clock(13, 15), clock(17, 30)))
    jobs = []
    for j in range(5):
        waits = [chance.choice((0, 0, 0, 240, 1440)) for _ in range(8)]
        steps = [
            Step(f"s{k}", "", chance.randint(15, 75), wait, tuple(n for n in range(k) if waits[n]))
            for k, wait in enumerate(waits)
        ]
        jobs.append(Job(f"j{j}", "", tuple(steps), DAY.date() + timedelta(days=chance.randint(1, 2))))
    return Bench(DAY, UTC, (Technician("Ada", dict.fromkeys(range(5), hours)),), tuple(jobs))


def bench_board() -> None:
    """A changed number on the Board screen, worked out and drawn, for a large board against a small one; and all of
    its files.
    """
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "demo.sqlite3"
        make_demo(database, DAY.date())
        app = create_app(database, now=lambda: DAY, testing=True)
        app.config["WTF_CSRF_ENABLED"] = False
        client = app.test_client()
        sent = {
            "large": {"frets": "24", "strings": "8"},
            "small": {"frets": "17", "strings": "2"},
        }
        for form in sent.values():
            assert b"slot-hit" in client.post("/instruments/14/board/preview", data=form).data
        times = {
            name: timed(partial(client.post, "/instruments/14/board/preview", data=form), 25)
            for name, form in sent.items()
        }
        print(
            f"a redrawn board, 24 frets and 8 strings against 17 and 2: {times['large'] / times['small']:.2f}"
            f"   (median under 100 ms here: {'yes' if times['large'] < 0.1 else 'NO'})"
        )
        files = timed(lambda: [client.get(f"/instruments/14/board/files/{kind}") for kind in EXPORTS], 5)
        print(
            f"all files of one board against one redrawing: {files / times['large']:.1f}   (under 2 s here:"
            f" {'yes' if files < 2 else 'NO'})"
        )


def bench_setup() -> None:
    """Clearance, the lowest setup and pitch against plain ways to the same figures; and a slider's answer against
    the page it stands on.
    """
    chance = random.Random(8)
    errors = {lane: [chance.gauss(0, 0.01) for _ in range(24)] for lane in ("bass", "middle", "treble")}
    frame = StringFrame(686, 24, 0.15, errors=errors)
    strings = [OverString(i, 78, 0.12, 1.0, 1.6) for i in range(1, 9)]
    ours, plain = timed(lambda: clearance(frame, strings), 25), timed(lambda: plain_margins(frame, strings), 5)
    print(
        f"clearance, 8 strings × 24 frets: {plain / ours:.0f} times faster than fret by fret (median under 5 ms here:"
        f" {'yes' if ours < 0.005 else 'NO'})"
    )
    free = [replace(one, action_12_mm=None) for one in strings]
    solve = timed(lambda: setup_solve(frame, free, (0.05, 0.3), 0.02), 15)
    search = timed(lambda: [clearance(replace(frame, relief_mm=0.05 + 0.01 * k), strings) for k in range(26)], 3)
    print(
        f"setup-solve against 26 clearances, a bare search's first step: {solve / search:.2f} (median under 150 ms"
        f" here: {'yes' if solve < 0.15 else 'NO'})"
    )
    t = np.arange(3 * 48_000) / 48_000
    n = np.arange(1, 12)[:, np.newaxis]
    note = 0.4 * (np.exp(-t * n / 3) * np.sin(2 * np.pi * 110 * n * t) / n).sum(axis=0)
    found, bare = timed(lambda: pitch(note, 48_000), 7), timed(lambda: np.fft.rfft(note, 1 << 19), 7)
    print(
        f"pitch of 3 s against one bare spectrum: {found / bare:.1f} (median under 400 ms here:"
        f" {'yes' if found < 0.4 else 'NO'})"
    )
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "demo.sqlite3"
        make_demo(database, DAY.date())
        app = create_app(database, now=lambda: DAY, testing=True)
        app.config["WTF_CSRF_ENABLED"] = False
        client = app.test_client()
        sent = {"relief": "0.12", "nut": "0", "hand": "110", **{f"action_{n}": "1.7" for n in range(1, 7)}}
        assert b"map-cell" in client.post("/instruments/1/setup/preview", data=sent).data
        slid = timed(lambda: client.post("/instruments/1/setup/preview", data=sent), 25)
        page = timed(lambda: client.get("/instruments/1/setup"), 15)
        print(
            f"a slider's answer against its page: {slid / page:.2f} (median under 100 ms here:"
            f" {'yes' if slid < 0.1 else 'NO'})"
        )


def plain_margins(frame: StringFrame, strings: list[OverString]) -> list[list[list[float]]]:
    """The same margins one after another."""
    x = [0.0, *fret_positions(frame.scale_mm, frame.frets)]
    found = []
    for one in strings:
        tops = [one.nut_height_mm, *frame.tops(one.string, len(strings)).tolist()]
        saddle = one.nut_height_mm + (tops[12] + (one.action_12_mm or 0) - one.nut_height_mm) * 2
        rows = []
        for f in range(frame.frets):
            length = frame.scale_mm - x[f]
            size = (
                2
                * one.pluck_n
                * length
                / (math.pi**2 * one.tension_n)
                * math.sin(math.pi * min(130, length / 2) / length)
            )
            rows.append(
                [
                    tops[f]
                    + (saddle - tops[f]) * (x[n] - x[f]) / length
                    - size * math.sin(math.pi * (x[n] - x[f]) / length)
                    - tops[n]
                    for n in range(f + 1, frame.frets + 1)
                ]
            )
        found.append(rows)
    return found


if __name__ == "__main__":
    bench_level_plan()
    bench_setup()
    bench_schedule()
    bench_overbooked()
    bench_board()
    bench_pages()
    bench_many()
    bench_starts()
    bench_following()
