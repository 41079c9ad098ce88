"""A whole instrument record out of the database as one document."""

import base64
from dataclasses import asdict
from typing import Any

from deft_bench.core.instrument import to_fields
from deft_bench.formats.record.schema import FORMAT, VERSION
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
from deft_bench.store.database import Connection
from deft_bench.store.people import people, person_of


def export_record(db: Connection, instrument_id: int) -> dict[str, Any]:
    """The whole record of an instrument: specification and its history, jobs, surveys with every reading, plans, notes.

    Raises KeyError when there is none.
    """
    instrument = instruments.get(db, instrument_id)
    all_jobs = sorted(jobs.of_instrument(db, instrument_id, withdrawn=True), key=lambda job: job.id)
    all_surveys = sorted(
        surveys.of_instrument(db, instrument_id, limit=-1, withdrawn=True), key=lambda survey: survey.id
    )
    job_uids = {job.id: job.uid for job in all_jobs}
    survey_uids = {survey.id: survey.uid for survey in all_surveys}
    return {
        "format": FORMAT,
        "version": VERSION,
        "uid": instrument.uid,
        "created_at": instrument.created_at,
        "retired_at": instrument.retired_at,
        "project": instrument.project,
        "spec": to_fields(instrument.spec),
        "revisions": [
            {"replaced_at": at, "spec": {"divisions": 12, "unknown": [], **spec}}
            for at, spec in instruments.revisions(db, instrument_id)
        ],
        "jobs": [_job(db, job, survey_uids) for job in all_jobs],
        "surveys": [_survey(db, survey, job_uids) for survey in all_surveys],
        "setup_plans": _saves(setups.PLANS.every(db, instrument_id)),
        "board_plans": _saves(boards.PLANS.every(db, instrument_id)),
        "board_ticks": [
            {"line": line, "fret": fret, "place_um": place, "at": at}
            for (line, fret), (place, at) in boards.ticks(db, instrument_id).items()
        ],
        "rod_turns": [
            {name: getattr(turn, name) for name in ("uid", "at", "turns_64", "slack", "note", "withdrawn_at")}
            | {"by": person_of(db, "rod_turn", turn.id)}
            for turn in rod_turns.of_instrument(db, instrument_id, withdrawn=True)
        ],
        "pins": [_note(db, note, job_uids) for note in reversed(notes.of_instrument(db, instrument_id, limit=-1))],
    }


def _job(db: Connection, job: jobs.Job, survey_uids: dict[int, str]) -> dict[str, Any]:
    plans = [
        {
            "uid": plan.uid,
            "survey": survey_uids[plan.survey_id],
            "accepted_at": plan.accepted_at,
            "done_at": plan.done_at,
            "withdrawn_at": plan.withdrawn_at,
            "inputs": {"school": "full", "crown_height_um": {}, **plan.inputs},
            "outcome": plan.outcome,
            "removed_um": {str(fret): um for fret, um in jobs.removed_by(db, plan.id).items()},
            "replaced_frets": jobs.replaced_by(db, plan.id),
            "by": person_of(db, "accepted_plan", plan.id),
            "done_by": person_of(db, "plan_done", plan.id) if plan.done_at else None,
        }
        for plan in jobs.plans(db, job.id, withdrawn=True)
    ]
    kept = (
        "uid",
        "kind",
        "opened_at",
        "promised_on",
        "closed_at",
        "nut",
        "override_note",
        "note",
        "weight",
        "withdrawn_at",
    )
    return {name: getattr(job, name) for name in kept} | {
        "events": _by([asdict(event) for event in jobs.events(db, job.id)], people(db, "job_event", job.id)),
        "found_home": [
            {
                "survey": survey_uids[said.survey_id],
                "frets": list(said.frets),
                "at": said.at,
                "taken_back_at": said.taken_back_at,
            }
            for said in seating.every(db, job.id)
        ],
        "fret_acts": _by(
            [{**asdict(act), "frets": list(act.frets)} for act in acts.of_job(db, job.id)],
            people(db, "neck_act", job.id),
        ),
        "plans": plans,
        "refret_plans": _saves(refrets.PLANS.every(db, job.id)),
        "sheet_plans": _saves(sheets.PLANS.every(db, job.id)),
        "estimates": [asdict(accepted) for accepted in estimates.ESTIMATES.of_job(db, job.id)],
        "sheet_events": _by([asdict(event) for event in sheets.events(db, job.id)], people(db, "sheet_event", job.id)),
        "sheet_ticks": [{"step": step, "fret": fret, "at": at} for step, fret, at in sheets.all_ticks(db, job.id)],
        "setups": [
            {"accepted_at": accepted.accepted_at, "inputs": accepted.inputs, "target": accepted.outcome}
            for accepted in setups.TARGETS.of_job(db, job.id)
        ],
        "fitted": [{"fret": fret, "at": at} for fret, at in refrets.fitted(db, job.id).items()],
        "order": [{"step": step, "at": at, "note": note} for step, (at, note) in order_ticks.ticks(db, job.id).items()],
        "polished": [{"kind": kind, "grit": grit, "at": at} for (kind, grit), at in polish.done(db, job.id).items()],
    }


def _by(found: list[dict[str, Any]], names: list[str | None]) -> list[dict[str, Any]]:
    """Rows in order of entry, each with who entered it."""
    return [{**one, "by": name} for one, name in zip(found, names, strict=True)]


def _saves(found: list[tuple[str, dict[str, Any]]]) -> list[dict[str, Any]]:
    return [{"saved_at": at, "plan": plan} for at, plan in found]


def _survey(db: Connection, survey: surveys.Survey, job_uids: dict[int, str]) -> dict[str, Any]:
    history = surveys.history(db, survey.id)
    place = {reading.id: i for i, reading in enumerate(history)}
    head = survey.head
    return {
        "uid": survey.uid,
        "job": job_uids[survey.job_id] if survey.job_id else None,
        "taken_at": survey.taken_at,
        "withdrawn_at": survey.withdrawn_at,
        "frets": survey.frets,
        "kind": head.kind,
        "when": head.when,
        "method": head.method,
        "surface": head.surface,
        "tool": head.tool,
        "resolution_um": head.resolution_um,
        "string_state": head.string_state,
        "temperature_c": head.temperature_c,
        "humidity": head.humidity,
        "order": head.order,
        "note": head.note,
        "strings": head.strings,
        "at_frets": list(head.at_frets),
        "strokes": head.strokes,
        "blades_um": list(head.blades_um),
        "reach": head.reach,
        "spread_um": head.spread_um,
        "sounded": [asdict(note) for note in surveys.sounded(db, survey.id, ear=True)],
        "readings": _by(
            [
                {
                    "lane": reading.lane,
                    "fret": reading.fret,
                    "value_um": reading.value_um,
                    "typed": reading.typed,
                    "at": reading.at,
                    "replaces": None if reading.replaces is None else place[reading.replaces],
                }
                for reading in history
            ],
            people(db, "reading", survey.id),
        ),
    }


def _note(db: Connection, note: notes.Note, job_uids: dict[int, str]) -> dict[str, Any]:
    photo = None
    if note.photo_id is not None:
        photo = base64.b64encode(notes.photo(db, note.photo_id).jpeg).decode("ascii")
    return {
        "uid": note.uid,
        "job": job_uids[note.job_id] if note.job_id else None,
        "fret": note.fret,
        "lane": note.lane,
        "note": note.text,
        "at": note.at,
        "settled_at": note.settled_at,
        "photo_jpeg": photo,
    }
