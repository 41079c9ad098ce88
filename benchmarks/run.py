"""`make bench`: ratios against a reference run in the same process. No bare seconds, no promise in a timed test."""

import math
import random
import shutil
import tempfile
from collections.abc import Callable
from contextlib import closing
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
from scipy.optimize import linprog

from deft_bench.bench.scheduling import plan_first
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.levelling import LevelRequest, level_option, plan_level
from deft_bench.core.instrument import STARTING
from deft_bench.core.strings.clearance import OverString, clearance
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.pitch import pitch
from deft_bench.core.strings.setup_solve import setup_solve
from deft_bench.core.work.schedule.bench import Bench, Job, Step, Technician
from deft_bench.core.work.schedule.grid import cost_of, make_grid
from deft_bench.core.work.schedule.listing import by_list
from deft_bench.core.work.schedule.solve import schedule
from deft_bench.demo import make_demo
from deft_bench.formats.board import EXPORTS
from deft_bench.store import instruments, jobs, shop, surveys
from deft_bench.store.database import Connection, connect, transaction
from deft_bench.web import create_app

DAY = datetime(2026, 8, 24, 9, 30, tzinfo=UTC)
INSTRUMENTS = 10_000
READINGS = 1_000_000


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


def grow(db: Connection) -> None:
    """The demo bench with as many instruments and readings as a big shop would have in decades."""
    chance = random.Random(10_000)
    spec = STARTING["electric"]
    head = surveys.get(db, 1).head
    height = replace(head, kind="fret_heights")
    per = READINGS // (INSTRUMENTS * 66) + 1
    with transaction(db):
        for n in range(INSTRUMENTS - 12):
            at = (
                (DAY - timedelta(days=900) + timedelta(minutes=n))
                .isoformat(timespec="milliseconds")
                .replace("+00:00", "Z")
            )
            made = instruments.add(
                db, replace(spec, name=f"{chance.choice(['Heron', 'Tern', 'Snipe', 'Ruff'])} No. {n + 20}"), at
            )
            cursor = db.execute(
                "INSERT INTO job (uid, instrument_id, kind, opened_at, promised_on, closed_at) VALUES (?, ?, ?, ?,"
                " ?, ?)",
                (f"{n + 10_000:032x}", made, "level_and_dress", at, "2027-01-01", None if n % 20 == 0 else at),
            )
            for _ in range(per):
                survey = surveys.start(db, made, cursor.lastrowid, 22, height, at)
                db.executemany(
                    "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at) VALUES (?, ?, ?, ?, '', ?)",
                    [
                        (survey, lane, fret, chance.randint(0, 80), at)
                        for lane in ("bass", "middle", "treble")
                        for fret in range(1, 23)
                    ],
                )
    db.execute("ANALYZE")
    db.execute("PRAGMA wal_checkpoint(TRUNCATE)")


def bench_pages() -> None:
    """Every kind of page with the demo bench, and with the demo bench inside a very large one."""
    with tempfile.TemporaryDirectory() as folder:
        small, large = Path(folder) / "small.sqlite3", Path(folder) / "large.sqlite3"
        make_demo(small, DAY.date())
        with closing(connect(small)) as db:
            plan_first(db, shop.settings(db), DAY)
            db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        shutil.copy(small, large)
        with closing(connect(large)) as db:
            grow(db)
            counts = [db.execute(f"SELECT count(*) FROM {table}").fetchone()[0] for table in ("instrument", "reading")]
        with closing(connect(small)) as db:
            heron = next(job for job in jobs.in_bench_order(db))
            survey = surveys.of_job(db, heron.id)[0].id
        pages = {
            "today": "/",
            "instruments": "/instruments",
            "find one": "/instruments?q=curlew",
            "find many": "/instruments?q=no",
            "instrument": "/instruments/1",
            "survey": f"/surveys/{survey}",
            "level": f"/jobs/{heron.id}/level",
            "record": f"/jobs/{heron.id}/record",
            "settings": "/settings",
            "board": "/instruments/14/board",
            "marking": "/instruments/14/board/marking",
            "refret": "/jobs/132/refret",
            "boards": "/boards",
            "setup": "/instruments/8/setup",
            "run sheet": "/jobs/12/sheet",
            "intonation": "/instruments/8/setup/intonation",
            "schedule": "/schedule",
            "stock": "/stock",
            "tools": "/tools",
            "estimate": "/jobs/12/estimate",
        }
        clients = [create_app(path, now=lambda: DAY).test_client() for path in (small, large)]
        print(
            f"pages with {counts[0]:,} instruments and {counts[1]:,} readings against the demo's (wanted: at most 1.5)"
        )
        for name, url in pages.items():
            for client in clients:
                assert client.get(url).status_code == 200
            # turn about, so that whatever else the machine does falls on both alike
            times: tuple[list[float], list[float]] = ([], [])
            for _ in range(25):
                for client, found in zip(clients, times, strict=True):
                    start = perf_counter()
                    client.get(url)
                    found.append(perf_counter() - start)
            few, many = median(times[0]), median(times[1])
            print(
                f"  {name:<12} {many / few:.2f}   (median under 50 ms here: {'yes' if max(few, many) < 0.05 else 'NO'})"
            )


def bench_schedule() -> None:
    """Fortnights of 20 jobs of 15 steps against the plain rule of a bench without a plan: the nearest promise first."""
    for seed in (3, 6, 8):
        _bench_fortnight(seed)


def _bench_fortnight(seed: int) -> None:
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
        day = DAY.date() + timedelta(days=0 if j < 2 else chance.randint(3, 18))
        jobs_then.append(Job(f"j{j}", "", tuple(steps), day, chance.randint(1, 3)))
    bench = Bench(DAY, UTC, who, tuple(jobs_then))
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
    bench_board()
    bench_pages()
    bench_following()
