"""Who read and who did it: chosen by one tap, beside what is entered from then on, in the record, and nowhere else."""

import json
import re
from contextlib import closing
from dataclasses import replace
from pathlib import Path

from deft_bench.core.instrument import STARTING
from deft_bench.core.times import stamp
from deft_bench.core.work.job_sheet import Event
from deft_bench.core.work.schedule.bench import Technician
from deft_bench.core.work.schedule.hours import BenchHours
from deft_bench.formats.record import export_record, import_record
from deft_bench.store import instruments, jobs, people, schedules, sheets
from deft_bench.store.database import Connection, open_database
from harness import NOW, Bench
from web.test_survey_and_level import new_survey
from web.test_survey_and_level import read as one_read

AT = stamp(NOW)


def begun(bench: Bench, db: Connection) -> tuple[int, int]:
    """An instrument with an open job and a survey; two people work here."""
    schedules.save_hours(db, BenchHours((Technician("Ada", {}), Technician("Bo", {}))), AT)
    instrument = instruments.add(db, replace(STARTING["electric"], name="Tern"), AT)
    job = jobs.open_job(db, instrument, "level_and_dress", AT, None)
    return job, new_survey(bench, db, job)


def read(bench: Bench, survey: int, fret: int, token: str) -> None:
    assert one_read(bench, survey, "bass", fret, "0.02", token=token).status_code == 200


def test_a_tap_names_what_is_entered_from_then_on(empty: Bench, db: Connection) -> None:
    job, survey = begun(empty, db)
    read(empty, survey, 1, "a")
    assert people.people(db, "reading", survey) == [None]
    page = empty.get("/")
    assert 'value="Ada" aria-pressed="false"' in page
    assert empty.post("/settings/person", {"person": "Ada", "back": f"/surveys/{survey}"}).request.path.endswith(
        str(survey)
    )
    read(empty, survey, 2, "b")
    empty.post("/settings/person", {"person": "Bo"})
    read(empty, survey, 3, "c")
    # a name that is none of the bench's is nobody's
    empty.post("/settings/person", {"person": "Eve"})
    read(empty, survey, 4, "d")
    assert people.people(db, "reading", survey) == [None, "Ada", "Bo", None]
    assert people.readers(db, survey) == {"Ada": 1, "Bo": 1}
    assert "read by Ada (1), Bo (1)" in empty.get(f"/surveys/{survey}")
    empty.post("/settings/person", {"person": "Bo"})
    page = empty.get(f"/jobs/{job}/sheet")
    first = re.search(r'name="step" value="(\w+)"', page)
    assert first
    empty.post(f"/jobs/{job}/sheet/step", {"step": first[1], "what": "finished"})
    assert people.finished_by(db, job) == {first[1]: "Bo"}
    assert re.search(r"\w, Bo</td>", empty.get(f"/jobs/{job}/sheet"))
    form = empty.get("/instruments/1/edit")
    sent = dict(re.findall(r'name="(\w+)"[^>]*? value="([^"]*)"', form))
    for name, options in re.findall(r'<select[^>]*name="(\w+)"(.*?)</select>', form, re.DOTALL):
        sent[name] = re.search(r'value="(\w+)" selected', options)[1]
    empty.post("/instruments/1/edit", {**sent, "note": "new strings"})
    assert instruments.get(db, 1).spec.note == "new strings"
    assert people.person_of(db, "instrument_revision", 1) == "Bo"


def test_one_alone_is_asked_nothing(empty: Bench, db: Connection) -> None:
    assert 'class="who"' not in empty.get("/")
    schedules.save_hours(db, BenchHours((Technician("Ada", {}),)), AT)
    assert 'class="who"' not in empty.get("/")


def test_names_go_with_the_record_and_never_become_the_importers(empty: Bench, db: Connection, tmp_path: Path) -> None:
    job, survey = begun(empty, db)
    empty.post("/settings/person", {"person": "Ada"})
    read(empty, survey, 1, "a")
    empty.post("/settings/person", {"person": ""})
    read(empty, survey, 2, "b")
    with people.signed_as(db, "Bo"):
        sheets.add(db, job, Event("strings_off", "finished", AT, ""))
        jobs.keep_event(db, job, "signed_off", AT, "fine", "gate")
    record = export_record(db, 1)
    assert [reading["by"] for reading in record["surveys"][0]["readings"]] == ["Ada", None]
    assert record["jobs"][0]["sheet_events"][-1]["by"] == "Bo"
    with closing(open_database(tmp_path / "other.sqlite3")) as other:
        other.person = "Eve"
        assert export_record(other, import_record(other, json.dumps(record).encode())) == record
        instruments.add(other, replace(STARTING["electric"], name="Mine"), AT)
        assert other.person == "Eve"
    for name in ("Bo", "Ada"):  # carried out, taken back, carried out again
        with people.signed_as(db, name):
            people.sign(db, "plan_done", 7)
    assert people.person_of(db, "plan_done", 7) == "Ada"
    # a record from before names were kept names nobody
    old = json.loads(json.dumps(record)) | {"version": 11}
    for part in (*old["surveys"][0]["readings"], *old["jobs"][0]["sheet_events"], *old["jobs"][0]["events"]):
        del part["by"]
    with closing(open_database(tmp_path / "older.sqlite3")) as other:
        made = export_record(other, import_record(other, json.dumps(old).encode()))
        assert {reading["by"] for reading in made["surveys"][0]["readings"]} == {None}
