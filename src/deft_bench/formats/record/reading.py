"""A whole instrument record into the database: stored whole or not at all."""

import binascii
import re
from typing import Any

from deft_bench.core.instrument import Spec
from deft_bench.core.work.job_sheet import Event
from deft_bench.formats.photograph import PhotographError
from deft_bench.formats.record.contradictions import contradictions, head_of
from deft_bench.formats.record.older import brought_up
from deft_bench.formats.record.photographs import photograph
from deft_bench.formats.record.schema import SCHEMA
from deft_bench.formats.strict_json import RequestError, check, read_json
from deft_bench.store import (
    acts,
    boards,
    estimates,
    instruments,
    jobs,
    notes,
    order_ticks,
    polish,
    refrets,
    rod_turns,
    seating,
    setups,
    sheets,
    surveys,
)
from deft_bench.store.database import Connection, DriverError, new_uid, transaction
from deft_bench.store.people import sign, signed_as
from deft_bench.store.withdrawing import set_withdrawn

MOST_BYTES = 40 * 1024 * 1024


class AlreadyHereError(Exception):
    """The record's instrument is in this database already; `instrument_id` says which."""

    def __init__(self, instrument_id: int) -> None:
        self.instrument_id = instrument_id
        super().__init__("This instrument is here already; nothing was imported.")


def import_record(db: Connection, raw: bytes, *, as_copy: bool = False) -> int:
    """Store a record whole or not at all; returns the new instrument's id.

    Raises RequestError with a line for each bad field, or AlreadyHereError when the instrument is here and no copy is
    asked for. A copy gets new identities.
    """
    if len(raw) > MOST_BYTES:
        raise RequestError([f".: larger than {MOST_BYTES // 1024 // 1024} MB"])
    record = brought_up(read_json(raw))
    check(record, SCHEMA)
    photos, bad_photos = _photos(record["pins"])
    if lines := [*contradictions(record), *bad_photos]:
        raise RequestError(lines)
    here = instruments.id_of(db, record["uid"])
    if here is not None and not as_copy:
        raise AlreadyHereError(here)
    if as_copy:
        record = _with_new_identities(record)
    taken = [
        f"{table}: {uid} belongs to another instrument here; import it as a copy"
        for table, uids in (
            ("survey", [survey["uid"] for survey in record["surveys"]]),
            ("job", [job["uid"] for job in record["jobs"]]),
            ("accepted_plan", [plan["uid"] for job in record["jobs"] for plan in job["plans"]]),
            ("pin", [pin["uid"] for pin in record["pins"]]),
            ("rod_turn", [turn["uid"] for turn in record["rod_turns"]]),
        )
        for uid in instruments.uids_here(db, table, uids)
    ]
    if taken:
        raise RequestError(taken)
    try:
        with transaction(db), signed_as(db, None):
            return _store(db, record, photos)
    except DriverError as error:
        raise RequestError([f".: contradicts what a bench can hold ({error}); nothing was imported"]) from None


def _with_new_identities(record: dict[str, Any]) -> dict[str, Any]:
    """The same record with fresh uids throughout, and a name that says it is a copy."""
    fresh: dict[str, str] = {}

    def swap(value: Any) -> Any:
        if isinstance(value, dict):
            return {name: swap(item) for name, item in value.items()}
        if isinstance(value, list):
            return [swap(item) for item in value]
        if isinstance(value, str) and re.fullmatch("[0-9a-f]{32}", value):
            return fresh.setdefault(value, new_uid())
        return value

    copy: dict[str, Any] = swap(record)
    copy["spec"]["name"] = f"{record['spec']['name'][:72]} (copy)"
    return copy


def _store(db: Connection, record: dict[str, Any], photos: list[notes.Photo | None]) -> int:
    instrument_id = instruments.add(
        db, Spec(**record["spec"]), record["created_at"], record["uid"], record["retired_at"], project=record["project"]
    )
    for revision in record["revisions"]:
        instruments.keep_revision(db, instrument_id, revision["replaced_at"], revision["spec"])
    job_ids = {job["uid"]: jobs.keep(db, instrument_id, job) for job in record["jobs"]}
    survey_ids = {
        survey["uid"]: _keep_survey(db, instrument_id, job_ids.get(survey["job"]), survey)
        for survey in record["surveys"]
    }
    for job in record["jobs"]:
        _keep_level_plans(db, instrument_id, job_ids[job["uid"]], job["plans"], survey_ids)
        for said in job["found_home"]:
            told = survey_ids[said["survey"]], said["frets"], said["at"], said["taken_back_at"]
            seating.keep(db, job_ids[job["uid"]], *told)
        for act in job["fret_acts"]:
            with signed_as(db, act["by"]):
                acts.keep(db, job_ids[job["uid"]], **_without_person(act))
        _keep_sheet(db, job_ids[job["uid"]], job)
        _keep_work(db, instrument_id, job_ids[job["uid"]], job)
    _keep_of_instrument(db, instrument_id, record)
    for pin, photo in zip(record["pins"], photos, strict=True):
        job_id = job_ids.get(pin["job"])
        place = pin["fret"], pin["lane"], pin["note"]
        notes.add(db, instrument_id, job_id, *place, photo, pin["at"], pin["uid"], pin["settled_at"])
    return instrument_id


def _without_person(fields: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in fields.items() if name != "by"}


def _keep_survey(db: Connection, instrument_id: int, job_id: int | None, survey: dict[str, Any]) -> int:
    survey_id = surveys.start(
        db, instrument_id, job_id, survey["frets"], head_of(survey), survey["taken_at"], survey["uid"]
    )
    set_withdrawn(db, "survey", survey_id, survey["withdrawn_at"])
    surveys.keep_history(db, survey_id, survey["readings"])
    for note in survey["sounded"]:
        surveys.add_sounded(db, survey_id, surveys.Sounded(**note))
    return survey_id


def _keep_level_plans(
    db: Connection, instrument_id: int, job_id: int, plans: list[dict[str, Any]], survey_ids: dict[str, int]
) -> None:
    for plan in plans:
        uid, accepted_at, inputs, outcome = (plan[name] for name in ("uid", "accepted_at", "inputs", "outcome"))
        with signed_as(db, plan["by"]):
            plan_id = jobs.keep_plan(
                db, job_id, survey_ids[plan["survey"]], uid, accepted_at, inputs, outcome, plan["done_at"]
            )
        with signed_as(db, plan["done_by"]):
            sign(db, "plan_done", plan_id)
        removed = {int(fret): um for fret, um in plan["removed_um"].items()}
        jobs.keep_work(db, plan_id, instrument_id, plan["done_at"] or accepted_at, removed, plan["replaced_frets"])
        set_withdrawn(db, "accepted_plan", plan_id, plan["withdrawn_at"])


def _keep_sheet(db: Connection, job_id: int, job: dict[str, Any]) -> None:
    for saved in job["sheet_plans"]:
        sheets.PLANS.keep(db, job_id, saved["saved_at"], saved["plan"])
    for event in job["sheet_events"]:
        with signed_as(db, event["by"]):
            sheets.add(db, job_id, Event(**_without_person(event)))
    for tick in {(sheet_tick["step"], sheet_tick["fret"]): sheet_tick for sheet_tick in job["sheet_ticks"]}.values():
        sheets.keep_tick(db, job_id, tick["step"], tick["fret"], tick["at"])
    for ticked in job["order"]:
        order_ticks.keep(db, job_id, ticked["step"], ticked["at"], ticked["note"])


def _keep_work(db: Connection, instrument_id: int, job_id: int, job: dict[str, Any]) -> None:
    for estimate in job["estimates"]:
        estimates.ESTIMATES.keep(db, job_id, estimate["accepted_at"], estimate["inputs"], estimate["outcome"])
    for setup in job["setups"]:
        setups.TARGETS.keep(db, job_id, setup["accepted_at"], setup["inputs"], setup["target"])
    for saved in job["refret_plans"]:
        refrets.PLANS.keep(db, job_id, saved["saved_at"], saved["plan"])
    for tick in {(one["kind"], one["grit"]): one for one in job["polished"]}.values():
        polish.keep(db, job_id, tick["kind"], tick["grit"], tick["at"])
    for fitted in job["fitted"]:
        refrets.keep_fitted(db, job_id, instrument_id, [fitted["fret"]], fitted["at"])


def _keep_of_instrument(db: Connection, instrument_id: int, record: dict[str, Any]) -> None:
    for saved in record["setup_plans"]:
        setups.PLANS.keep(db, instrument_id, saved["saved_at"], saved["plan"])
    for saved in record["board_plans"]:
        boards.PLANS.keep(db, instrument_id, saved["saved_at"], saved["plan"])
    for tick in record["board_ticks"]:
        boards.tick(db, instrument_id, tick["line"], tick["fret"], tick["place_um"], tick["at"])
    for turn in record["rod_turns"]:
        told = turn["at"], turn["turns_64"], turn["slack"], turn["note"], turn["uid"]
        with signed_as(db, turn["by"]):
            set_withdrawn(db, "rod_turn", rod_turns.add(db, instrument_id, *told), turn["withdrawn_at"])


def _photos(pins: list[dict[str, Any]]) -> tuple[list[notes.Photo | None], list[str]]:
    """Each note's photograph, decoded and cleaned, and a line for each that is none."""
    photos: list[notes.Photo | None] = []
    lines = []
    for i, pin in enumerate(pins):
        try:
            photos.append(photograph(pin["photo_jpeg"]))
        except (binascii.Error, PhotographError, ValueError) as error:
            lines.append(f"pins[{i}].photo_jpeg: {error}")
    return photos, lines
