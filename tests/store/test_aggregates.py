"""Readings are never overwritten, instruments never lost, and no page's query reads a whole table."""

import sqlite3
from dataclasses import replace
from uuid import uuid4

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from deft_bench.core.instrument import STARTING
from deft_bench.core.survey import SurveyHead
from deft_bench.store import instruments, jobs, notes, shop, surveys
from deft_bench.store.database import Connection

SPEC = replace(STARTING["electric"], name="Tern No. 1")
HEAD = SurveyHead("fret_heights", "before", "gap", "fret_tops", "gauge", 20, "off", 21.0, 45.0, "lane_by_lane")
AT = "2026-08-24T09:30:00.000Z"


def a_survey(db: Connection) -> int:
    instrument = instruments.add(db, SPEC, AT)
    return surveys.start(db, instrument, jobs.open_job(db, instrument, "level_and_dress", AT, None), 22, HEAD, AT)


def accept(
    db: Connection, survey: int, um: int | None, expects: int | None = None, token: str | None = None
) -> surveys.Reading:
    token = token or uuid4().hex
    return surveys.accept(db, survey, ("bass", 3), um, str(um), AT, token=token, expects=expects)


def test_a_correction_keeps_the_earlier_value(db: Connection) -> None:
    survey = a_survey(db)
    first = accept(db, survey, 30)
    second = accept(db, survey, 50, expects=first.id)
    accept(db, survey, None, expects=second.id)
    assert surveys.readings(db, survey) == {}
    third = accept(db, survey, 40)
    assert [(r.value_um, r.replaces is None) for r in surveys.history(db, survey)] == [
        (30, True),
        (50, False),
        (None, False),
        (40, False),
    ]
    assert surveys.values(db, survey) == {("bass", 3): 40}
    assert surveys.counts(db, [survey]) == {survey: 1}
    assert third.replaces is not None


def test_the_same_accept_twice_makes_one_reading(db: Connection) -> None:
    survey = a_survey(db)
    one = accept(db, survey, 30, token="double")
    assert accept(db, survey, 30, token="double") == one
    assert len(surveys.history(db, survey)) == 1


def test_two_windows_do_not_overwrite_each_other_silently(db: Connection) -> None:
    survey = a_survey(db)
    first = accept(db, survey, 30)
    with pytest.raises(surveys.ReadingConflictError) as conflict:
        accept(db, survey, 70)
    assert conflict.value.current == first
    accept(db, survey, 50, expects=first.id)
    with pytest.raises(surveys.ReadingConflictError):
        accept(db, survey, 60, expects=first.id)
    assert surveys.values(db, survey) == {("bass", 3): 50}


def test_the_tables_themselves_refuse_what_must_never_be(db: Connection) -> None:
    survey = a_survey(db)
    first = accept(db, survey, 30)
    second = accept(db, survey, 40, expects=first.id)
    bad = [
        (
            "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at) VALUES (?, 'bass', 3, 1, '', '')",
            (survey,),
        ),
        (
            (
                "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at, replaces) VALUES (?, 'bass', 3, 1,"
                " '', '', ?)"
            ),
            (survey, first.id),
        ),
        (
            "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at) VALUES (?, 'left', 3, 1, '', '')",
            (survey,),
        ),
        ("INSERT INTO reading (survey_id, lane, fret, value_um, typed, at) VALUES (?, '19', 3, 1, '', '')", (survey,)),
        (
            "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at) VALUES (?, 'bass', 61, 1, '', '')",
            (survey,),
        ),
        (
            "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at) VALUES (?, 'bass', 4, 0.5, '', '')",
            (survey,),
        ),
        (
            "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at) VALUES (?, 'bass', 4, 25000, '', '')",
            (survey,),
        ),
        ("INSERT INTO reading (survey_id, lane, fret, value_um, typed, at) VALUES (999, 'bass', 4, 1, '', '')", ()),
        ("DELETE FROM survey WHERE id = ?", (survey,)),
    ]
    for sql, values in bad:
        with pytest.raises(sqlite3.IntegrityError):
            db.execute(sql, values)
    assert surveys.readings(db, survey)["bass", 3].id == second.id


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=25)
@given(st.lists(st.tuples(st.integers(1, 4), st.none() | st.integers(-5000, 5000)), max_size=12))
def test_the_current_value_is_always_the_last_accepted(db: Connection, accepted: list[tuple[int, int | None]]) -> None:
    survey = a_survey(db)
    shown: dict[int, int | None] = {}
    expected: dict[tuple[str, int], int] = {}
    for fret, um in accepted:
        token = uuid4().hex
        made = surveys.accept(db, survey, ("middle", fret), um, "", AT, token=token, expects=shown.get(fret))
        shown[fret] = made.id if um is not None else None
        expected.pop(("middle", fret), None)
        if um is not None:
            expected["middle", fret] = um
    assert surveys.values(db, survey) == expected
    assert len(surveys.history(db, survey)) == len(accepted)


def test_an_edit_keeps_the_earlier_specification(db: Connection) -> None:
    made = instruments.add(db, SPEC, AT)
    assert not instruments.edit(db, made, SPEC, AT)
    assert instruments.edit(db, made, replace(SPEC, frets=21), AT)
    assert instruments.get(db, made).spec.frets == 21
    assert [spec["frets"] for _, spec in instruments.revisions(db, made)] == [22]
    with pytest.raises(KeyError):
        instruments.get(db, 999)


def test_find_as_you_type(demo: Connection) -> None:
    def names(typed: str) -> list[str]:
        return [one.spec.name for one in instruments.find(demo, typed)]

    assert names("her") == ["Heron No. 4"]
    assert names("n 4") == ["Heron No. 4"]
    assert set(names("bass")) == {"Knot No. 6", "Whimbrel No. 8", "Ruff No. 13"}
    assert names("left") == ["Whimbrel No. 8"]
    assert names('"; DROP TABLE instrument; --') == []
    assert len(names("")) == 13
    heron = instruments.find(demo, "heron")[0]
    instruments.set_retired(demo, heron.id, AT)
    assert names("heron") == []
    assert [one.spec.name for one in instruments.find(demo, "heron", retired=True)] == ["Heron No. 4"]


def test_pages_run_through_every_instrument_once(demo: Connection) -> None:
    instruments.add(demo, replace(SPEC, name="heron no. 4"), AT)
    seen: list[int] = []
    after = None
    while page := instruments.page(demo, after, limit=5):
        seen += [one.id for one in page]
        after = page[-1].spec.name, page[-1].id
    assert len(seen) == len(set(seen)) == 14


def test_metal_taken_is_counted_until_the_fret_is_replaced(demo: Connection) -> None:
    dunlin = instruments.find(demo, "dunlin")[0]
    removed = jobs.removed_from(demo, dunlin.id)
    assert max(removed.values()) == max(jobs.past_levels(demo, dunlin.id)) > 250
    job = jobs.open_of(demo, [dunlin.id])[dunlin.id]
    survey = surveys.of_job(demo, job.id)[0]
    before = next(plan for one in jobs.of_instrument(demo, dunlin.id) for plan in jobs.plans(demo, one.id))
    refret = before.outcome | {"kind": "refret", "frets": [4, 5]}
    jobs.accept_plan(demo, job.id, survey.id, AT, before.inputs, refret)
    assert jobs.accept_plan(demo, job.id, survey.id, AT, before.inputs, {}) == jobs.plans(demo, job.id)[-1].id
    plan = jobs.plans(demo, job.id)[-1]
    assert jobs.mark_done(demo, plan, dunlin.id, AT)
    assert not jobs.mark_done(demo, plan, dunlin.id, AT)
    left = jobs.removed_from(demo, dunlin.id)
    assert removed.keys() - left.keys() == {4, 5}


def test_settings_and_photographs(db: Connection) -> None:
    with pytest.raises(KeyError):
        shop.change(db, {"colour": "red"})
    shop.change(db, {"system": "in"})
    assert shop.settings(db).system == "in"
    made = instruments.add(db, SPEC, AT)
    photo = notes.Photo(b"jpeg", 4, 3)
    ids = [notes.add(db, made, None, 9, "bass", "chip", photo, AT) for _ in range(2)]
    assert db.execute("SELECT count(*) FROM photo").fetchone()[0] == 1
    notes.settle(db, ids[0], AT)
    assert [pin.settled_at for pin in notes.of_instrument(db, made)] == [None, AT]


def test_no_page_reads_a_whole_table(demo: Connection) -> None:
    """Every statement that the stores run for a page, explained by SQLite: none scans a table that grows."""
    seen: list[str] = []
    demo.set_trace_callback(seen.append)
    heron = instruments.find(demo, "heron")[0]
    instruments.page(demo, ("Heron No. 4", heron.id), 12)
    job = jobs.in_bench_order(demo)[0]
    jobs.open_of(demo, [1, 2, 3])
    jobs.of_instrument(demo, heron.id)
    jobs.plans(demo, job.id)
    jobs.removed_from(demo, heron.id)
    jobs.past_levels(demo, heron.id)
    found = surveys.of_instrument(demo, heron.id, "fret_heights")[0]
    surveys.of_instrument(demo, heron.id)
    surveys.of_job(demo, job.id)
    surveys.readings(demo, found.id)
    surveys.history(demo, found.id)
    surveys.counts(demo, [found.id])
    notes.of_instrument(demo, heron.id)
    shop.latest_climate(demo)
    demo.set_trace_callback(None)
    statements = [sql for sql in seen if sql.lstrip().startswith("SELECT") and "instrument_words_" not in sql]
    assert len(statements) >= 14
    for sql in statements:
        plan = [row["detail"] for row in demo.execute(f"EXPLAIN QUERY PLAN {sql}")]
        # an index that is read in order may be walked from its end, as far as the page's limit
        allowed = ("VIRTUAL TABLE", "USING INDEX", "USING COVERING INDEX") if "LIMIT" in sql else ("VIRTUAL TABLE",)
        scans = [step for step in plan if step.startswith("SCAN") and not any(word in step for word in allowed)]
        assert not scans, (sql, plan)
        assert "LIMIT" not in sql or "TEMP B-TREE FOR ORDER" not in " ".join(plan), (sql, plan)
        if "name COLLATE NOCASE >=" in sql:
            assert ">?" in " ".join(plan), plan
