"""The file: made, migrated, refused, backed up, restored; nothing is ever destroyed."""

import json
import os
import re
import shutil
import sqlite3
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import pytest

from deft_bench.cli import main
from deft_bench.core.instrument import STARTING, to_fields
from deft_bench.store import database, instruments, jobs, order_ticks, sheets
from deft_bench.store.database import (
    Connection,
    StoreError,
    StoreFullError,
    backup,
    migrations,
    open_database,
    restore,
    transaction,
    verify,
)
from deft_bench.store.lock import held
from deft_bench.web import create_app
from harness import Server


def old_version(path: Path, version: int) -> None:
    """A database as an earlier version left it, with one instrument in it."""
    with closing(sqlite3.connect(path)) as db:
        for number, sql in migrations():
            if number <= version:
                db.executescript(sql)
        db.execute(f"PRAGMA user_version = {version}")
        db.execute(f"PRAGMA application_id = {database.APPLICATION_ID}")
        db.execute("INSERT INTO setting VALUES ('system', 'in')")
        db.commit()


def test_a_new_database_is_strict_and_durable(path: Path) -> None:
    with closing(open_database(path)) as db:
        assert db.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
        assert db.execute("PRAGMA synchronous").fetchone()[0] == 2
        assert db.execute("PRAGMA foreign_keys").fetchone()[0] == 1
        tables = db.execute(
            "SELECT name, sql FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'instrument_words%'"
        )
        assert all("STRICT" in sql for _, sql in tables)
    assert verify(path) == {"instruments": 0, "surveys": 0, "readings": 0}


def test_an_older_one_is_migrated_after_a_backup(path: Path) -> None:
    old_version(path, 1)
    with closing(open_database(path)) as db:
        assert db.execute("PRAGMA user_version").fetchone()[0] == migrations()[-1][0]
        assert db.execute("SELECT value FROM setting").fetchone()[0] == "in"
        db.execute("SELECT * FROM pin")
    (kept,) = path.parent.glob("*.before-*")
    with closing(sqlite3.connect(kept)) as before:
        assert before.execute("PRAGMA user_version").fetchone()[0] == 1
        assert before.execute("SELECT value FROM setting").fetchone()[0] == "in"


def test_a_migration_that_fails_changes_nothing(path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    old_version(path, 1)
    broken = [*migrations()[:1], (2, "CREATE TABLE half (x INTEGER) STRICT; CREATE TABLE half (x INTEGER) STRICT;")]
    monkeypatch.setattr(database, "migrations", lambda: broken)
    with pytest.raises(StoreError):
        open_database(path)
    with closing(sqlite3.connect(path)) as db:
        assert db.execute("PRAGMA user_version").fetchone()[0] == 1
        assert not db.execute("SELECT 1 FROM sqlite_master WHERE name = 'half'").fetchone()


def refused(path: Path, words: str) -> None:
    before = path.read_bytes()
    with pytest.raises(StoreError, match=words):
        open_database(path)
    assert path.read_bytes() == before


def test_a_newer_one_is_refused(path: Path) -> None:
    open_database(path).close()
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA journal_mode = DELETE")
        db.execute("PRAGMA user_version = 99")
    refused(path, "newer Deft Bench")


def test_a_first_start_that_was_cut_off_begins_again(path: Path) -> None:
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA journal_mode = WAL")
    assert path.stat().st_size > 0
    open_database(path).close()
    key = path.with_name(f"{path.name}.key")
    for cut in (b"", b"half a key"):
        key.write_bytes(cut)
        app = create_app(path, testing=True)
        assert app.secret_key == key.read_bytes() != cut
        assert key.stat().st_mode & 0o077 == 0
        assert create_app(path, testing=True).secret_key == app.secret_key
    assert [one.name for one in path.parent.iterdir() if one.suffix == ".part"] == []


def test_a_foreign_one_is_refused(path: Path) -> None:
    with closing(sqlite3.connect(path)) as db:
        db.execute("CREATE TABLE notes (text)")
    refused(path, "another program")


def test_what_is_no_database_is_refused(path: Path) -> None:
    path.write_bytes(b"not a database, but a letter to the library\n" * 40)
    refused(path, "damaged or is not")


def test_a_damaged_one_is_refused(demo_path: Path) -> None:
    with closing(sqlite3.connect(demo_path)) as db:
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        db.execute("PRAGMA journal_mode = DELETE")
    raw = bytearray(demo_path.read_bytes())
    for page in range(4, len(raw) // 4096, 7):
        raw[page * 4096 : page * 4096 + 200] = b"\xff" * 200
    demo_path.write_bytes(raw)
    refused(demo_path, "damaged")


def test_a_damaged_one_whose_damage_is_no_text_is_refused(demo_path: Path) -> None:
    """The driver's own words hold the damaged name, and cannot be read."""
    raw = demo_path.read_bytes()
    for whole, damaged in (
        (b"tableclimateclimate", b"table\xe1limateclimate"),
        (b"TABLE climate (", b"TABLO climate ("),
    ):
        assert whole in raw
        raw = raw.replace(whole, damaged, 1)
    demo_path.write_bytes(raw)
    refused(demo_path, "damaged")
    with pytest.raises(StoreError, match="damaged"):
        verify(demo_path)


def test_a_folder_that_cannot_be_written_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    blocker = tmp_path / "file"
    blocker.write_text("in the way")
    with pytest.raises(StoreError, match="cannot be made"):
        open_database(blocker / "bench.sqlite3")
    # whoever runs this may be allowed to write everywhere, so the system's answer is put in
    monkeypatch.setattr(os, "access", lambda *_: False)
    with pytest.raises(StoreError, match="cannot be written"):
        open_database(tmp_path / "bench.sqlite3")
    assert not (tmp_path / "bench.sqlite3").exists()


def fill_up(db: Connection) -> None:
    with transaction(db):
        for i in range(2000):
            db.execute("INSERT INTO setting VALUES (?, ?)", (f"more {i}", "x" * 200))


def test_a_full_disk_keeps_what_was_there(path: Path) -> None:
    with closing(open_database(path)) as db:
        with transaction(db):
            db.execute("INSERT INTO setting VALUES ('first', 'kept')")
        db.execute(f"PRAGMA max_page_count = {db.execute('PRAGMA page_count').fetchone()[0]}")
        with pytest.raises(StoreFullError, match="disk is full"):
            fill_up(db)
        assert [row[0] for row in db.execute("SELECT name FROM setting")] == ["first"]


def test_backup_and_restore(demo_path: Path, tmp_path: Path) -> None:
    copy, other = tmp_path / "copy.sqlite3", tmp_path / "other" / "bench.sqlite3"
    with closing(open_database(demo_path)) as db:
        backup(db, copy)
        with pytest.raises(StoreError, match="exists already"):
            backup(db, copy)
    counts = verify(copy)
    assert counts["instruments"] == 16
    assert restore(copy, other) == (counts, None)
    assert verify(other) == counts
    with closing(open_database(other)) as db, transaction(db):
        db.execute("DELETE FROM climate")
    killed, running = (other.with_name(f".{other.name}.restore-{name}") for name in "ab")
    for one in (killed, running):
        one.write_bytes(b"half")
    os.utime(killed, (0, 0))
    _, kept = restore(copy, other)
    assert (killed.exists(), running.exists()) == (False, True)
    assert kept is not None
    assert verify(kept) == counts
    with closing(open_database(other)) as db:
        assert db.execute("SELECT count(*) FROM climate").fetchone()[0] > 0


def test_a_path_may_have_any_name(demo_path: Path, tmp_path: Path) -> None:
    folder = tmp_path / "a#b?c%41 d"
    folder.mkdir()
    copy = folder / "kept.sqlite3"
    with closing(open_database(demo_path)) as db:
        backup(db, copy)
    assert verify(copy)["instruments"] > 0
    assert restore(copy, folder / "bench.sqlite3")[1] is None
    assert verify(folder / "bench.sqlite3") == verify(copy)


def test_a_bad_backup_is_not_restored(demo_path: Path, tmp_path: Path) -> None:
    bad = tmp_path / "bad.sqlite3"
    bad.write_bytes(demo_path.read_bytes()[:20_000])
    before = verify(demo_path)
    with pytest.raises(StoreError):
        restore(bad, demo_path)
    with pytest.raises(StoreError, match="is not there"):
        restore(tmp_path / "none", demo_path)
    assert verify(demo_path) == before
    assert not list(tmp_path.glob(".*.restore-*"))


def test_a_database_in_use_is_not_replaced(demo_path: Path, tmp_path: Path) -> None:
    copy = tmp_path / "copy.sqlite3"
    with closing(open_database(demo_path)) as db:
        backup(db, copy)
        db.execute("BEGIN IMMEDIATE")
        with pytest.raises(StoreError, match="in use"):
            restore(copy, demo_path)
        db.execute("ROLLBACK")
    assert verify(demo_path)["instruments"] == 16


def test_a_restore_cut_off_leaves_the_bench_where_it_was(
    demo_path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    copy = tmp_path / "copy.sqlite3"
    with closing(open_database(demo_path)) as db:
        backup(db, copy)
        instruments.add(db, replace(STARTING["electric"], name="Mine"), "2026-01-01T09:00:00.000Z")

    def cut_off(source: Path, target: Path) -> None:
        raise KeyboardInterrupt

    monkeypatch.setattr(os, "replace", cut_off)
    with pytest.raises(KeyboardInterrupt):
        restore(copy, demo_path)
    assert verify(demo_path)["instruments"] == 17


def test_no_bench_is_made_beside_one_that_was_kept(demo_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    kept = database.put_aside(demo_path)
    assert main(["serve", "--database", str(demo_path)]) == 1
    assert f"deft-bench restore {kept} --database {demo_path}" in capsys.readouterr().err
    assert not demo_path.exists()
    assert main(["restore", str(kept), "--database", str(demo_path)]) == 0
    assert verify(demo_path)["instruments"] == 16


def test_a_disk_that_may_only_be_read_gives_up_what_is_on_it(
    demo_path: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    kept, record = tmp_path / "kept" / "copy.sqlite3", tmp_path / "kept" / "mine.json"
    kept.parent.mkdir()
    with closing(open_database(demo_path)) as db:
        # the last of it is still in the write-ahead log
        instruments.add(db, replace(STARTING["electric"], name="Mine"), "2026-01-01T09:00:00.000Z")
        before = {one.name: one.read_bytes() for one in demo_path.parent.glob(f"{demo_path.name}*")}
        access = os.access
        monkeypatch.setattr(os, "access", lambda path, mode: Path(path) != demo_path and access(path, mode))
        assert main(["backup", str(kept), "--database", str(demo_path)]) == 0
        assert main(["export", "Mine", "--out", str(record), "--database", str(demo_path)]) == 0
        assert before == {one.name: one.read_bytes() for one in demo_path.parent.glob(f"{demo_path.name}*")}
    assert verify(kept)["instruments"] == 17
    assert json.loads(record.read_text())["spec"]["name"] == "Mine"


def test_starts_at_one_moment_migrate_once(path: Path) -> None:
    old_version(path, 3)
    with ThreadPoolExecutor(8) as pool:
        for start in [pool.submit(lambda: open_database(path).close()) for _ in range(8)]:
            start.result()
    assert len(list(path.parent.glob(f"{path.name}.before-*"))) == 1
    assert not list(path.parent.glob(f".{path.name}.*"))


@pytest.mark.parametrize("what", ["text", "foreign", "folder", "link"])
def test_nothing_that_is_no_bench_is_deleted_or_renamed(
    demo_path: Path, tmp_path: Path, what: str, capsys: pytest.CaptureFixture[str]
) -> None:
    copy, other = tmp_path / "copy.sqlite3", tmp_path / "there" / "thing.sqlite3"
    other.parent.mkdir()
    with closing(open_database(demo_path)) as db:
        backup(db, copy)
    if what == "text":
        other.write_text("a letter")
    elif what == "foreign":
        with closing(sqlite3.connect(other)) as db:
            db.execute("CREATE TABLE theirs (x)")
    elif what == "folder":
        other.mkdir()
    else:
        other.symlink_to(tmp_path)
    for command in (["restore", str(copy)], ["demo", "--fresh", "--only-make"]):
        assert main([*command, "--database", str(other)]) == 1
        assert "It was left as it is" in capsys.readouterr().err
    assert [one.name for one in other.parent.iterdir()] == ["thing.sqlite3"]


def test_fresh_keeps_the_demo_that_was_there_and_refuses_a_bench_of_ones_own(
    demo_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    own = demo_path.with_name("own.sqlite3")
    open_database(own).close()
    assert main(["demo", "--fresh", "--only-make", "--database", str(own)]) == 1
    assert "a bench of its own, not a demo" in capsys.readouterr().err
    assert verify(own)["instruments"] == 0
    with closing(open_database(demo_path)) as db:
        instruments.add(db, replace(STARTING["electric"], name="Mine"), "2026-01-01T09:00:00.000Z")
    # a server has it: neither a fresh demo nor a restored one takes its place
    with held(demo_path, alone=False):
        for command in (["demo", "--fresh", "--only-make"], ["restore", str(own)]):
            assert main([*command, "--database", str(demo_path)]) == 1
            assert "in use: stop the server first" in capsys.readouterr().err
    assert verify(demo_path)["instruments"] == 17
    assert main(["demo", "--fresh", "--only-make", "--day", "2026-08-24", "--database", str(demo_path)]) == 0
    kept = Path(re.search(r"kept as (\S+)", capsys.readouterr().out)[1])
    assert verify(kept)["instruments"] == 17
    assert verify(demo_path)["instruments"] == 16


def test_a_running_servers_file_is_not_restored_over(
    demo_path: Path, tmp_path: Path, server: Server, capsys: pytest.CaptureFixture[str]
) -> None:
    copy = tmp_path / "copy.sqlite3"
    with closing(open_database(demo_path)) as db:
        backup(db, copy)
    assert main(["restore", str(copy), "--database", str(server.database)]) == 1
    assert "stop the server first" in capsys.readouterr().err
    server.kill()
    assert main(["restore", str(copy), "--database", str(server.database)]) == 0


def test_tables_built_anew_keep_every_row_and_reference(demo_path: Path, tmp_path: Path) -> None:
    """A bench of schema 2 with real rows is brought up: nothing is lost, references hold, and new kinds can be
    stored.
    """
    old = tmp_path / "old.sqlite3"
    old_version(old, 2)
    with closing(sqlite3.connect(old)) as db:
        db.execute("ATTACH ? AS demo", (str(demo_path),))
        only = {
            "job": "kind IN ('level_and_dress', 'inspection')",
            "survey": "kind IN ('fret_heights', 'straightness')",
            "reading": "survey_id IN (SELECT id FROM main.survey)",
        }
        for table in (
            "instrument",
            "job",
            "survey",
            "reading",
            "accepted_plan",
            "material_removed",
            "photo",
            "pin",
            "climate",
        ):
            columns = ", ".join(row[1] for row in db.execute(f"PRAGMA main.table_info({table})"))
            where = only.get(table, "1")
            if table == "survey":
                where += " AND (job_id IS NULL OR job_id IN (SELECT id FROM main.job))"
            theirs = columns.replace("stage", '"when"') if table == "survey" else columns.replace("seated", "1")
            db.execute(f"INSERT INTO main.{table} ({columns}) SELECT {theirs} FROM demo.{table} WHERE {where}")
        db.commit()
        before = {
            table: db.execute(f"SELECT count(*), total(rowid) FROM main.{table}").fetchone()
            for table in ("job", "survey", "reading", "pin")
        }
    assert before["reading"][0] > 4000
    with closing(open_database(old)) as db:
        # a neck that was said to be home is home fret by fret, by its latest heights
        said = db.execute(
            "SELECT seating_checked.survey_id, seating_checked.frets, survey.frets FROM seating_checked"
            " JOIN survey ON survey.id = survey_id"
        ).fetchall()
        assert said
        assert all(json.loads(home) == list(range(1, frets + 1)) for _, home, frets in said)
        assert {survey for survey, _, _ in said} == {
            survey for (survey,) in db.execute("SELECT max(id) FROM survey WHERE kind = 'fret_heights' GROUP BY job_id")
        }
        assert {
            table: tuple(db.execute(f"SELECT count(*), total(rowid) FROM {table}").fetchone()) for table in before
        } == before
        assert db.execute("PRAGMA foreign_keys").fetchone()[0] == 1
        assert db.execute("PRAGMA foreign_key_check").fetchall() == []
        with pytest.raises(sqlite3.IntegrityError):
            db.execute(
                "INSERT INTO survey SELECT 10000000, uid || 'x', 999999, NULL, kind, \"when\", method, surface, tool,"
                " resolution_um, string_state, temperature_c, humidity, reading_order, frets, note, taken_at, strings,"
                " at_frets, NULL, strokes, blades_um, reach, spread_um FROM survey LIMIT 1"
            )
        assert jobs.open_job(db, 1, "refret", "2026-08-24T09:00:00.000Z", None) > 0
        indexes = {row["name"] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'index'")}
        assert {"open_job", "survey_of_job", "survey_in_time", "instrument_by_name"} <= indexes
    assert verify(old)["readings"] == before["reading"][0]


def test_ticks_of_the_earlier_order_become_events_of_the_run_sheet(tmp_path: Path) -> None:
    old = tmp_path / "old.sqlite3"
    old_version(old, 5)
    with closing(database.connect(old)) as db:
        values = to_fields(replace(STARTING["electric"], name="Heron"))
        del values["divisions"], values["unknown"]  # these came later
        values |= {"uid": "0" * 32, "created_at": "2026-01-01T09:00:00.000Z"}
        marks = ", ".join("?" * len(values))
        db.execute(f"INSERT INTO instrument ({', '.join(values)}) VALUES ({marks})", list(values.values()))
        assert jobs.open_job(db, 1, "level_and_dress", "2026-01-01T09:00:00.000Z", None) == 1
        ticks = [
            ("rest", "2026-01-02T09:00:00.000Z", ""),
            ("mask", "2026-01-03T09:00:00.000Z", "ends were done"),
            ("end flush bass", "2026-01-03T10:00:00.000Z", ""),
        ]
        db.executemany("INSERT INTO order_tick (job_id, step, at, note) VALUES (1, ?, ?, ?)", ticks)
        db.commit()
    with closing(open_database(old)) as db:
        assert [(one.step, one.kind, one.note) for one in sheets.events(db, 1)] == [
            ("climate_rest", "finished", ""),
            ("mask", "finished", "ends were done"),
        ]
        assert list(order_ticks.ticks(db, 1)) == ["end flush bass"]


def test_one_that_a_writer_was_cut_off_in_verifies_as_it_was_before(demo_path: Path, tmp_path: Path) -> None:
    before = verify(demo_path)
    cut = tmp_path / "cut" / "bench.sqlite3"
    cut.parent.mkdir()
    with closing(sqlite3.connect(demo_path, isolation_level=None)) as db:
        db.execute("PRAGMA journal_mode = DELETE")
        db.execute("PRAGMA cache_size = 1")
        db.execute("BEGIN IMMEDIATE")
        db.execute("DELETE FROM entered_by")
        db.execute("UPDATE reading SET typed = typed || '?'")
        # as the disk has it in the middle of that
        shutil.copy(demo_path, cut)
        shutil.copy(f"{demo_path}-journal", f"{cut}-journal")
        db.execute("ROLLBACK")
    assert cut.read_bytes() != demo_path.read_bytes()
    assert verify(cut) == before
    with closing(open_database(cut)) as db:
        assert db.execute("SELECT count(*) FROM reading WHERE typed LIKE '%?'").fetchone()[0] == 0
