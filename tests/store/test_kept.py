"""What was worked out is given again while nothing that it was made from has changed, and never longer."""

import re
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from contextlib import closing, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from deft_bench.bench.survey_results import facts_of, latest
from deft_bench.store import instruments, jobs, notes, shop, surveys
from deft_bench.store.database import Connection, connect, open_database, transaction
from deft_bench.store.kept import Keeper, Kept, Result, kept, kept_of_all
from deft_bench.web import create_app, support
from harness import NOW
from web.test_pages import every_page

AT = "2026-08-24T09:30:00.000Z"
OF_NO_INSTRUMENT = {"schedule_pin", "stock_move", "stock_order"}
"""Rows that name a job, and of which nothing that is kept is made."""
SHOP_S = {"preset", "setting", "shop_operations", "stock_item", "wire"}
NEVER_ALONE = {"photo", "entered_by", "bench_job", "json_each", "changed"}
"""Written in one act with what names them, or not written at all."""


def counted(db: Connection) -> set[str]:
    """Tables whose every change moves a count."""
    found: dict[str, set[str]] = {}
    for table, sql in db.execute("SELECT tbl_name, sql FROM sqlite_master WHERE type = 'trigger'"):
        found.setdefault(table, set()).add(re.search(r"AFTER (\w+)", sql)[1])
    return {table for table, acts in found.items() if acts == {"INSERT", "UPDATE", "DELETE"}}


def test_every_table_that_belongs_to_an_instrument_moves_its_count(db: Connection) -> None:
    theirs = set(SHOP_S)
    for (table,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name <> 'changed'").fetchall():
        columns = {row[1] for row in db.execute(f"PRAGMA table_info({table})")}
        if columns & {"instrument_id", "job_id", "survey_id", "neck_id", "sounded_id"} or table == "instrument":
            theirs.add(table)
    assert theirs - OF_NO_INSTRUMENT <= counted(db)


def test_what_is_kept_is_made_of_rows_that_are_counted(
    demo_path: Path, demo: Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Every page of the demo is asked for, and what its kept results read is looked at."""
    making, read, made = list[Any](), set[str](), set[str]()

    def seen(sql: str) -> None:
        if making:
            read.update(re.findall(r"(?:FROM|JOIN) (?:main\.)?(\w+)", sql))

    given = Keeper.given

    def watched(self: Keeper, own: Connection, key: Any, counts: Any, asked: Any, make: Any, again: Any = None) -> Any:
        if key == "schedule":  # whose rows are never changed: it is kept by its own number
            assert not making
            return given(self, own, key, counts, asked, make)

        def seen_made() -> Any:
            made.add(key[1])
            making.append(key)
            try:
                return make()
            finally:
                making.pop()

        return given(self, own, key, counts, asked, seen_made, again)

    def watching(path: Path) -> Connection:
        opened = connect(path)
        opened.set_trace_callback(seen)
        return opened

    monkeypatch.setattr(support, "connect", watching)
    monkeypatch.setattr(Keeper, "given", watched)
    app = create_app(demo_path, now=lambda: NOW, testing=True)
    client = app.test_client()
    for url in every_page(demo):
        assert client.get(url).status_code < 400
    assert {"facts_of", "refret_facts", "setup_facts", "sheet_of", "latest", "call_of"} <= made
    assert read - counted(demo) <= NEVER_ALONE
    assert len(read) > 20


def test_a_result_is_given_again_until_its_rows_change(demo_path: Path, demo: Connection) -> None:
    settings, heron = shop.settings(demo), instruments.find(demo, "heron")[0]
    job = next(job for job in jobs.of_instrument(demo, heron.id) if job.closed_at is None)
    shared = Kept()

    def ask() -> Any:
        with closing(connect(demo_path)) as own:
            own.keeper = Keeper(shared)
            return facts_of(own, settings, job, heron), latest(own, settings, heron, "fret_heights")

    first = ask()
    assert all(one is other for one, other in zip(first, ask(), strict=True))
    survey = next(one for one in surveys.of_job(demo, job.id) if one.head.kind == "fret_heights")
    with suppress(ZeroDivisionError), transaction(demo):
        surveys.start(demo, heron.id, job.id, survey.frets, survey.head, AT)
        raise ZeroDivisionError
    assert ask()[0] is first[0]  # taken back: nothing happened
    made = surveys.start(demo, heron.id, job.id, survey.frets, survey.head, AT)
    surveys.add_many(demo, made, [(("middle", 1), 20, "0.02")], AT)
    again = ask()
    assert again[0] is not first[0]
    assert again[1].survey.id == made
    surveys.add_many(demo, made, [(("middle", 2), 30, "0.03")], AT)
    assert ask()[1].values != again[1].values
    other = instruments.find(demo, "curlew")[0]
    before = ask()
    instruments.edit(demo, other.id, replace(other.spec, note="seen"), AT)
    assert ask()[0] is before[0]  # another instrument's affair
    shop.change(demo, {"backups_kept": "7"})
    assert ask()[0] is not before[0]


def test_what_is_in_hand_within_an_act_is_not_kept(demo_path: Path) -> None:
    with closing(open_database(demo_path)) as db:
        db.keeper = Keeper(Kept())
        settings, heron = shop.settings(db), instruments.find(db, "heron")[0]
        job = next(job for job in jobs.of_instrument(db, heron.id) if job.closed_at is None)
        with transaction(db):
            jobs.close(db, job.id, AT)
            inside = facts_of(db, settings, job, heron)
            assert facts_of(db, settings, job, heron) is not inside


def test_what_hangs_on_every_instrument_is_looked_at_again(demo: Connection) -> None:
    """What is kept for one instrument goes by what was learned on all of them, and goes when that is another."""
    demo.keeper = Keeper(Kept())
    heron, curlew = (instruments.find(demo, name)[0] for name in ("heron", "curlew"))
    asked = []

    @kept_of_all
    def notes_in_all(db: Connection) -> int:
        return len([one for n in (heron.id, curlew.id) for one in notes.of_instrument(db, n)])

    @kept
    def inner(db: Connection, instrument: instruments.Instrument) -> str:
        return f"{instrument.spec.name}: {notes_in_all(db)}"

    @kept
    def outer(db: Connection, instrument: instruments.Instrument, end: str) -> str:
        asked.append(end)
        return inner(db, instrument) + end

    first = outer(demo, heron, "."), outer(demo, heron, "!")
    instruments.set_retired(demo, curlew.id, AT)
    assert (outer(demo, heron, "."), outer(demo, heron, "!")) == first
    assert asked == [".", "!"]  # another instrument was changed, and what was learned of all is the same
    notes.add(demo, curlew.id, None, 3, "bass", "a dent", None, AT)
    assert outer(demo, heron, ".") != first[0]
    assert asked == [".", "!", "."]


def test_many_who_ask_at_once_are_given_one_result(demo: Connection) -> None:
    shared, made, inside = Kept(), [], threading.Event()

    def slow() -> object:
        inside.set()
        time.sleep(0.2)
        made.append(object())
        return made[-1]

    with ThreadPoolExecutor(5) as pool:
        first = pool.submit(lambda: Keeper(shared).given(demo, "key", (1,), "", slow))
        assert inside.wait(10)
        others = [pool.submit(lambda: Keeper(shared).given(demo, "key", (1,), "", slow)) for _ in range(4)]
        assert {one.result(10) for one in (first, *others)} == set(made)
    assert len(made) == 1
    with pytest.raises(ZeroDivisionError):
        Keeper(shared).given(demo, "other", (1,), "", lambda: 1 // 0)
    assert Keeper(shared).given(demo, "other", (1,), "", lambda: 2) == 2  # nobody is waited for any more


def test_the_longest_unused_go_first() -> None:
    shared = Kept(most=2)
    for name in "abc":
        shared.keep(name, Result((1, 1), name, name, ()))
        assert shared.of("a", (1, 1), "a")
    assert shared.of("b", (1, 1), "b") is None
    assert shared.of("c", (1, 1), "c")
    assert shared.of("c", (1, 2), "c") is None
    assert shared.of("c", (1, 1), "d") is None
    assert shared.of("c", (0, 1), "c")  # made since: newer than what was asked for
