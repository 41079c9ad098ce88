"""The whole bench in one file and back: the same row by row, refused where it is not what was written."""

import csv
import io
import json
import os
import sys
from collections.abc import Callable
from contextlib import closing
from dataclasses import replace
from hashlib import sha256
from pathlib import Path
from typing import Any
from zipfile import ZipFile

import pytest
from PIL import Image

from deft_bench.cli import main
from deft_bench.core.instrument import STARTING
from deft_bench.formats.archive import ArchiveError, AskError, bring_in, write_archive
from deft_bench.formats.photograph import reencode
from deft_bench.formats.record import export_record
from deft_bench.formats.stock_csv import read_stock
from deft_bench.formats.strict_json import RequestError
from deft_bench.store import instruments, notes, stock, whole_bench
from deft_bench.store.database import Connection, connect, migrations, open_database

AT = "2026-11-28T09:00:00.000Z"


def content(path: Path) -> dict[str, bytes]:
    with ZipFile(path) as zipped:
        return {name: zipped.read(name) for name in zipped.namelist()}


def packed(path: Path, parts: dict[str, bytes]) -> Path:
    with ZipFile(path, "w") as zipped:
        for name, raw in parts.items():
            zipped.writestr(name, raw)
    return path


def resealed(parts: dict[str, bytes], **head: Any) -> dict[str, bytes]:
    """Parts with a manifest that is true of them."""
    manifest = json.loads(parts["manifest.json"]) | head
    manifest["files"] = {
        name: {"sha256": sha256(raw).hexdigest(), "bytes": len(raw)}
        for name, raw in parts.items()
        if name != "manifest.json"
    }
    return {**parts, "manifest.json": json.dumps(manifest).encode()}


@pytest.fixture
def archived(demo: Connection, tmp_path: Path) -> Path:
    """The demo bench with a photograph."""
    raw = tmp_path / "photo.png"
    Image.effect_noise((320, 200), 60).convert("RGB").save(raw)
    notes.add(demo, 1, None, 5, "bass", "a chip", notes.Photo(*reencode(raw.read_bytes())), AT)
    made = tmp_path / "bench.zip"
    write_archive(demo, made, AT)
    return made


def test_a_bench_comes_back_row_by_row(archived: Path, demo: Connection, path: Path, tmp_path: Path) -> None:
    parts = content(archived)
    assert [name for name in parts if name.startswith("photographs/")]
    assert json.loads(parts[f"instruments/{instruments.get(demo, 1).uid}.json"]) == json.loads(
        json.dumps(export_record(demo, 1))
    )
    fresh = tmp_path / "fresh" / "bench.sqlite3"
    with closing(open_database(fresh)) as db:
        assert bring_in(db, archived).whole
        for table in whole_bench.tables(demo):
            assert list(whole_bench.rows(db, table)) == list(whole_bench.rows(demo, table)), table
        assert [one.id for one in instruments.find(db, "curl")] == [one.id for one in instruments.find(demo, "curl")]
        write_archive(db, tmp_path / "again.zip", AT)
    assert (tmp_path / "again.zip").read_bytes() == archived.read_bytes()


def test_a_spreadsheet_has_every_reading_and_the_stock(archived: Path, demo: Connection) -> None:
    parts = content(archived)
    in_mm = 0
    for found in whole_bench.instruments_of_the_bench(demo):
        record = export_record(demo, found)
        every = [(one["uid"], row) for one in record["surveys"] for row in one["readings"]]
        raw = parts.get(f"spreadsheets/{record['uid']}.csv", b"").decode()
        rows = list(csv.DictReader(io.StringIO(raw)))
        assert [(row["survey"], int(row["fret"]), row["lane"], row["by"] or None) for row in rows] == [
            (uid, one["fret"], one["lane"], one["by"]) for uid, one in every
        ]
        for row, (_, one) in zip(rows, every, strict=True):
            if row["reading"].endswith(" mm"):
                in_mm += 1
                assert float(row["reading"].removesuffix(" mm")) * 1000 == pytest.approx(one["value_um"])
    assert in_mm > 1_000
    lines = read_stock(parts["spreadsheets/stock.csv"].decode())
    there = {item.name: (None if item.wire_id else item.have) for item in stock.items(demo)}
    assert {line.name: line.have for line in lines} == pytest.approx(there)


def test_what_comes_in_tells_how_far_it_is(archived: Path, tmp_path: Path) -> None:
    told: list[tuple[str, int]] = []
    with closing(open_database(tmp_path / "new" / "bench.sqlite3")) as db:
        bring_in(db, archived, tell=lambda words, in_hundred: told.append((words, in_hundred)))
    stages = list(dict.fromkeys(words for words, _ in told))
    assert stages == ["Reading it", "Checking every record", "Putting it into the bench"]
    for stage in stages:
        shares = [share for words, share in told if words == stage]
        # read again from the start only once its size is known
        assert shares == sorted(shares)
    for stage in stages[:2]:
        assert (stage, 100) in told
    assert len([words for words, _ in told if words == "Reading it"]) > 20


def test_into_a_bench_in_use_come_the_instruments_that_it_lacks(
    archived: Path, demo: Connection, tmp_path: Path
) -> None:
    with closing(open_database(tmp_path / "mine" / "bench.sqlite3")) as db:
        mine = instruments.add(db, replace(STARTING["electric"], name="Mine"), AT)
        first = bring_in(db, archived)
        assert not first.whole
        assert len(first.new) == len(whole_bench.instruments_of_the_bench(demo))
        before = whole_bench.instruments_of_the_bench(db)
        again = bring_in(db, archived)
        assert (again.new, again.kept, again.copied, len(again.same)) == ([], [], [], len(first.new))
        changed = instruments.id_of(db, instruments.get(demo, 2).uid)
        assert changed is not None
        instruments.edit(db, changed, replace(instruments.get(db, changed).spec, note="mine now"), AT)
        name = instruments.get(db, changed).spec.name
        with pytest.raises(AskError, match=name):
            bring_in(db, archived)
        assert bring_in(db, archived, "keep").kept == [name]
        assert whole_bench.instruments_of_the_bench(db) == before
        assert bring_in(db, archived, "copy").copied == [name]
        copy = whole_bench.instruments_of_the_bench(db)[-1]
        assert instruments.get(db, copy).spec.name == f"{name} (copy)"
        assert instruments.get(db, mine).spec.name == "Mine"


@pytest.mark.parametrize("version", [2, 8, 15, migrations()[-1][0] - 1])
def test_an_archive_of_an_earlier_version_is_read(version: int, tmp_path: Path) -> None:
    def fill(db: Connection) -> None:
        db.execute("INSERT INTO setting VALUES ('system', 'in')")
        db.execute("INSERT INTO climate (at, temperature_c, humidity) VALUES (?, 20.5, 44)", (AT,))

    parts = {}
    # what that version's program would have written
    with closing(connect(Path(":memory:"))) as db:
        for number, sql in migrations():
            if number <= version:
                db.executescript(sql)
        fill(db)
        for table in whole_bench.tables(db):
            rows = [whole_bench.columns(db, table), *map(list, whole_bench.rows(db, table))]
            parts[f"tables/{table}.jsonl"] = "".join(json.dumps(row) + "\n" for row in rows).encode()
    head = {"format": "deft-bench-archive", "version": 1, "schema": version, "program": "0", "made_at": AT, "files": {}}
    made = packed(tmp_path / "old.zip", resealed({**parts, "manifest.json": json.dumps(head).encode()}))
    with closing(open_database(tmp_path / "new" / "bench.sqlite3")) as db:
        assert bring_in(db, made).whole
        assert [tuple(row) for row in db.execute("SELECT at, temperature_c, humidity FROM climate")] == [(AT, 20.5, 44)]
        assert db.execute("SELECT value FROM setting WHERE name = 'system'").fetchone()[0] == "in"


def flipped(parts: dict[str, bytes]) -> dict[str, bytes]:
    raw = bytearray(parts["tables/reading.jsonl"])
    raw[300] ^= 1
    return {**parts, "tables/reading.jsonl": bytes(raw)}


def changed(name: str, old: str, new: str) -> Callable[[dict[str, bytes]], dict[str, bytes]]:
    def change(parts: dict[str, bytes]) -> dict[str, bytes]:
        text = parts[name].decode()
        assert old in text
        return resealed({**parts, name: text.replace(old, new, 1).encode()})

    return change


@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (flipped, r"tables/reading\.jsonl"),
        (lambda parts: {name: raw for name, raw in parts.items() if name != "tables/survey.jsonl"}, "differ"),
        (lambda parts: {**parts, "../../evil": b"x"}, "differ"),
        (lambda parts: resealed(parts, schema=9_999), "newer Deft Bench"),
        (lambda parts: resealed(parts, version=2), "newer Deft Bench"),
        (lambda parts: resealed(parts, made_at="2026-00-00T00:00:00.000Z"), "made_at"),
        (lambda parts: {"letter.txt": b"x"}, "no archive of a bench"),
        (changed("tables/setting.jsonl", '"value"', '"vale"'), "no column 'vale'"),
        (changed("tables/survey.jsonl", '"before"', '"never"'), "cannot hold"),
        (changed("tables/job.jsonl", "[1, ", '["one", '), "cannot hold"),
        (changed("tables/instrument.jsonl", "[1, ", "[777, "), "names another that is not there"),
        (changed("tables/climate.jsonl", "\n", "\n[1, 2]\n"), "line 2: must hold 4 plain values"),
        (
            changed("tables/stock_move.jsonl", "T09:", "T99:"),
            "stock_move.jsonl, line 2: at '.*' is not of the calendar",
        ),
        (changed("tables/photo.jsonl", "photographs/", "tables/"), "is no photograph"),
    ],
)
def test_what_is_not_what_was_written_is_refused(
    spoil: Callable[[dict[str, bytes]], dict[str, bytes]], said: str, archived: Path, tmp_path: Path
) -> None:
    with closing(open_database(tmp_path / "new" / "bench.sqlite3")) as db:
        with pytest.raises(ArchiveError, match=said):
            bring_in(db, packed(tmp_path / "spoilt.zip", spoil(content(archived))))
        assert whole_bench.is_empty(db)


def test_what_no_bench_could_hold_is_refused_in_words(archived: Path, tmp_path: Path) -> None:
    spoil = changed("tables/job.jsonl", '"level_and_dress"', '"juggling"')
    with closing(open_database(tmp_path / "new" / "bench.sqlite3")) as db:
        with pytest.raises(RequestError, match=r"jobs\[2\]\.kind: must be one of"):
            bring_in(db, packed(tmp_path / "spoilt.zip", spoil(content(archived))))
        assert whole_bench.is_empty(db)
    cut = tmp_path / "cut.zip"
    cut.write_bytes(archived.read_bytes()[:-400])
    with closing(open_database(tmp_path / "new" / "bench.sqlite3")) as db, pytest.raises(ArchiveError, match="damaged"):
        bring_in(db, cut)


def test_the_commands_write_it_and_bring_it_in(
    demo_path: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    made, new = tmp_path / "bench.zip", tmp_path / "new.sqlite3"
    assert main(["archive", str(made), "--database", str(demo_path)]) == 0
    assert "14 instruments, 179 surveys" in capsys.readouterr().out
    assert main(["archive", str(made), "--database", str(demo_path)]) == 1
    assert "exists already" in capsys.readouterr().err
    assert main(["import", str(made), "--database", str(new)]) == 0
    assert "The whole bench is in" in capsys.readouterr().out
    with closing(open_database(new)) as db:
        instruments.edit(db, 1, replace(instruments.get(db, 1).spec, note="mine now"), AT)
    monkeypatch.setattr(sys, "stdin", open(os.devnull))  # noqa: SIM115
    assert main(["import", str(made), "--database", str(new)]) == 1
    assert "--here-already keep" in capsys.readouterr().err
    assert main(["import", str(made), "--here-already", "keep", "--database", str(new)]) == 0
    assert "Kept as it is here: Heron No. 4." in capsys.readouterr().out
