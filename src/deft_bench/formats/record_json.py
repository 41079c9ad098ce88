"""A whole instrument record as one JSON document, out and in, losing nothing. See docs/formats/record-json.md."""

import base64
import binascii
import dataclasses
import re
from dataclasses import asdict
from typing import Any

from deft_bench.core import refret
from deft_bench.core.board import plan as board_plan
from deft_bench.core.instrument import CHOICES, KINDS, LENGTHS, Spec, problems, to_fields
from deft_bench.core.jobs import JOB_KINDS
from deft_bench.core.strings import setup_plan
from deft_bench.core.strings.string_set import CONSTRUCTIONS, WRAPS
from deft_bench.core.survey import METHODS, STAGES, STRING_STATES, SURFACES, SurveyHead, head_problems
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.core.work.catalogue import HARDNESS
from deft_bench.core.work.estimate import Estimate
from deft_bench.core.work.job_sheet import EVENTS, Event
from deft_bench.formats.photograph import PhotographError, reencode
from deft_bench.formats.strict_json import RequestError, check, read_json
from deft_bench.store import (
    boards,
    estimates,
    instruments,
    jobs,
    notes,
    order_ticks,
    polish,
    refrets,
    rod_turns,
    setups,
    sheets,
    surveys,
)
from deft_bench.store.database import Connection, DriverError, new_uid, transaction

FORMAT = "deft-bench-record"
VERSION = 4
MOST_BYTES = 40 * 1024 * 1024


class AlreadyHereError(Exception):
    """The record's instrument is in this database already; `instrument_id` says which."""

    def __init__(self, instrument_id: int) -> None:
        self.instrument_id = instrument_id
        super().__init__("This instrument is here already; nothing was imported.")


def export_record(db: Connection, instrument_id: int) -> dict[str, Any]:
    """The whole record of an instrument: specification and its history, jobs, surveys with every reading, plans, notes.

    Raises KeyError when there is none.
    """
    instrument = instruments.get(db, instrument_id)
    all_jobs = sorted(jobs.of_instrument(db, instrument_id), key=lambda job: job.id)
    all_surveys = sorted(surveys.of_instrument(db, instrument_id, limit=-1), key=lambda survey: survey.id)
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
        "revisions": [{"replaced_at": at, "spec": spec} for at, spec in instruments.revisions(db, instrument_id)],
        "jobs": [_job(db, job, survey_uids) for job in all_jobs],
        "surveys": [_survey(db, survey, job_uids) for survey in all_surveys],
        "setup_plans": _saves(setups.plans(db, instrument_id)),
        "board_plans": _saves(boards.plans(db, instrument_id)),
        "board_ticks": [
            {"line": line, "fret": fret, "place_um": place, "at": at}
            for (line, fret), (place, at) in boards.ticks(db, instrument_id).items()
        ],
        "rod_turns": [
            {"uid": turn.uid, "at": turn.at, "turns_64": turn.turns_64, "slack": turn.slack, "note": turn.note}
            for turn in rod_turns.of_instrument(db, instrument_id)
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
            "inputs": {**plan.inputs, "school": plan.inputs.get("school", "full")},
            "outcome": plan.outcome,
            "removed_um": {str(fret): um for fret, um in jobs.removed_by(db, plan.id).items()},
            "replaced_frets": jobs.replaced_by(db, plan.id),
        }
        for plan in jobs.plans(db, job.id)
    ]
    kept = ("uid", "kind", "opened_at", "promised_on", "closed_at", "nut", "seated", "override_note", "note", "weight")
    return {name: getattr(job, name) for name in kept} | {
        "plans": plans,
        "refret_plans": _saves(refrets.plans(db, job.id)),
        "sheet_plans": _saves(sheets.plans(db, job.id)),
        "estimates": [asdict(one) for one in estimates.accepted(db, job.id)],
        "sheet_events": [asdict(event) for event in sheets.events(db, job.id)],
        "sheet_ticks": [{"step": step, "fret": fret, "at": at} for step, fret, at in sheets.all_ticks(db, job.id)],
        "setups": [
            {"accepted_at": one.accepted_at, "inputs": one.inputs, "target": one.target}
            for one in setups.accepted(db, job.id)
        ],
        "fitted": [{"fret": fret, "at": at} for fret, at in refrets.fitted(db, job.id).items()],
        "order": [{"step": step, "at": at, "note": note} for step, (at, note) in order_ticks.ticks(db, job.id).items()],
        "polished": [{"kind": kind, "grit": grit, "at": at} for (kind, grit), at in polish.done(db, job.id).items()],
    }


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
        "frets": survey.frets,
        "kind": head.kind,
        "stage": head.stage,
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
        "sounded": [asdict(note) for note in surveys.sounded(db, survey.id)],
        "readings": [
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


def _object(properties: dict[str, Any]) -> dict[str, Any]:
    return {"type": "object", "properties": properties, "required": list(properties), "additionalProperties": False}


_UID = {"type": "string", "pattern": "^[0-9a-f]{32}$"}
_TIME = {
    "type": "string",
    "format": "moment",
    "pattern": "^[0-9]{4}-[0-9]{2}-[0-9]{2}T[0-9]{2}:[0-9]{2}:[0-9]{2}([.][0-9]{1,6})?Z$",
}
_MAYBE_TIME = {**_TIME, "type": ["string", "null"]}
_DAY = {"type": ["string", "null"], "format": "day", "pattern": "^[0-9]{4}-[0-9]{2}-[0-9]{2}$"}
_TEXT = {"type": "string", "maxLength": 4000}
_FRET = {"type": "integer", "minimum": 1, "maximum": 60}
_UM = {"type": "integer", "minimum": -5000, "maximum": 5000}
_MAYBE_UM = {**_UM, "type": ["integer", "null"]}
_VALUE = {"type": ["integer", "null"], "minimum": -20_000, "maximum": 20_000}
_STRINGS = 18
_CODE = {"type": "string", "minLength": 1, "maxLength": 40}
_BY_CODE = {"type": "object", "additionalProperties": _CODE}
_LANE = {"type": "string", "enum": ["bass", "middle", "treble"]}
_FLAG = {"type": "boolean"}


def _spec_schema() -> dict[str, Any]:
    fields: dict[str, Any] = {field: {"type": "integer", "minimum": 1} for field in LENGTHS}
    fields |= {field: {"type": ["integer", "null"], "minimum": 1} for field in ("nut_radius_um", "end_radius_um")}
    fields |= {field: {"type": "string", "enum": list(choices)} for field, choices in CHOICES.items()}
    fields |= dict.fromkeys(("left_handed", "bound", "nibs"), _FLAG)
    fields |= {"strings": {"type": "integer"}, "frets": _FRET, "joint_fret": _FRET}
    fields |= {"perpendicular_fret": {"type": "number", "minimum": 0, "maximum": 60}}
    fields |= dict.fromkeys(("name", "string_set", "tuning", "note"), _TEXT)
    fields |= {"kind": {"type": "string", "enum": list(KINDS)}}
    return _object({name: fields[name] for name in Spec.__dataclass_fields__})


_SPEC = _spec_schema()
_LENGTH = {"type": "integer", "minimum": -5_000_000, "maximum": 5_000_000}


def _board_plan_schema() -> dict[str, Any]:
    fields: dict[str, Any] = dict.fromkeys(board_plan.LENGTHS, _LENGTH)
    fields |= {field: {"type": "integer", "minimum": 0, "maximum": 100_000} for field in board_plan.COUNTS}
    fields |= {field: {"type": "string", "enum": list(choices)} for field, choices in board_plan.CHOICES.items()}
    fields |= {
        "gauges_um": {"type": "array", "maxItems": 18, "items": {"type": "integer", "minimum": 1, "maximum": 10_000}}
    }
    fields |= {key: {"type": "array", "maxItems": 60, "items": _FRET} for key in ("inlay_frets", "pin_frets")}
    fields["posts_um"] = {
        "type": "array",
        "maxItems": 18,
        "items": {"type": "array", "minItems": 2, "maxItems": 2, "items": _LENGTH},
    }
    return _object({name: fields[name] for name in board_plan.BoardPlan.__dataclass_fields__})


def _refret_plan_schema() -> dict[str, Any]:
    fields: dict[str, Any] = dict.fromkeys(refret.LENGTHS, _LENGTH)
    fields |= {field: {"type": "string", "enum": list(choices)} for field, choices in refret.CHOICES.items()}
    fields |= {key: {"type": "string", "maxLength": 200} for key in ("wire", "tool", "support")}
    fields |= {key: {"type": "array", "maxItems": 60, "items": _FRET} for key in ("frets", "cut")}
    fields |= {"nibs_said": _FLAG, "bevel_deg": {"type": "integer", "minimum": 0, "maximum": 90}}
    fields["pieces_um"] = {
        "type": "array",
        "maxItems": 200,
        "items": {"type": "integer", "minimum": 1, "maximum": 5_000_000},
    }
    fields["ends_done"] = {"type": "array", "maxItems": 12, "items": {"type": "string", "maxLength": 40}}
    fields["obstructions"] = {
        "type": "array",
        "maxItems": 200,
        "items": {
            "type": "array",
            "minItems": 2,
            "maxItems": 2,
            "prefixItems": [_FRET, {"type": "string", "maxLength": 200}],
        },
    }
    return _object({name: fields[name] for name in refret.RefretPlan.__dataclass_fields__})


def _setup_plan_schema() -> dict[str, Any]:
    some = {"type": ["number", "null"], "minimum": 0, "maximum": 5_000_000}
    make = _object(
        {
            "note": {"type": "string", "maxLength": 8},
            "gauge_um": {"type": "integer", "minimum": 1, "maximum": 10_000},
            "construction": {"type": "string", "enum": list(CONSTRUCTIONS)},
            "wrap": {"type": "string", "enum": list(WRAPS)},
            "core_um": {"type": ["integer", "null"], "minimum": 1, "maximum": 10_000},
            "unit_weight_kg_per_m": some,
            "hz": some,
        }
    )
    fields: dict[str, Any] = dict.fromkeys(setup_plan.LENGTHS, _LENGTH)
    fields |= {field: {**_LENGTH, "type": ["integer", "null"]} for field in setup_plan.OPTIONAL}
    fields |= {field: {"type": "string", "enum": list(choices)} for field, choices in setup_plan.CHOICES.items()}
    fields |= {
        key: {"type": "array", "maxItems": _STRINGS, "items": {"type": "integer", "minimum": 0, "maximum": 10_000}}
        for key in ("gap_low_um", "gap_high_um")
    }
    fields |= {
        "strings": {"type": "array", "minItems": 1, "maxItems": _STRINGS, "items": make},
        "pluck_n": {"type": "array", "maxItems": _STRINGS, "items": {"type": "number", "minimum": 0, "maximum": 100}},
        "a4_hz": {"type": "number", "minimum": 300, "maximum": 600},
        "bearing_fret": {"type": "integer", "minimum": 2, "maximum": 4},
    }
    return _object({name: fields[name] for name in setup_plan.SetupPlan.__dataclass_fields__})


_BY_STRING = "^([1-9]|1[0-8])$"
_TARGET = _object(
    {
        "relief_um": _UM,
        "action_um": {
            "type": "object",
            "additionalProperties": False,
            "patternProperties": {_BY_STRING: {"type": "integer", "minimum": -1_000, "maximum": 30_000}},
        },
        "gap_um": {
            "type": "object",
            "additionalProperties": False,
            "patternProperties": {
                _BY_STRING: {
                    "type": "array",
                    "minItems": 2,
                    "maxItems": 2,
                    "items": {"type": "integer", "minimum": 0, "maximum": 5_000},
                }
            },
        },
    }
)


_AMOUNT = {"type": "number", "minimum": 0, "maximum": 1_000_000_000}
_SETUP_INPUTS = _object(
    {
        "plan": _setup_plan_schema(),
        "relief_um": _MAYBE_UM,
        "surveys": {"type": "object", "propertyNames": {"enum": list(SURVEY_KINDS)}, "additionalProperties": _UID},
        "unread": {"type": "array", "maxItems": 20, "items": {"type": "string", "maxLength": 60}},
    }
)
_ESTIMATE_INPUTS = _object(
    {
        "route": _CODE,
        "rate_per_hour": _AMOUNT,
        "tax_percent": _AMOUNT,
        "currency": {"type": "string", "minLength": 1, "maxLength": 8},
        "items": {
            "type": "array",
            "maxItems": 500,
            "items": _object(
                {
                    "name": {"type": "string", "maxLength": 200},
                    "quantity": _AMOUNT,
                    "unit": {"type": "string", "maxLength": 20},
                    "price": _AMOUNT,
                }
            ),
        },
    }
)
_ESTIMATE_OUTCOME = _object(
    dict.fromkeys((field.name for field in dataclasses.fields(Estimate) if field.name != "by_stage"), _AMOUNT)
)


def _saved(plan: dict[str, Any]) -> dict[str, Any]:
    return {"type": "array", "maxItems": 1000, "items": _object({"saved_at": _TIME, "plan": plan})}


_PER_LANE = {
    "type": "object",
    "additionalProperties": False,
    "properties": {
        lane: {"type": "array", "maxItems": 60, "items": _MAYBE_UM} for lane in ("bass", "middle", "treble")
    },
}
_FRETS = {"type": "array", "maxItems": 60, "items": _FRET}
_ANY_UM = {"type": "integer", "minimum": -10_000_000, "maximum": 10_000_000}
_INPUTS = _object(
    {
        "survey": _UID,
        "scale_um": {"type": "integer", "minimum": 1, "maximum": 5_000_000},
        "heights_um": {**_PER_LANE, "minProperties": 1},
        "objective": {"type": "string", "enum": ["least_metal", "least_worst"]},
        "left_out": _FRETS,
        "lift": {**_FRETS, "maxItems": 2},
        "fall_away": {
            "type": ["object", "null"],
            "required": ["from_fret", "drop_um"],
            "additionalProperties": False,
            "properties": {"from_fret": _FRET, "drop_um": {"type": "integer", "minimum": 0, "maximum": 5000}},
        },
        "fret_height_um": {
            "type": "array",
            "maxItems": 60,
            "items": {"type": "integer", "minimum": 0, "maximum": 10_000},
        },
        "least_height_um": {"type": "integer", "minimum": 0, "maximum": 10_000},
        "nut": {"type": "string", "enum": ["in_place", "out", "protected"]},
        "seated": _FLAG,
        "override_note": _TEXT,
        "school": {"type": "string", "enum": ["full", "marked"]},
    }
)
_OUTCOME = _object(
    {
        "kind": {"type": "string", "enum": ["level", "lift", "refret"]},
        "say": _TEXT,
        "do": _TEXT,
        "frets": _FRETS,
        "total_um": _ANY_UM,
        "worst_um": _ANY_UM,
        "level_all_total_um": _ANY_UM,
        "drops_um": {"type": "array", "maxItems": 60, "items": {"type": "integer", "minimum": 0, "maximum": 5000}},
        "removal_um": {
            **_PER_LANE,
            "minProperties": 1,
            "properties": {
                lane: {
                    "type": "array",
                    "maxItems": 60,
                    "items": {"type": ["integer", "null"], "minimum": 0, "maximum": 10_000},
                }
                for lane in ("bass", "middle", "treble")
            },
        },
        "lines": {
            "type": "object",
            "additionalProperties": False,
            "properties": {
                lane: _object({"offset_um": {"type": "number"}, "slope_um_per_m": {"type": "number"}})
                for lane in ("bass", "middle", "treble")
            },
        },
        "removed_um": {"type": "array", "maxItems": 60, "items": {"type": "integer", "minimum": 0, "maximum": 10_000}},
        "raise_um": {"type": "object", "patternProperties": {"^[0-9]{1,2}$": _ANY_UM}, "additionalProperties": False},
    }
)

SCHEMA = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    **_object(
        {
            "format": {"type": "string", "enum": [FORMAT]},
            "version": {"type": "integer", "enum": [VERSION]},
            "uid": _UID,
            "created_at": _TIME,
            "retired_at": _MAYBE_TIME,
            "project": _FLAG,
            "spec": _SPEC,
            "revisions": {"type": "array", "maxItems": 1000, "items": _object({"replaced_at": _TIME, "spec": _SPEC})},
            "jobs": {
                "type": "array",
                "maxItems": 2000,
                "items": _object(
                    {
                        "uid": _UID,
                        "kind": {"type": "string", "enum": list(JOB_KINDS)},
                        "refret_plans": _saved(_refret_plan_schema()),
                        "order": {
                            "type": "array",
                            "maxItems": 100,
                            "items": _object(
                                {
                                    "step": {"type": "string", "minLength": 1, "maxLength": 40},
                                    "at": _TIME,
                                    "note": {"type": "string", "maxLength": 400},
                                }
                            ),
                        },
                        "polished": {
                            "type": "array",
                            "maxItems": 200,
                            "items": _object(
                                {
                                    "kind": {"type": "string", "maxLength": 20},
                                    "grit": {"type": "number", "exclusiveMinimum": 0, "maximum": 20000},
                                    "at": _TIME,
                                }
                            ),
                        },
                        "sheet_plans": _saved(
                            _object(
                                {
                                    "route": _CODE,
                                    "schools": _BY_CODE,
                                    "added": {"type": "array", "maxItems": 50, "items": _CODE},
                                    "hardness": {"type": "string", "enum": list(HARDNESS)},
                                }
                            )
                        ),
                        "estimates": {
                            "type": "array",
                            "maxItems": 200,
                            "items": _object(
                                {"accepted_at": _TIME, "inputs": _ESTIMATE_INPUTS, "outcome": _ESTIMATE_OUTCOME}
                            ),
                        },
                        "sheet_events": {
                            "type": "array",
                            "maxItems": 5000,
                            "items": _object(
                                {
                                    "step": _CODE,
                                    "kind": {"type": "string", "enum": list(EVENTS)},
                                    "at": _TIME,
                                    "note": {"type": "string", "maxLength": 400},
                                }
                            ),
                        },
                        "sheet_ticks": {
                            "type": "array",
                            "maxItems": 5000,
                            "items": _object({"step": _CODE, "fret": _FRET, "at": _TIME}),
                        },
                        "weight": {"type": "integer", "minimum": 1, "maximum": 9},
                        "setups": {
                            "type": "array",
                            "maxItems": 200,
                            "items": _object({"accepted_at": _TIME, "inputs": _SETUP_INPUTS, "target": _TARGET}),
                        },
                        "fitted": {"type": "array", "maxItems": 60, "items": _object({"fret": _FRET, "at": _TIME})},
                        "opened_at": _TIME,
                        "promised_on": _DAY,
                        "closed_at": _MAYBE_TIME,
                        "nut": {"type": "string", "enum": ["in_place", "out", "protected"]},
                        "seated": _FLAG,
                        "override_note": _TEXT,
                        "note": _TEXT,
                        "plans": {
                            "type": "array",
                            "maxItems": 200,
                            "items": _object(
                                {
                                    "uid": _UID,
                                    "survey": _UID,
                                    "accepted_at": _TIME,
                                    "done_at": _MAYBE_TIME,
                                    "inputs": _INPUTS,
                                    "outcome": _OUTCOME,
                                    "removed_um": {
                                        "type": "object",
                                        "additionalProperties": False,
                                        "patternProperties": {
                                            "^([1-9]|[1-5][0-9]|60)$": {
                                                "type": "integer",
                                                "minimum": 0,
                                                "maximum": 5000,
                                            }
                                        },
                                    },
                                    "replaced_frets": {**_FRETS, "uniqueItems": True},
                                }
                            ),
                        },
                    }
                ),
            },
            "surveys": {
                "type": "array",
                "maxItems": 5000,
                "items": _object(
                    {
                        "uid": _UID,
                        "job": {**_UID, "type": ["string", "null"]},
                        "taken_at": _TIME,
                        "frets": _FRET,
                        "kind": {"type": "string", "enum": list(SURVEY_KINDS)},
                        "stage": {"type": "string", "enum": list(STAGES)},
                        "method": {"type": "string", "enum": list(METHODS)},
                        "surface": {"type": "string", "enum": list(SURFACES)},
                        "tool": _TEXT,
                        "resolution_um": {"type": "integer", "minimum": 1, "maximum": 500},
                        "string_state": {"type": "string", "enum": list(STRING_STATES)},
                        "temperature_c": {"type": ["number", "null"], "minimum": -20, "maximum": 60},
                        "humidity": {"type": ["number", "null"], "minimum": 0, "maximum": 100},
                        "order": {"type": "string", "enum": ["lane_by_lane", "fret_by_fret"]},
                        "note": _TEXT,
                        "strings": {"type": "integer", "minimum": 0, "maximum": _STRINGS},
                        "at_frets": {"type": "array", "maxItems": 60, "items": _FRET, "uniqueItems": True},
                        "sounded": {
                            "type": "array",
                            "maxItems": 20_000,
                            "items": _object(
                                {
                                    "string": {"type": "integer", "minimum": 1, "maximum": _STRINGS},
                                    "what": {"type": "string", "enum": ["open", "harmonic", "fretted"]},
                                    "fret": {**_FRET, "minimum": 0},
                                    "hz": {"type": "number", "exclusiveMinimum": 0, "maximum": 20_000},
                                    "confidence": {"type": "number", "minimum": 0, "maximum": 1},
                                    "at": _TIME,
                                }
                            ),
                        },
                        "readings": {
                            "type": "array",
                            "maxItems": 20_000,
                            "items": _object(
                                {
                                    "lane": {
                                        "type": "string",
                                        "enum": [*_LANE["enum"], *map(str, range(1, _STRINGS + 1))],
                                    },
                                    "fret": {**_FRET, "minimum": 0},
                                    "value_um": _VALUE,
                                    "typed": {"type": "string", "maxLength": 60},
                                    "at": _TIME,
                                    "replaces": {"type": ["integer", "null"], "minimum": 0},
                                }
                            ),
                        },
                    }
                ),
            },
            "setup_plans": _saved(_setup_plan_schema()),
            "board_plans": _saved(_board_plan_schema()),
            "board_ticks": {
                "type": "array",
                "maxItems": 200,
                "items": _object(
                    {
                        "line": {"type": "string", "maxLength": 40},
                        "fret": {"type": "integer", "minimum": 0, "maximum": 60},
                        "place_um": _LENGTH,
                        "at": _TIME,
                    }
                ),
            },
            "rod_turns": {
                "type": "array",
                "maxItems": 2000,
                "items": _object(
                    {
                        "uid": _UID,
                        "at": _TIME,
                        "slack": _FLAG,
                        "note": {"type": "string", "maxLength": 400},
                        "turns_64": {"type": "integer", "minimum": -192, "maximum": 192, "not": {"const": 0}},
                    }
                ),
            },
            "pins": {
                "type": "array",
                "maxItems": 2000,
                "items": _object(
                    {
                        "uid": _UID,
                        "job": {**_UID, "type": ["string", "null"]},
                        "fret": {"type": "integer", "minimum": 0, "maximum": 60},
                        "lane": _LANE,
                        "note": {"type": "string", "maxLength": 1000},
                        "at": _TIME,
                        "settled_at": _MAYBE_TIME,
                        "photo_jpeg": {"type": ["string", "null"]},
                    }
                ),
            },
        }
    ),
}


def import_record(db: Connection, raw: bytes, *, as_copy: bool = False) -> int:
    """Store a record whole or not at all; returns the new instrument's id.

    Raises RequestError with a line for each bad field, or AlreadyHereError when the instrument is here and no copy is
    asked for. A copy gets new identities.
    """
    if len(raw) > MOST_BYTES:
        raise RequestError([f".: larger than {MOST_BYTES // 1024 // 1024} MB"])
    record = _brought_up(read_json(raw))
    check(record, SCHEMA)
    photos = _contradictions(record)
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
        with transaction(db):
            return _store(db, record, photos)
    except DriverError as error:
        raise RequestError([f".: contradicts what a bench can hold ({error}); nothing was imported"]) from None


def _head(survey: dict[str, Any]) -> SurveyHead:
    fields = {name: survey[name] for name in SurveyHead.__dataclass_fields__}
    return SurveyHead(**{**fields, "at_frets": tuple(survey["at_frets"])})


def _brought_up(record: Any) -> Any:
    """An older record as this version has it: version 1 knew no boards and no refrets, version 2 no setups, 3 no
    weights and no frets ticked in a step.
    """
    if not isinstance(record, dict) or record.get("version") not in (1, 2, 3):
        return record
    older = record["version"]
    jobs_then, surveys_then = record.get("jobs"), record.get("surveys")
    if older == 1 and isinstance(jobs_then, list):
        for job in jobs_then:
            for plan in job.get("plans", []) if isinstance(job, dict) and isinstance(job.get("plans"), list) else []:
                if isinstance(plan, dict) and isinstance(plan.get("inputs"), dict):
                    plan["inputs"].setdefault("school", "full")
    started: dict[str, Any] = {"weight": 1, "sheet_ticks": []}
    if older < 3:
        started |= {"setups": [], "sheet_plans": [], "sheet_events": [], "estimates": []}
    if older == 1:
        started |= {"refret_plans": [], "fitted": [], "polished": [], "order": []}
    if isinstance(jobs_then, list):
        jobs_then = [{**started, **job} if isinstance(job, dict) else job for job in jobs_then]
    if older < 3 and isinstance(surveys_then, list):
        plain = {"strings": 0, "at_frets": [], "sounded": []}
        surveys_then = [{**plain, **survey} if isinstance(survey, dict) else survey for survey in surveys_then]
    return {
        **({"project": False, "board_plans": [], "board_ticks": [], "rod_turns": []} if older == 1 else {}),
        **({"setup_plans": []} if older < 3 else {}),
        **record,
        "version": VERSION,
        "jobs": jobs_then,
        "surveys": surveys_then,
    }


def _contradictions(record: dict[str, Any]) -> list[notes.Photo | None]:
    """Refuse what the schema cannot see; returns each pin's photograph, decoded and cleaned."""
    lines: list[str] = []
    for where, spec in [
        ("spec", record["spec"]),
        *((f"revisions[{i}].spec", r["spec"]) for i, r in enumerate(record["revisions"])),
    ]:
        lines += [f"{where}.{field}: {why}" for field, why in problems(Spec(**spec)).items()]
    lines += _board_lines(record)
    survey_uids: dict[str, int] = {}
    job_uids = [job["uid"] for job in record["jobs"]]
    for i, survey in enumerate(record["surveys"]):
        here = f"surveys[{i}]"
        survey_uids[survey["uid"]] = i
        if survey["job"] is not None and survey["job"] not in job_uids:
            lines.append(f"{here}.job: names no job of this record")
        head = _head(survey)
        lines += [f"{here}.{field}: {why}" for field, why in head_problems(head).items()]
        lines += _chain(here, survey)
    plan_uids: list[str] = []
    for i, job in enumerate(record["jobs"]):
        for k, plan in enumerate(job["plans"]):
            here = f"jobs[{i}].plans[{k}]"
            plan_uids.append(plan["uid"])
            if plan["survey"] not in survey_uids:
                lines.append(f"{here}.survey: names no survey of this record")
                continue
            frets = record["surveys"][survey_uids[plan["survey"]]]["frets"]
            lines += _plan_shape(here, plan, frets)
    every = [
        *job_uids,
        *(survey["uid"] for survey in record["surveys"]),
        *plan_uids,
        *(pin["uid"] for pin in record["pins"]),
        *(turn["uid"] for turn in record["rod_turns"]),
    ]
    lines += [f"uid {uid}: stands twice in this record" for uid in {uid for uid in every if every.count(uid) > 1}]
    photos: list[notes.Photo | None] = []
    for i, pin in enumerate(record["pins"]):
        if pin["job"] is not None and pin["job"] not in job_uids:
            lines.append(f"pins[{i}].job: names no job of this record")
        try:
            photos.append(_photo(pin["photo_jpeg"]))
        except (binascii.Error, PhotographError, ValueError) as error:
            lines.append(f"pins[{i}].photo_jpeg: {error}")
    if lines:
        raise RequestError(lines[:200])
    return photos


def _board_lines(record: dict[str, Any]) -> list[str]:
    """What is impossible about saved boards and refrets: the latest of each must be what a form would take."""
    spec = Spec(**record["spec"])
    if problems(spec):
        return []
    lines = []
    if record["board_plans"]:
        last = board_plan.fitted(board_plan.from_fields(record["board_plans"][-1]["plan"]), spec)
        here = f"board_plans[{len(record['board_plans']) - 1}].plan"
        lines += [f"{here}.{field}: {why}" for field, why in board_plan.plan_problems(last, spec).items()]
    for k, saved in enumerate(record["setup_plans"]):
        plan = saved["plan"]
        here = f"setup_plans[{k}].plan"
        lengths = {len(plan["gap_low_um"]), len(plan["gap_high_um"]), len(plan["strings"])}
        if len(lengths) > 1 or len(plan["pluck_n"]) not in (0, len(plan["strings"])):
            lines.append(f"{here}: its strings, gaps and forces differ in number")
        else:
            lines += [
                f"{here}.{field}: {why}"
                for field, why in setup_plan.plan_problems(setup_plan.from_fields(plan)).items()
            ]
    for i, job in enumerate(record["jobs"]):
        for k, saved in enumerate(job["refret_plans"]):
            if any(fret > spec.frets for fret in saved["plan"]["frets"]):
                lines.append(f"jobs[{i}].refret_plans[{k}].plan.frets: this board has {spec.frets} frets")
        lines += [
            f"jobs[{i}].setups[{k}].target.{name}: must name every string once, 1 to the last"
            for k, accepted in enumerate(job["setups"])
            for name in ("action_um", "gap_um")
            if not (there := accepted["target"][name]) or set(there) != {str(n + 1) for n in range(len(there))}
        ]
    ticks = [(tick["line"], tick["fret"]) for tick in record["board_ticks"]]
    lines += [
        f"board_ticks: {line} fret {fret} stands twice"
        for line, fret in {tick for tick in ticks if ticks.count(tick) > 1}
    ]
    return lines


def _chain(here: str, survey: dict[str, Any]) -> list[str]:
    """What is wrong with a survey's readings: each is the first of its place, or replaces the latest one there."""
    lines = []
    latest: dict[tuple[str, int], int] = {}
    lanes = SURVEY_KINDS[survey["kind"]].lanes_of(survey["strings"])
    for k, reading in enumerate(survey["readings"]):
        place = reading["lane"], reading["fret"]
        open_string = reading["fret"] == 0 and survey["kind"] != "buzz"
        if reading["lane"] not in lanes or reading["fret"] > survey["frets"] or open_string:
            lines.append(
                f"{here}.readings[{k}]: fret {reading['fret']} {reading['lane']} is not a place of this survey"
            )
        elif reading["replaces"] != latest.get(place):
            lines.append(
                f"{here}.readings[{k}].replaces: must name the reading before it at this place, or be null for the"
                " first"
            )
        latest[place] = k
    return lines


def _plan_shape(here: str, plan: dict[str, Any], frets: int) -> list[str]:
    """What is wrong with the lengths of a plan's lists: one entry a fret everywhere."""
    outcome, inputs = plan["outcome"], plan["inputs"]
    lists = {f"outcome.removal_um.{lane}": offs for lane, offs in outcome["removal_um"].items()}
    lists |= {f"inputs.heights_um.{lane}": heights for lane, heights in inputs["heights_um"].items()}
    lists |= {"outcome.drops_um": outcome["drops_um"], "outcome.removed_um": outcome["removed_um"]}
    lines = [
        f"{here}.{name}: must hold one entry a fret, {frets} in all"
        for name, found in lists.items()
        if len(found) != frets
    ]
    if inputs["survey"] != plan["survey"]:
        lines.append(f"{here}.inputs.survey: names another survey than the plan does")
    return lines


def _photo(text: str | None) -> notes.Photo | None:
    if text is None:
        return None
    raw = base64.b64decode(text, validate=True)
    jpeg, width, height = reencode(raw)
    # one of our own exports is clean already: keep its very bytes, so that export and import are inverse
    return notes.Photo(raw if _is_clean_jpeg(raw) else jpeg, width, height)


def _is_clean_jpeg(raw: bytes) -> bool:
    """Whether a JPEG holds no segment but what decoding needs (no EXIF, profile or comment)."""
    if raw[:2] != b"\xff\xd8" or not raw.endswith(b"\xff\xd9"):
        return False
    at = 2
    while at + 4 <= len(raw) and raw[at] == 0xFF:
        kind, size = raw[at + 1], int.from_bytes(raw[at + 2 : at + 4], "big")
        if kind == 0xDA:
            # after the scan starts only its own data may follow, up to the end mark
            return re.search(rb"\xff[\xe1-\xef\xfe]", raw[at:]) is None
        if kind == 0xFE or 0xE1 <= kind <= 0xEF:
            return False
        at += 2 + size
    return False


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
    survey_ids = {}
    for survey in record["surveys"]:
        head = _head(survey)
        survey_id = surveys.start(
            db, instrument_id, job_ids.get(survey["job"]), survey["frets"], head, survey["taken_at"], survey["uid"]
        )
        surveys.keep_history(db, survey_id, survey["readings"])
        for note in survey["sounded"]:
            surveys.add_sounded(db, survey_id, surveys.Sounded(**note))
        survey_ids[survey["uid"]] = survey_id
    for job in record["jobs"]:
        for plan in job["plans"]:
            plan_id = jobs.keep_plan(
                db,
                job_ids[job["uid"]],
                survey_ids[plan["survey"]],
                plan["uid"],
                plan["accepted_at"],
                plan["inputs"],
                plan["outcome"],
                plan["done_at"],
            )
            removed = {int(fret): um for fret, um in plan["removed_um"].items()}
            jobs.keep_work(
                db, plan_id, instrument_id, plan["done_at"] or plan["accepted_at"], removed, plan["replaced_frets"]
            )
        for saved in job["sheet_plans"]:
            sheets.keep_plan(db, job_ids[job["uid"]], saved["saved_at"], saved["plan"])
        for one in job["estimates"]:
            estimates.accept(db, job_ids[job["uid"]], one["accepted_at"], one["inputs"], one["outcome"])
        for event in job["sheet_events"]:
            sheets.add(db, job_ids[job["uid"]], Event(**event))
        for tick in {(one["step"], one["fret"]): one for one in job["sheet_ticks"]}.values():
            sheets.keep_tick(db, job_ids[job["uid"]], tick["step"], tick["fret"], tick["at"])
        for one in job["setups"]:
            setups.keep_accepted(db, job_ids[job["uid"]], one["accepted_at"], one["inputs"], one["target"])
        for saved in job["refret_plans"]:
            refrets.keep_plan(db, job_ids[job["uid"]], saved["saved_at"], saved["plan"])
        for ticked in job["order"]:
            order_ticks.keep(db, job_ids[job["uid"]], ticked["step"], ticked["at"], ticked["note"])
        for tick in {(one["kind"], one["grit"]): one for one in job["polished"]}.values():
            polish.keep(db, job_ids[job["uid"]], tick["kind"], tick["grit"], tick["at"])
        for fitted in job["fitted"]:
            refrets.keep_fitted(db, job_ids[job["uid"]], instrument_id, [fitted["fret"]], fitted["at"])
    for saved in record["setup_plans"]:
        setups.keep_plan(db, instrument_id, saved["saved_at"], saved["plan"])
    for saved in record["board_plans"]:
        boards.keep_plan(db, instrument_id, saved["saved_at"], saved["plan"])
    for tick in record["board_ticks"]:
        boards.tick(db, instrument_id, tick["line"], tick["fret"], tick["place_um"], tick["at"])
    for turn in record["rod_turns"]:
        rod_turns.add(db, instrument_id, turn["at"], turn["turns_64"], turn["slack"], turn["note"], turn["uid"])
    for pin, photo in zip(record["pins"], photos, strict=True):
        notes.add(
            db,
            instrument_id,
            job_ids.get(pin["job"]),
            pin["fret"],
            pin["lane"],
            pin["note"],
            photo,
            pin["at"],
            pin["uid"],
            pin["settled_at"],
        )
    return instrument_id
