"""Stock and tools: the ledger, what open jobs use, shortages before a job stops, counting, CSV, wire and its
offcuts, worn tools, frets ticked in a step.
"""

import json
import re
import sqlite3
from contextlib import closing
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.bench.scheduling import on_bench
from deft_bench.bench.stock_outlook import CUTS, stock_outlook
from deft_bench.bench.stock_sheet import take_in_stock
from deft_bench.core.frets.cut_list import CutListError, cut_list
from deft_bench.core.frets.wire import read_pieces, write_pieces
from deft_bench.core.work.pace import pace
from deft_bench.core.work.stock import Need, after_cutting, aging, amount, outlook
from deft_bench.core.work.tools import Tool, Worked, state_for, states
from deft_bench.formats.operations_toml import shipped
from deft_bench.formats.record import export_record, import_record
from deft_bench.formats.stock_csv import read_stock
from deft_bench.store import jobs, refrets, sheets, shop, stock, tools
from deft_bench.store.database import Connection, migrations, open_database
from deft_bench.web import create_app
from harness import Bench, words

HERON, WHIMBREL, REDSHANK, RUFF = 1, 9, 12, 13
SET = "Strings 10–46 nickel-plated steel"
MONDAY = datetime(2026, 8, 24, 9, 0, tzinfo=UTC)


def item(db: Connection, name: str) -> stock.Item:
    found = stock.named(db, name)
    assert found is not None
    return stock.get(db, found)


@given(
    st.lists(st.tuples(st.floats(0, 50), st.integers(0, 20)), max_size=12),
    st.floats(0, 200),
    st.lists(st.tuples(st.integers(0, 20), st.floats(1, 50)), max_size=3),
)
def test_the_first_need_that_is_not_covered_is_found(
    needs: list[tuple[float, int]], have: float, coming: list[tuple[int, float]]
) -> None:
    wanted = [Need(str(i), "x", "tape", "m", much, MONDAY + timedelta(days=day)) for i, (much, day) in enumerate(needs)]
    incoming = [(MONDAY.date() + timedelta(days=day), much) for day, much in coming]
    found = outlook(have, wanted, incoming)
    assert found.left == pytest.approx(have - sum(much for much, _ in needs))
    # the same walk, day by day and slowly
    short = None
    for need in found.needs:
        assert need.at is not None
        used = sum(one.quantity for one in found.needs[: found.needs.index(need) + 1])
        there = have + sum(much for day, much in incoming if day < need.at.date())
        if used > there + 1e-9:
            short = need
            break
    assert found.short == short


@given(st.integers(0, 10**6))
def test_cutting_takes_pieces_and_keeps_the_offcuts_that_make_a_fret(seed: int) -> None:
    slots = [40.0 + (seed * (i + 7) % 200) / 10 for i in range(20)]
    pieces = [305_000] * 4 + [220_000] * 2
    cuts = cut_list(slots, range(1, 15), 2.0, 0.0, 0.0, [um / 1000 for um in pieces], 0.5)
    used, offcuts, left = after_cutting(pieces, cuts)
    assert sorted([*used, *left]) == sorted(pieces)
    assert all(um >= 60_000 for um in offcuts)
    spent = sum(round(piece.used_mm * 1000) for piece in cuts.pieces if piece.frets)
    thrown = sum(used) - spent - sum(offcuts)
    assert 0 <= thrown < 60_000 * len(used)
    with pytest.raises(CutListError, match="no piece of"):
        after_cutting([100_000], cuts)


def test_dates_amounts_and_pieces_in_words() -> None:
    today = date(2026, 8, 24)
    assert aging(None, date(2026, 8, 18), today) is not None
    assert aging(None, date(2026, 8, 18), today).over
    assert aging(date(2025, 6, 1), None, today).say == "open for 14 months: try it on an offcut first"
    assert aging(date(2026, 8, 1), date(2027, 8, 1), today) is None
    assert (amount(1, "strip"), amount(4, "set"), amount(0.5, "g")) == ("1 strip", "4 sets", "0.5 g")
    pieces = (305_000, 305_000, 220_000)
    assert write_pieces(pieces, lambda um: f"{um / 1000:g}") == "2 × 305; 1 × 220"
    assert read_pieces("2 x 305; 220", "mm") == pieces
    with pytest.raises(ValueError, match="give pieces as"):
        read_pieces("many × 305", "mm")


def test_a_finished_step_takes_its_materials_and_a_reopened_one_puts_them_back(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [HERON])[HERON]
    before = item(demo, "Low-tack tape").have
    page = f"/jobs/{job.id}/sheet/step"
    bench.post(page, {"step": "mask", "what": "finished", "note": "ends were dressed before"})
    taken = before - item(demo, "Low-tack tape").have
    assert taken == pytest.approx(1 + 0.1 * 21)
    assert "used" in words(bench.get(f"/stock/{item(demo, 'Low-tack tape').id}"))
    assert "Heron No. 4, mask the board" in words(bench.get(f"/stock/{item(demo, 'Low-tack tape').id}"))
    bench.post(page, {"step": "mask", "what": "reopened"})
    bench.post(page, {"step": "mask", "what": "reopened"})
    assert item(demo, "Low-tack tape").have == pytest.approx(before)


def test_shortage_is_said_before_it_stops_a_job_and_an_order_covers_it(bench: Bench, demo: Connection) -> None:
    shown = words(bench.get("/stock"))
    assert re.search(
        rf"{SET}: \d sets? too few by \w+ \d+ \w+, for “String up to pitch, settle” of \w+ No\. \d+", shown
    )
    strings = item(demo, SET)
    assert "On order" in bench.post("/stock/orders", {"what": SET, "quantity": "10", "due_on": "2026-08-27"}).text
    assert f"{SET}: " not in words(bench.get("/stock"))
    order = next(one for one in stock.orders(demo) if one.item_id == strings.id)
    bench.post(f"/stock/orders/{order.id}", {"came": "1"})
    assert item(demo, SET).have == strings.have + 10
    assert "has come already" in bench.post(f"/stock/orders/{order.id}", {"came": "1"}).text
    for wrong, why in (
        ({"what": "", "due_on": "2026-08-27"}, "Say what is on order"),
        ({"what": "x", "due_on": "soon"}, "is not a date"),
        ({"what": "x", "due_on": "2026-08-27", "step": "dance"}, "Choose the step"),
        ({"what": "x", "due_on": "2026-08-27", "quantity": "-3"}, "give a number from"),
    ):
        assert why in bench.post("/stock/orders", wrong).text
    demo.execute("UPDATE stock_item SET retired_at = '2026-08-24T09:00:00.000Z' WHERE name = 'Tannin'")
    assert re.search(r"Used by open jobs and not kept in stock: [^.]*tannin", words(bench.get("/stock")))


def test_the_ledger_moves_and_refuses_in_words(bench: Bench, demo: Connection) -> None:
    glue = item(demo, "Wood glue")
    page = f"/stock/{glue.id}/move"
    bench.post(page, {"why": "received", "quantity": "12,5"})
    bench.post("/settings/person", {"person": "Ilo"})
    assert "froze by Ilo" in words(bench.post(page, {"why": "spoiled", "quantity": "2.5", "note": "froze"}).text)
    assert item(demo, "Wood glue").have == pytest.approx(glue.have + 10)
    bench.post(page, {"why": "counted", "quantity": "300"})
    assert [(move.change, move.why) for move in stock.moves(demo, glue.id)][:3] == [
        (300 - glue.have - 10, "counted"),
        (-2.5, "spoiled"),
        (12.5, "received"),
    ]
    assert [move.by for move in stock.moves(demo, glue.id)][:3] == ["Ilo", "Ilo", None]
    assert "as the ledger says" in bench.post(page, {"why": "counted", "quantity": "300"}).text
    refused = bench.post(page, {"why": "used", "quantity": "lots", "note": "for a nut"}).text
    assert "give a number from" in refused
    assert all(f'value="{kept}"' in refused for kept in ("lots", "for a nut"))
    wire = next(one for one in stock.items(demo) if one.wire_id and one.pieces_um)
    bench.post(f"/stock/{wire.id}/move", {"many": ["2", ""], "length": ["305", "12 in"]})
    assert stock.get(demo, wire.id).pieces_um == (305_000, 305_000, 304_800)
    assert 'value="wide"' in bench.post(f"/stock/{wire.id}/move", {"many": "2", "length": "wide"}).text
    assert "say what happened" in bench.post(page, {"why": "stolen", "quantity": "1"}).text
    assert item(demo, "Wood glue").have == pytest.approx(300)
    assert (
        "is in stock now"
        in bench.post("/stock/items", {"name": "Hide glue", "kind": "glue", "unit": "g", "have": "80"}).text
    )
    for wrong, why in (
        ({"name": "hide GLUE", "kind": "glue", "unit": "g"}, "is there already"),
        ({"name": "Wire", "kind": "wire", "unit": "piece"}, "entered on the Refret screen"),
        ({"name": "", "kind": "glue", "unit": ""}, "needs a name and a unit"),
    ):
        assert why in bench.post("/stock/items", wrong).text
    hide = item(demo, "Hide glue")
    assert "Give the day" in bench.post(f"/stock/{hide.id}/lots", {"label": "jar"}).text
    bench.post(f"/stock/{hide.id}/lots", {"label": "jar", "expires_on": "2026-08-30"})
    assert "expires in 6 days" in words(bench.get("/stock"))
    lot = next(one for one in stock.lots(demo) if one.item_id == hide.id)
    bench.post(f"/stock/{hide.id}/lots", {"spent": lot.id})
    assert "expires in 6 days" not in words(bench.get("/stock"))
    bench.post(f"/stock/{hide.id}/edit", {"kind": "glue", "unit": "g", "least": "90", "note": "soak a night"})
    assert (item(demo, "Hide glue").least, item(demo, "Hide glue").note) == (90, "soak a night")


def test_a_count_sheet_and_a_csv_go_out_and_in(bench: Bench, demo: Connection) -> None:
    tape, oil = item(demo, "Low-tack tape"), item(demo, "Board oil")
    wrong = bench.post("/stock/count", {f"have{tape.id}": "40", f"have{oil.id}": "much"})
    assert wrong.status_code == 422
    assert 'value="40"' in wrong.text
    assert item(demo, "Low-tack tape").have == tape.have
    assert (
        "2 counted, 1 differed"
        in bench.post("/stock/count", {f"have{tape.id}": "40", f"have{oil.id}": f"{oil.have:g}"}).text
    )
    sheet = bench.client.get("/stock.csv").text
    lines = read_stock(sheet)
    assert not [line.problem for line in lines if line.problem]
    assert {line.name: line.have for line in lines if line.kind != "wire"} == {
        one.name: one.have for one in stock.items(demo) if one.wire_id is None
    }
    medium = next(line for line in lines if line.name == "Fret wire, Medium")
    assert medium.pieces_um == item(demo, "Fret wire, Medium").pieces_um
    assert all(line.have is None for line in read_stock(bench.client.get("/stock.csv?count=1").text))
    mixed = (
        "name;have;kind;unit;pieces\nBoard oil;99,5;finish;ml;\n=Sum;3;other;piece;\nFret wire, Medium;;wire;pieces;2 ×"
        " 305 mm\nNew wire;;wire;pieces;1 × 305\nBad;x;glue;g;\nBoard oil;1;finish;ml;\nOdd;1;ufo;g;\n"
    )
    before = list(demo.iterdump())
    with pytest.MonkeyPatch.context() as broken:
        broken.setattr(stock, "count", lambda *_: 1 / 0)
        with pytest.raises(ZeroDivisionError):
            take_in_stock(demo, [line for line in read_stock(mixed) if not line.problem], "2026-08-24T09:00:00Z")
    assert list(demo.iterdump()) == before  # a sheet that fails half way has entered nothing
    refused = bench.post("/stock/csv", {"sheet": mixed})
    assert refused.status_code == 422
    said = words(refused.text)
    for part in (
        "Line 5",
        "entered on the Refret screen",
        "Line 6",
        "have “x” is not a number",
        "stands already in line 2",
        "kind “ufo” is none of",
        "3 lines are sound",
    ):
        assert part in said, part
    assert item(demo, "Board oil").have == oil.have
    assert "3 lines taken in" in bench.post("/stock/csv", {"sheet": mixed, "anyway": "1"}).text
    assert item(demo, "Board oil").have == 99.5
    assert item(demo, "Fret wire, Medium").pieces_um == (305_000, 305_000)
    assert "'=Sum" in bench.client.get("/stock.csv").text  # a spreadsheet must not take it for a formula
    assert "must name the columns" in words(bench.post("/stock/csv", {"sheet": "a,b\n1,2"}).text)


def test_a_refret_takes_its_wire_and_an_offcut_serves_a_partial_refret(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [RUFF])[RUFF]
    wire = item(demo, "Fret wire, Bass, wide")
    plan = refrets.PLANS.last(demo, job.id)
    assert plan is not None
    assert plan.wire == "Bass, wide"
    page = words(bench.get(f"/stock/{wire.id}"))
    assert "Ruff No. 13 Overbend, cut and number the wire" in page
    said = bench.post(f"/jobs/{job.id}/refret/fitted").text
    assert "pieces of wire left the stock" in said
    after = item(demo, "Fret wire, Bass, wide")
    moved = [(move.change, move.length_um, move.why) for move in stock.moves(demo, wire.id) if move.job_id == job.id]
    assert sum(change for change, _, why in moved if why == "used") <= -4
    assert sum(after.pieces_um) < sum(wire.pieces_um)
    bench.post(f"/jobs/{job.id}/refret/fitted")
    assert item(demo, "Fret wire, Bass, wide").pieces_um == after.pieces_um  # once a job
    # one fret of another board is cut from what is left
    heron = jobs.open_job(demo, WHIMBREL, "refret", "2026-08-24T09:00:00.000Z", None)
    refrets.PLANS.save(demo, heron, replace(plan, frets=(20,), pieces_um=after.pieces_um), "2026-08-24T09:01:00.000Z")
    assert "Whimbrel No. 8" in words(bench.get(f"/stock/{wire.id}"))
    stock.count_pieces(demo, wire.id, [], "2026-08-24T09:02:00.000Z")
    assert "Fret wire, Bass, wide: Whimbrel No. 8:" in words(bench.get("/stock"))


def test_the_wire_of_all_refrets_is_asked_for_at_once(demo: Connection) -> None:
    settings, asked = shop.settings(demo), list[str]()
    cutting = [one for one in on_bench(demo, settings) if any(step.code == CUTS for step in one.sheet.left())]
    assert cutting
    demo.set_trace_callback(asked.append)
    found = stock_outlook(demo, settings, [*cutting, *cutting, *cutting])
    demo.set_trace_callback(None)
    assert found == stock_outlook(demo, settings, [*cutting, *cutting, *cutting])
    plans = [sql for sql in asked if "FROM refret_plan d JOIN" in sql]
    assert len(plans) == 1
    assert len([sql for sql in asked if re.search(r"FROM wire\b", sql)]) == 1


def test_a_worn_tool_slows_its_steps_until_it_is_seen_to(bench: Bench, demo: Connection) -> None:
    book = shipped()
    saw = Tool(1, "Slotting saw", "sharpened", 60, "", "2026-08-01T00:00:00Z")
    worked = [
        Worked("slot", "2026-07-30T09:00:00Z", 500.0),
        Worked("slot", "2026-08-02T09:00:00Z", 50.0),
        Worked("saw_trial", "2026-08-03T09:00:00Z", None),
    ]
    (found,) = states([saw], book.operations, worked)
    assert found.minutes == pytest.approx(50 + book.operations["saw_trial"].minutes[0])
    assert (found.near, found.worn) == (True, False)
    (later,) = states([saw], book.operations, [*worked, Worked("slot", "2026-08-04T09:00:00Z", 5.0)])
    assert later.worn
    assert state_for(book.operations["slot"], [later]) == "worn"
    assert state_for(book.operations["crown"], [later]) == "sharp"
    page = words(bench.get("/tools"))
    assert "Crowning file is worn" in page
    mine = {tool.name: tool for tool in tools.tools(demo)}
    bench.post("/tools", {"seen": mine["crowning file"].id})
    assert "Every tool is fit for work" in words(bench.get("/tools"))
    assert "Crowning file" not in words(bench.get("/"))
    assert "There is no such tool" in bench.post("/tools", {"seen": 999}).text
    assert "Give a name" in bench.post("/tools", {"name": "", "care": "sharpened"}).text
    assert "give a number from" in bench.post("/tools", {"name": "scraper", "care": "sharpened", "lasts": "x"}).text
    # the plane has worked 42 minutes by the record: its steps take longer, on the sheet and in the estimate
    url = f"/jobs/{jobs.open_of(demo, [14])[14].id}/estimate"
    board = [float(re.search(r"<td>Board</td>.*?<td class=\"num\">([\d.]+)</td>", bench.get(url))[1])]
    bench.post("/tools", {"name": "plane", "care": "sharpened", "lasts": "0.5"})
    assert "plane is worn" in words(bench.get("/tools")).lower()
    board.append(float(re.search(r"<td>Board</td>.*?<td class=\"num\">([\d.]+)</td>", bench.get(url))[1]))
    assert board[1] - board[0] == pytest.approx(0.3 * 25 * 1.25 / 60 * 48, abs=0.02)  # thicknessing a hard board


def test_frets_ticked_one_by_one_give_a_pace(demo: Connection, demo_path: Path) -> None:
    at = [MONDAY]
    bench = Bench(create_app(demo_path, now=lambda: at[0], testing=True).test_client())
    job = jobs.open_of(demo, [HERON])[HERON]
    url = f"/jobs/{job.id}/sheet/tick"
    for fret in range(1, 6):
        at[0] += timedelta(minutes=2 if fret != 4 else 40)  # a break is no pace
        answer = bench.post(url, {"step": "crown", "fret": fret}, headers={"Accept": "application/json"})
        assert answer.json["done"] == fret
    assert answer.json["pace"].startswith("2.0 min a fret, 16 left: done about ")
    assert sheets.events(demo, job.id)[-1].kind == "started"
    assert not bench.post(url, {"step": "crown", "fret": 5}, headers={"Accept": "application/json"}).json["ticked"]
    assert bench.post(url, {"step": "crown", "fret": 99}, headers={"Accept": "application/json"}).status_code == 422
    assert "Not ticked" in bench.post(url, {"step": "dance", "fret": 3}).text
    assert 'aria-pressed="true" aria-label="Fret 4 done"' in bench.get(f"/jobs/{job.id}/sheet")
    record = export_record(demo, HERON)
    ticks = next(one for one in record["jobs"] if one["uid"] == job.uid)["sheet_ticks"]
    assert [(one["step"], one["fret"]) for one in ticks] == [("crown", 1), ("crown", 2), ("crown", 3), ("crown", 4)]


@given(st.lists(st.floats(0.2, 11), min_size=2, max_size=30), st.integers(0, 40))
def test_a_pace_is_within_what_was_seen(gaps: list[float], more: int) -> None:
    moments = [MONDAY]
    for gap in gaps:
        moments.append(moments[-1] + timedelta(minutes=gap))
    found = pace(moments, len(moments) + more, moments[-1])
    assert found is not None
    assert min(gaps) - 1e-6 <= found.per_fret_min <= max(gaps) + 1e-6
    assert found.left == more
    assert found.finish == moments[-1] + timedelta(minutes=found.per_fret_min * more)
    assert pace(moments[:2], 20, moments[-1]) is None


def test_weights_and_ticks_travel_and_older_records_are_still_read(
    demo: Connection, db: Connection, tmp_path: Path
) -> None:
    job = jobs.open_of(demo, [HERON])[HERON]
    jobs.promise(demo, job.id, job.promised_on, 3)
    sheets.toggle_tick(demo, job.id, "crown", 7, "2026-08-24T09:00:00.000Z")
    record = export_record(demo, HERON)
    with closing(open_database(tmp_path / "other.sqlite3")) as other:
        made = import_record(other, json.dumps(record).encode())
        assert export_record(other, made) == record
    record["version"] = 3
    for one in record["jobs"]:
        del one["weight"], one["sheet_ticks"], one["found_home"]
        one["seated"] = one["uid"] == job.uid
    whens = [survey["when"] for survey in record["surveys"]]
    for survey in record["surveys"]:
        survey["stage"] = survey.pop("when")
    with closing(open_database(tmp_path / "third.sqlite3")) as third:
        made = import_record(third, json.dumps(record).encode())
        assert jobs.open_of(third, [made])[made].weight == 1
        read = export_record(third, made)
        assert [survey["when"] for survey in read["surveys"]] == whens
        # a neck that was said to be home is home fret by fret, by its last heights
        heights = [one["uid"] for one in read["surveys"] if (one["job"], one["kind"]) == (job.uid, "fret_heights")]
        told = {one["uid"]: one["found_home"] for one in read["jobs"]}
        assert heights
        assert [said["survey"] for said in told.pop(job.uid)] == heights[-1:]
        assert not any(told.values())


def test_the_pieces_of_an_older_bench_become_the_ledgers_first_lines(tmp_path: Path) -> None:
    path = tmp_path / "old.sqlite3"
    with closing(sqlite3.connect(path)) as old:
        for number, sql in migrations():
            if number < 7:
                old.executescript(f"{sql}\nPRAGMA user_version = {number};")
        old.execute("PRAGMA application_id = 0x44454654")
        old.execute("INSERT INTO wire VALUES (1, 'Medium', 2300, 1100, 1600, 480, 780, NULL)")
        old.executemany(
            "INSERT INTO wire_piece (wire_id, length_um, count) VALUES (1, ?, ?)",
            [(305_000, 6), (220_000, 1), (220_000, 1)],
        )
        old.commit()
    with closing(open_database(path)) as db:
        (wire,) = refrets.wires(db)
        assert wire.pieces_um == (305_000,) * 6 + (220_000,) * 2
        assert [move.why for move in stock.moves(db, item(db, "Fret wire, Medium").id)] == ["counted", "counted"]
        jobs.in_bench_order(db)


def test_gate_readings_stand_on_the_sheet(bench: Bench, demo: Connection) -> None:
    job = jobs.open_of(demo, [REDSHANK])[REDSHANK]
    page = f"/jobs/{job.id}/sheet"
    assert (
        "Seat the frets, ends first, then the middle Gate: no daylight of 0.03 mm or more Read: daylight under frets 7"
        " and 15" in words(bench.get(page))
    )
    for code in ("seat", "straight", "survey"):
        bench.post(f"{page}/step", {"step": code, "what": "finished", "note": "read elsewhere"})
    for code in ("reseat", "ends"):
        bench.post(f"{page}/step", {"step": code, "what": "started", "note": "in hand"})
        shown = words(bench.get(page))
        read = {
            "reseat": "Read: daylight under frets 7 and 15",
            "ends": "Read: 0 of 4 ticked: flush, bevelled, both sides",
        }[code]
        assert read in shown, (code, shown[600:1500])
        bench.post(f"{page}/step", {"step": code, "what": "finished", "note": "a test"})
