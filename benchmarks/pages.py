"""Pages on a bench that has grown for decades, many readers beside a writer, how soon commands and servers answer."""

import random
import shutil
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from statistics import median, quantiles
from time import perf_counter

from deft_bench.bench.scheduling import plan_first
from deft_bench.core.instrument import STARTING
from deft_bench.core.times import stamp
from deft_bench.demo import make_demo
from deft_bench.store import instruments, jobs, shop, surveys
from deft_bench.store.database import Connection, connect, transaction
from deft_bench.web import create_app, support
from deft_bench.web.serving import in_background, listen

DAY = datetime(2026, 8, 24, 9, 30, tzinfo=UTC)
INSTRUMENTS, READINGS, OPEN_JOBS = 10_000, 1_300_000, 60
READERS, READ_S = 20, 20.0
LIGHT = {
    "fret-positions": '{"scale_mm": 648, "frets": 22}',
    "radius": '{"radius_mm": 254, "width_mm": 52}',
    "grit-ladder": '{"coarsest_mark_um": 40, "finish": "bright", "on_hand": [{"kind": "fepa_p", "grit": 400}]}',
}
"""Calculations without linear algebra, and a request of each; to say why one is refused takes longer."""


def grow(db: Connection) -> None:
    """The demo bench with as many instruments and readings as a big shop would have in decades, all handed over."""
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
                (f"{n + 10_000:032x}", made, "level_and_dress", at, "2027-01-01", at),
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


def open_more(db: Connection) -> None:
    """As many open jobs as are planned at once, on instruments like the demo's first."""
    spec, at = STARTING["electric"], stamp(DAY)
    for n in range(OPEN_JOBS - len(jobs.in_bench_order(db, OPEN_JOBS))):
        made = instruments.add(db, replace(spec, name=f"Dipper No. {n + 20}"), at)
        kind = ("level_and_dress", "setup", "refret")[n % 3]
        promised = (DAY.date() + timedelta(days=20 + n)).isoformat()
        jobs.open_job(db, made, kind, at, promised)


PAGES = {
    "today": "/",
    "instruments": "/instruments",
    "find one": "/instruments?q=curlew",
    "find many": "/instruments?q=no",
    "instrument": "/instruments/1",
    "survey": "/surveys/{survey}",
    "level": "/jobs/{job}/level",
    "record": "/jobs/{job}/record",
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
ROUNDS = 25


def bench_pages() -> None:
    """Every kind of page on the demo bench, on the same inside a very large one, and on one with many open jobs."""
    with tempfile.TemporaryDirectory() as folder:
        small, large, full = (Path(folder) / f"{name}.sqlite3" for name in ("small", "large", "full"))
        make_demo(small, DAY.date())
        with closing(connect(small)) as db:
            plan_first(db, shop.settings(db), DAY)
            db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            heron = next(job for job in jobs.in_bench_order(db))
            survey = surveys.of_job(db, heron.id)[0].id
        for path, change in ((large, grow), (full, open_more)):
            shutil.copy(small, path)
            with closing(connect(path)) as db:
                change(db)
                db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        clients = [create_app(path, now=lambda: DAY).test_client() for path in (small, large, full)]
        print(
            f"pages with {INSTRUMENTS:,} instruments and {READINGS:,} readings against the demo’s (wanted: at most"
            f" 1.1), and with {OPEN_JOBS} open jobs"
        )
        for name, address in PAGES.items():
            url = address.format(job=heron.id, survey=survey)
            asked = []
            for client in clients:
                assert client.get(url).status_code == 200
                with counted() as queries:
                    client.get(url)
                asked.append(len(queries))
            # turn about, so that whatever else the machine does falls on all alike
            times: tuple[list[float], ...] = ([], [], [])
            for _ in range(ROUNDS):
                for client, found in zip(clients, times, strict=True):
                    start = perf_counter()
                    client.get(url)
                    found.append(perf_counter() - start)
            few, many, busy = map(median, times)
            print(
                f"  {name:<12} {many / few:.2f}  {busy / few:.2f}   queries {asked[0]}, {asked[1]}, {asked[2]}"
                f"   (median under 50 ms here: {'yes' if max(few, many, busy) < 0.05 else 'NO'})"
            )


@contextmanager
def counted() -> Iterator[list[str]]:
    """What pages ask their databases within the block."""
    asked: list[str] = []
    plain = connect

    def watched(path: Path) -> Connection:
        db = plain(path)
        db.set_trace_callback(asked.append)
        return db

    vars(support)["connect"] = watched
    try:
        yield asked
    finally:
        vars(support)["connect"] = plain


def bench_many() -> None:
    """Twenty who read pages while one writes readings, against one who reads alone."""
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "demo.sqlite3"
        make_demo(database, DAY.date())
        with in_background(create_app(database, now=lambda: DAY)) as server:
            address = f"http://127.0.0.1:{server.port}"
            alone = read(address, READ_S / 4)
            until = perf_counter() + READ_S
            found: list[list[float]] = []
            readers = [
                threading.Thread(target=lambda: found.append(read(address, until - perf_counter())))
                for _ in range(READERS)
            ]
            for reader in readers:
                reader.start()
            written = write(database, until)
            for reader in readers:
                reader.join()
        every = sorted(second for one in found for second in one)
        last = quantiles(every, n=100)[98]
        print(
            f"{READERS} readers and a writer ({len(every)} pages, {written} readings): a page takes"
            f" {median(every) / median(alone):.1f} of one alone at the median, {last / median(alone):.1f} for one in a"
            f" hundred (under 250 ms here: {'yes' if last < 0.25 else 'NO'})"
        )


def read(address: str, seconds: float) -> list[float]:
    """How long pages take one after another, seconds each; who reads looks at each for a while, and begins at a moment
    of his own.
    """
    chance, times = random.Random(threading.get_ident()), []
    until = perf_counter() + seconds
    time.sleep(chance.uniform(0, 1.5))
    while perf_counter() < until:
        start = perf_counter()
        with urllib.request.urlopen(address + chance.choice(("/", "/instruments", "/instruments/1", "/stock"))) as page:
            page.read()
        times.append(perf_counter() - start)
        time.sleep(chance.uniform(0.5, 1.5))
    return times


def write(database: Path, until: float) -> int:
    """Write readings, ten a second, as fast as anybody types; how many."""
    written = 0
    with closing(connect(database)) as db:
        job = next(job for job in jobs.in_bench_order(db))
        before = surveys.of_job(db, job.id)[0]
        survey = surveys.start(db, job.instrument_id, job.id, before.frets, before.head, stamp(DAY))
        while perf_counter() < until:
            place = (("bass", "middle", "treble")[written % 3], written // 3 % before.frets + 1)
            written += surveys.add_many(db, survey, [(place, written % 90, "")], stamp(DAY))
            time.sleep(0.1)
    return written


def bench_starts() -> None:
    """A light calculation and a server’s first answer, against starting the language and loading its web framework."""
    bare = _seconds([sys.executable, "-c", "pass"])
    for name, request in LIGHT.items():
        took = _seconds([sys.executable, "-m", "deft_bench", "calc", name], request)
        print(
            f"calc {name}: {took / bare:.1f} of starting the language (under 0.25 s here:"
            f" {'yes' if took < 0.25 else 'NO'})"
        )
    framework = _seconds([sys.executable, "-c", "import flask, cheroot.wsgi"])
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "demo.sqlite3"
        make_demo(database, DAY.date())
        took = median(_first_answer(database) for _ in range(5))
    print(
        f"serve: a first answer takes {took / framework:.1f} of loading the web framework (within 1.5 s here:"
        f" {'yes' if took < 1.5 else 'NO'})"
    )


def _seconds(command: list[str], typed: str = "") -> float:
    times = []
    for _ in range(7):
        start = perf_counter()
        subprocess.run(command, input=typed.encode(), check=True, stdout=subprocess.DEVNULL)
        times.append(perf_counter() - start)
    return median(times)


def _first_answer(database: Path) -> float:
    """Seconds from a server's start to its first page."""
    with listen("127.0.0.1", 0) as free:
        port = free.getsockname()[1]
    start = perf_counter()
    command = [sys.executable, "-m", "deft_bench", "serve", "--database", str(database), "--port", str(port)]
    server = subprocess.Popen(command, stdout=subprocess.PIPE)
    try:
        assert server.stdout is not None
        server.stdout.readline()  # it has said where it is
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/") as page:
            page.read()
        return perf_counter() - start
    finally:
        server.terminate()
        server.wait()
