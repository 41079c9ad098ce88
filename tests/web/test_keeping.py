"""Backups that make themselves, told when they do not; the whole bench downloaded and brought in on screen."""

import io
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path
from types import SimpleNamespace
from zipfile import ZipFile

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.bench.backups import back_up, backups_of
from deft_bench.core.backups import is_due, is_old, to_drop
from deft_bench.core.instrument import STARTING
from deft_bench.core.times import stamp
from deft_bench.store import backups, database, instruments, shop
from deft_bench.store.database import Connection, StoreError, connect, open_database, verify
from deft_bench.web import create_app
from deft_bench.web.keeping import views
from deft_bench.web.keeping.keeper import make_if_due
from deft_bench.web.serving import look_for_damage
from harness import NOW, Bench

DAY = timedelta(days=1)
MOMENTS = st.datetimes(datetime(2025, 1, 1), datetime(2027, 1, 1), timezones=st.just(UTC))


@given(st.lists(MOMENTS, unique=True, max_size=40), MOMENTS, st.integers(1, 12))
def test_the_one_just_made_stays_and_the_oldest_go(made: list[datetime], just: datetime, kept: int) -> None:
    every = {*made, just}
    gone = set(to_drop(sorted(every), just, kept))
    left = every - gone
    assert just in left
    assert len(left) == min(kept, len(every))
    assert all(one <= other for one in gone for other in left - {just})


def test_due_and_old_by_the_clock_even_one_that_was_set_back() -> None:
    assert is_due(None, NOW, 1)
    assert not is_due(NOW - DAY / 2, NOW, 1)
    assert is_due(NOW - DAY, NOW, 1)
    assert is_due(NOW + 300 * DAY, NOW, 1)
    assert not is_due(None, NOW, 0)
    assert not is_old(NOW - 1.9 * DAY, NOW - 90 * DAY, NOW, 1)
    assert is_old(NOW - 2 * DAY, NOW - 90 * DAY, NOW, 1)
    assert is_old(NOW + 300 * DAY, NOW - 90 * DAY, NOW, 1)
    assert not is_old(None, NOW - DAY, NOW, 1)
    assert not is_old(None, NOW - 90 * DAY, NOW, 0)


def test_as_many_as_are_wanted_are_kept_and_others_files_are_left(db: Connection, path: Path) -> None:
    shop.change(db, {"backups_kept": "3"})
    folder = backups.folder_of(path, "")
    folder.mkdir()
    theirs = [
        folder / "bench-notes.sqlite3",
        folder / "bench-20260101T000000.txt",
        folder / "other-20260101T000000.sqlite3",
    ]
    for one in theirs:
        one.write_text("mine")
    made = [back_up(db, shop.settings(db), path, NOW + k * DAY) for k in range(5)]
    found = backups_of(db, shop.settings(db), path, NOW + 5 * DAY)
    assert [one.at for one in found.made] == [one.at for one in reversed(made[2:])]
    assert all(one.read_text() == "mine" for one in theirs)
    assert found.last is not None
    assert verify(found.last.path)["instruments"] == 0
    with pytest.raises(StoreError, match="exists already"):
        back_up(db, shop.settings(db), path, NOW + 4 * DAY)


def test_they_make_themselves_and_today_says_when_the_last_is_old(path: Path, db: Connection, tmp_path: Path) -> None:
    clock = [NOW]
    app = create_app(path, now=lambda: clock[0])
    bench = Bench(app.test_client())
    make_if_due(app)
    assert not backups.folder_of(path, "").exists()  # nothing is entered yet
    instruments.add(db, replace(STARTING["electric"], name="Mine"), stamp(NOW))
    make_if_due(app)
    make_if_due(app)
    assert len(backups.made(backups.folder_of(path, ""), path)) == 1
    clock[0] += 1.5 * DAY
    assert "The last backup" not in bench.get("/")
    clock[0] += 2 * DAY
    assert "The last backup is of" in bench.get("/")
    # a folder that is gone is told, and not made where a disk is not plugged in
    disk = tmp_path / "disk"
    disk.mkdir()
    bench.post("/settings/keeping", {"backup_days": "1", "backups_kept": "5", "backup_folder": str(disk)})
    disk.rmdir()
    make_if_due(app)
    assert not disk.exists()
    assert "The last backup failed." in bench.get("/settings/keeping")
    # where none is wanted any more, none is wanting
    shop.change(db, {"backup_days": "0"})
    make_if_due(app)
    assert "The last backup failed." not in bench.get("/settings/keeping")
    shop.change(db, {"backup_days": "1"})
    disk.mkdir()
    make_if_due(app)
    assert len(backups.made(disk, path)) == 1
    assert "The last backup" not in bench.get("/")
    page = bench.get("/settings/keeping")
    assert "failed" not in page
    assert "Backed up" in page


@pytest.mark.parametrize(
    ("field", "value", "said"),
    [
        ("backup_days", "-1", "from 0 to 90"),
        ("backups_kept", "0", "from 1 to 500"),
        ("backup_folder", "here", "Give the whole path"),
        ("backup_folder", "/no/such/folder", "There is no such folder"),
        ("backup_folder", "/tmp\0x", "control character"),
    ],
)
def test_what_cannot_be_set_is_said(empty: Bench, field: str, value: str, said: str) -> None:
    sent = {"backup_days": "1", "backups_kept": "30", "backup_folder": "", field: value}
    answer = empty.post("/settings/keeping", sent)
    assert answer.status_code == 422
    assert said in answer.text


def test_an_archive_may_be_larger_than_what_else_is_sent(
    bench: Bench, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    raw = bench.client.get("/settings/keeping/bench.zip").data
    app = create_app(tmp_path / "other.sqlite3", now=lambda: NOW)
    app.config["MAX_CONTENT_LENGTH"] = len(raw) // 2
    mine = Bench(app.test_client())
    seen: list[str] = []

    def watched(words: str, in_hundred: int) -> None:
        tell(words, in_hundred)
        seen.append(app.test_client().get("/settings/keeping/archive/progress").text)

    tell = views._told
    monkeypatch.setattr(views, "_told", watched)
    monkeypatch.setattr(views, "disk_usage", lambda _: SimpleNamespace(free=0))
    full = mine.post("/settings/keeping/archive", {"file": (io.BytesIO(raw), "bench.zip")})
    assert full.status_code == 413
    assert "an archive up to 2 GB" in full.text
    monkeypatch.undo()
    monkeypatch.setattr(views, "_told", watched)
    assert mine.post("/import", {"file": (io.BytesIO(raw), "record.json")}).status_code == 413
    assert "The whole bench is in" in mine.post("/settings/keeping/archive", {"file": (io.BytesIO(raw), "b.zip")}).text
    assert "Checking every record: 50 %." in seen
    assert mine.get("/settings/keeping/archive/progress") == ""


def test_the_archive_goes_out_and_in_on_screen(bench: Bench, demo: Connection, tmp_path: Path) -> None:
    raw = bench.client.get("/settings/keeping/bench.zip").data
    assert ZipFile(io.BytesIO(raw)).testzip() is None
    other = tmp_path / "other.sqlite3"
    mine = Bench(create_app(other, now=lambda: NOW).test_client())

    def send(raw: bytes, here_already: str = "ask") -> str:
        sent = {"file": (io.BytesIO(raw), "bench.zip"), "here_already": here_already}
        return mine.post("/settings/keeping/archive", sent).text

    assert "is no archive, or is damaged" in send(raw[:-200])
    assert "Choose the ZIP file" in mine.post("/settings/keeping/archive", {}).text
    assert "The whole bench is in, 14 instruments" in send(raw)
    name = instruments.get(demo, 2).spec.name
    with closing(connect(other)) as db:
        instruments.edit(db, 2, replace(instruments.get(db, 2).spec, note="mine now"), stamp(NOW))
    refused = send(raw)
    assert f"Here already, and other than in the archive: {name}." in refused
    # from the page of the refusal everything leads on: its settings are saved, and its address can be come back to
    assert '<form class="spec" method="post" action="/settings/keeping"' in refused
    assert "Backups and archive" in mine.get("/settings/keeping/archive")
    assert f"Kept as it is here: {name}." in send(raw, "keep")
    assert f"as a copy: {name}." in send(raw, "copy")
    assert f"{name} (copy)" in mine.get("/instruments")


def test_a_large_damaged_bench_is_served_no_further(demo_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A file that would take long is looked through while it is served, and nothing more is written to it then."""
    monkeypatch.setattr(database, "CHECKED_AT_ONCE", 1)
    app = create_app(demo_path, now=lambda: NOW)
    look_for_damage(app)
    assert app.test_client().get("/").status_code == 200
    raw = bytearray(demo_path.read_bytes())
    for at in range(len(raw) // 2, len(raw) - 4096, 4096):
        raw[at : at + 8] = b"\xff" * 8
    demo_path.write_bytes(raw)
    with pytest.raises(StoreError, match="damaged"), closing(open_database(demo_path)):
        pass
    app = create_app(demo_path, now=lambda: NOW)
    look_for_damage(app)
    answer = app.test_client().get("/")
    assert answer.status_code == 503
    assert "restore a backup" in answer.text
