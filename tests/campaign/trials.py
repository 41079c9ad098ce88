"""One fault each: begun in an empty folder with a bench of its own; what is lost is said, and nothing else counts."""

import json
import os
import random
import shutil
import sqlite3
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing, contextmanager, redirect_stderr, redirect_stdout, suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Thread

from campaign.killing import Say, done, killed
from deft_bench.bench.scheduling import plan_first
from deft_bench.cli import main
from deft_bench.core.instrument import STARTING
from deft_bench.core.survey import SurveyHead
from deft_bench.core.times import stamp
from deft_bench.formats.archive import bring_in, write_archive
from deft_bench.formats.record import export_record, import_record
from deft_bench.store import instruments, jobs, schedules, shop, surveys
from deft_bench.store.database import StoreError, backup, connect, migrations, open_database, restore, verify
from deft_bench.web import create_app
from deft_bench.web.serving import serve as _loaded_before_anybody_is_nobody  # noqa: F401

HEAD = SurveyHead("fret_heights", "before", "straightedge", "fret_tops", "", 10, "off", None, None, "lane_by_lane")
NOW = datetime(2026, 8, 24, 9, 0, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Seeds:
    """What trials begin with: a small bench with one survey, the demo, an old database, a record and an archive of the
    demo, and of the small bench.
    """

    small: Path
    demo: Path
    old: Path
    record: Path
    archive: Path
    short_record: Path
    short_archive: Path


Trial = Callable[[Path, Seeds, random.Random], str]
"""What was lost, in words; empty where nothing was."""


def make_seeds(folder: Path, demo: Path) -> Seeds:
    """Make what trials begin with from a demo bench."""
    names = ("small.sqlite3", "demo.sqlite3", "old.sqlite3", "one.json", "one.zip", "short.json", "short.zip")
    seeds = Seeds(*(folder / name for name in names))
    shutil.copy(demo, seeds.demo)
    with closing(open_database(seeds.small)) as db:
        spec = replace(STARTING["electric"], name="Tern")
        instrument = instruments.add(db, spec, stamp(NOW))
        job = jobs.open_job(db, instrument, "level_and_dress", stamp(NOW), None)
        survey = surveys.start(db, instrument, job, spec.frets, HEAD, stamp(NOW))
        surveys.add_many(db, survey, [(("middle", fret), fret, f"0.0{fret}") for fret in range(16, 21)], stamp(NOW))
        seeds.short_record.write_text(json.dumps(export_record(db, instrument)))
        write_archive(db, seeds.short_archive, stamp(NOW))
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    with closing(connect(seeds.demo)) as db:
        first = instruments.page(db, limit=1)[0].id
        seeds.record.write_text(json.dumps(export_record(db, first)))
        write_archive(db, seeds.archive, stamp(NOW))
    with closing(sqlite3.connect(seeds.old)) as db:
        for number, sql in migrations()[:3]:
            db.executescript(f"{sql}\nPRAGMA user_version = {number};")
        db.executescript("PRAGMA application_id = 0x44454654; INSERT INTO setting VALUES ('system', 'in');")
    return seeds


def write_on(path: Path, say: Say, first: int) -> None:
    """Readings and corrections of one survey by several writers at once, each said when it was acknowledged."""

    def one(lane: str, writer: int) -> None:
        with closing(connect(path)) as db:
            latest: dict[int, int] = {}
            for n in range(100_000):
                fret, token = 1 + n % 12, f"{first}-{writer}-{n}"
                made = surveys.accept(
                    db, 1, (lane, fret), n % 900, str(n), stamp(NOW), token=token, expects=latest.get(fret)
                )
                latest[fret] = made.id
                say(f"{token} {lane} {fret} {n % 900}")

    # writers have places of their own, as windows on one survey have
    places = [("bass", 0), ("middle", 1), ("treble", 2)]
    with ThreadPoolExecutor(len(places)) as pool:
        for writer in [pool.submit(one, *place) for place in places]:
            writer.result()


def missing(path: Path, said: tuple[str, ...]) -> str:
    """What of the acknowledged readings is not there exactly once, and in its place."""
    with closing(open_database(path)) as db:
        rows = db.execute("SELECT token, lane, fret, value_um FROM reading WHERE token IS NOT NULL").fetchall()
        broken = db.execute("PRAGMA foreign_key_check").fetchone()
    there = {f"{token} {lane} {fret} {value}" for token, lane, fret, value in rows}
    lost = set(said) - there
    if lost:
        return f"{len(lost)} acknowledged readings are gone, {sorted(lost)[0]} among them"
    return "readings stand twice or name none" if len(there) < len(rows) or broken else ""


def writers(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while readings are written."""
    path = _copied(seeds.small, folder)
    ended = killed(lambda say: write_on(path, say, 0), chance.uniform(0.01, 0.25))
    return ended.error or missing(path, ended.said)


def two_servers(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Two programs on one file, one of them killed: what either acknowledged is there."""
    path = _copied(seeds.small, folder)
    with closing(connect(path)) as db:
        surveys.start(db, 1, None, 22, HEAD, stamp(NOW))
    ours: list[str] = []

    def mine() -> None:
        with closing(connect(path)) as db:
            for n in range(40):
                surveys.accept(db, 2, ("bass", 1 + n % 20), n, str(n), stamp(NOW), token=f"m-{n}", expects=None)
                ours.append(f"m-{n} bass {1 + n % 20} {n}")

    def all_of_mine() -> None:
        with suppress(surveys.ReadingConflictError):  # the second round corrects what it did not look at
            mine()

    thread = Thread(target=all_of_mine)
    ended = killed(lambda say: write_on(path, say, 1), chance.uniform(0.02, 0.2), thread.start)
    thread.join()
    return ended.error or missing(path, (*ended.said, *ours))


def migration(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while an old database is brought up to date."""
    path = _copied(seeds.old, folder)
    ended = killed(lambda _: open_database(path).close(), chance.uniform(0, 0.12))
    with closing(open_database(path)) as db:
        kept = db.execute("SELECT value FROM setting WHERE name = 'system'").fetchone()
        left = [one.name for one in folder.iterdir() if one.name.endswith(".part")]
        return ended.error or ("" if kept and not left else f"the setting is gone, or {left} lie about")


def first_start(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while a new bench is made: the next start makes it, with a key that signs."""
    path = folder / "bench.sqlite3"
    ended = killed(lambda _: _started(path), chance.uniform(0, 0.12))
    return ended.error or (
        "" if create_app(path).test_client().get("/instruments/new").status_code == 200 else "no page after it"
    )


def _started(path: Path) -> None:
    create_app(path)


def backing_up(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while a backup is made: there is none, or a sound one."""
    path, target = _copied(seeds.demo, folder), folder / "copy.sqlite3"

    def work(_: Say) -> None:
        with closing(open_database(path)) as db:
            backup(db, target)

    ended = killed(work, chance.uniform(0, 0.08))
    before = verify(path)
    return ended.error or ("" if not target.exists() or verify(target) == before else "the backup differs")


def restoring(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while a backup is put in the bench's place: one of the two is there, whole."""
    path, source = _copied(seeds.small, folder), _copied(seeds.demo, folder, "copy.sqlite3")
    one, other = verify(path), verify(source)
    ended = killed(lambda _: _restored(source, path), chance.uniform(0, 0.08))
    if not path.exists():
        return "there is no bench file"
    return ended.error or ("" if verify(path) in (one, other) else "it is neither of the two")


def _restored(source: Path, path: Path) -> None:
    restore(source, path)


def importing(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while a record comes in: it is there whole, or not at all."""
    path = _copied(seeds.small, folder)

    def work(_: Say) -> None:
        with closing(open_database(path)) as db:
            import_record(db, seeds.record.read_bytes())

    ended = killed(work, chance.uniform(0.05, 0.5))
    wanted = json.loads(seeds.record.read_text())
    with closing(open_database(path)) as db:
        here = instruments.id_of(db, wanted["uid"])
        found = None if here is None else json.loads(json.dumps(export_record(db, here)))
    return ended.error or ("" if found in (None, wanted) else "half a record is there")


def archive_in(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while a whole bench comes in: it is there whole, or not at all."""
    path = folder / "bench.sqlite3"

    def work(_: Say) -> None:
        with closing(open_database(path)) as db:
            bring_in(db, seeds.archive)

    open_database(path).close()
    ended = killed(work, chance.uniform(0.2, 3.0))
    there, whole = verify(path), verify(seeds.demo)
    return ended.error or ("" if there == whole or not any(there.values()) else "half a bench is there")


def demo(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while the demo is made: there is none, or all of it."""
    path = folder / "demo" / "bench.sqlite3"

    def work(_: Say) -> None:
        with quiet():
            main(["demo", "--only-make", "--day", "2026-08-24", "--database", str(path)])

    ended = killed(work, chance.uniform(0.1, 3.5))
    return ended.error or ("" if not path.exists() or verify(path)["instruments"] == 16 else "half a demo is there")


def planning(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Killed while the week is planned: the plan that was in force is, or the new one."""
    path = _copied(seeds.demo, folder)

    def work(_: Say) -> None:
        with closing(open_database(path)) as db:
            plan_first(db, shop.settings(db), NOW, 0.4)

    ended = killed(work, chance.uniform(0.1, 1.2))
    with closing(open_database(path)) as db:
        schedules.latest(db)
    return ended.error or ("" if verify(path) == verify(seeds.demo) else "the bench differs")


def full_disk(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """No file can grow any more: it is said in words, and what was acknowledged is there."""
    path = _copied(seeds.small, folder)
    ended = done(lambda say: _until_full(path, say), most_bytes=path.stat().st_size + chance.randrange(4_096, 300_000))
    return ended.error or missing(path, ended.said)


def _until_full(path: Path, say: Say) -> None:
    with closing(connect(path)) as db, suppress(StoreError):
        for n in range(3_000):
            made = surveys.accept(db, 1, ("bass", 1), 5, "5" * 40, stamp(NOW), token=f"t-{n}", expects=_last(db))
            say(f"t-{n} bass 1 {made.value_um}")


def _last(db: sqlite3.Connection) -> int | None:
    found: int | None = db.execute("SELECT max(id) FROM reading WHERE lane = 'bass'").fetchone()[0]
    return found


def read_only(_: Path, seeds: Seeds, chance: random.Random) -> str:
    """A folder that may only be read gives up a backup, an archive and a record, and refuses the rest in words."""
    with TemporaryDirectory(prefix="campaign-") as name:
        folder = Path(name)
        folder.chmod(0o755)
        path, tried = _copied(seeds.demo, folder / "locked"), _copied(seeds.demo, folder / "tried")
        for out in ("out", "first"):
            (folder / out).mkdir()
            (folder / out).chmod(0o777)
        path.chmod(0o444)
        path.parent.chmod(0o555)

        def commands(path: Path, out: Path) -> list[str]:
            wanted = [
                ["backup", out / "b.sqlite3"],
                ["archive", out / "b.zip"],
                ["export", "Curlew No. 11", "--out", out / "b"],
            ]
            with quiet():
                return [f"{one[0]} {main([*map(str, one), '--database', str(path)])}" for one in wanted]

        def work(say: Say) -> None:
            for line in commands(path, folder / "out"):
                say(line)
            with quiet():
                say(f"serve {main(['serve', '--database', str(path)])}")

        try:
            # once as oneself: whoever may write nothing may not find the program's own modules either
            ended = done(work, as_nobody=lambda: commands(tried, folder / "first"))
        finally:
            path.parent.chmod(0o755)
        answered = ["backup 0", "archive 0", "export 0", "serve 1"]
        return ended.error or ("" if list(ended.said) == answered else f"it answered {', '.join(ended.said)}")


def flipped(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """Bytes changed in a database file, or its log: refused in words or read, nothing else, and left as it was."""
    path = _copied(seeds.demo, folder)
    ended = killed(lambda say: _one_more(path, say), 0.2) if chance.random() < 0.4 else None
    log = path.with_name(f"{path.name}-wal")
    target = log if ended is not None and log.exists() and log.stat().st_size else path
    raw = bytearray(target.read_bytes())
    for _ in range(chance.choice([1, 4, 64, 4_096])):
        raw[chance.randrange(len(raw))] ^= 1 << chance.randrange(8)
    target.write_bytes(raw)
    before = path.read_bytes()
    try:
        db = open_database(path)
    except StoreError:
        return "" if target == log or path.read_bytes() == before else "what was refused was changed"
    # damage that is found only where it is read is said by the page that reads it (web/errors.py)
    with closing(db), suppress(sqlite3.DatabaseError, ValueError, LookupError, TypeError):
        for one in instruments.page(db, limit=3):
            export_record(db, one.id)
    return ""


def _one_more(path: Path, say: Say) -> None:
    with closing(connect(path)) as db:
        db.execute("PRAGMA journal_mode = WAL")
        shop.add_climate(db, stamp(NOW), 20.0, 45.0)
        say("kept")
        while True:
            shop.add_climate(db, stamp(NOW), 20.0, 45.0)


def clock(folder: Path, seeds: Seeds, chance: random.Random) -> str:
    """A clock that jumps by months, back and forth: every page answers, and what is entered stays in order."""
    path = _copied(seeds.demo, folder)
    at = [NOW]
    client = create_app(path, now=lambda: at[0], testing=True).test_client()
    for _ in range(4):
        at[0] = NOW + timedelta(days=chance.uniform(-800, 800))
        for page in ("/", "/schedule", "/stock", "/instruments/1", "/settings/keeping", "/jobs/1/level", "/practice"):
            status = client.get(page).status_code
            if status >= 500:
                return f"{page} answers {status} on {at[0]:%Y-%m-%d}"
    return ""


@contextmanager
def quiet() -> Iterator[None]:
    """Nothing on the terminal."""
    with open(os.devnull, "w") as nowhere, redirect_stdout(nowhere), redirect_stderr(nowhere):
        yield


def _copied(source: Path, folder: Path, name: str = "bench.sqlite3") -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    target = folder / name
    shutil.copy(source, target)
    return target


KILLS: Mapping[str, tuple[Trial, int]] = {
    "writers of readings killed": (writers, 60),
    "two programs on one file, one killed": (two_servers, 10),
    "a migration killed": (migration, 10),
    "a first start killed": (first_start, 4),
    "a backup killed": (backing_up, 8),
    "a restore killed": (restoring, 8),
    "an import killed": (importing, 4),
    "an archive coming in killed": (archive_in, 1),
    "the demo being made killed": (demo, 1),
    "planning killed": (planning, 2),
}
"""Trials that kill, each with its share."""
FAULTS: Mapping[str, tuple[Trial, int]] = {
    "a disk that is full": (full_disk, 20),
    "files gone read-only": (read_only, 2),
    "bytes flipped": (flipped, 30),
    "a clock that jumps": (clock, 3),
}
"""The others, each with its share."""
