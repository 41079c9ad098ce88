"""What a record must hold, as a JSON Schema: every field, its unit and its limits."""

import dataclasses
from typing import Any

from deft_bench.core.acts import ON_FRETS
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.described import schema_of
from deft_bench.core.instrument import CHOICES, KINDS, LENGTHS, UNKNOWABLE, Spec
from deft_bench.core.jobs import JOB_EVENTS, JOB_KINDS
from deft_bench.core.refret import RefretPlan
from deft_bench.core.strings.ear.features import COUNT as EAR_FIGURES
from deft_bench.core.strings.setup_plan import SetupPlan
from deft_bench.core.survey import (
    METHODS,
    MOST_BLADE_UM,
    MOST_BLADES,
    MOST_REACH,
    MOST_STROKES,
    STRING_STATES,
    SURFACES,
    WHEN,
)
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.core.work.catalogue import HARDNESS
from deft_bench.core.work.estimate import NOT_KEPT, Estimate
from deft_bench.core.work.job_sheet import EVENTS

FORMAT = "deft-bench-record"
VERSION = 12


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
_PERSON = {"type": ["string", "null"], "minLength": 1, "maxLength": 60}


def _spec_schema() -> dict[str, Any]:
    fields: dict[str, Any] = {field: {"type": "integer", "minimum": 1} for field in LENGTHS}
    fields |= {field: {"type": ["integer", "null"], "minimum": 1} for field in ("nut_radius_um", "end_radius_um")}
    fields |= {field: {"type": "string", "enum": list(choices)} for field, choices in CHOICES.items()}
    fields |= dict.fromkeys(("left_handed", "bound", "nibs"), _FLAG)
    fields |= {"strings": {"type": "integer"}, "frets": _FRET, "joint_fret": _FRET}
    fields |= {"divisions": {"type": "integer", "minimum": 5, "maximum": 60}}
    fields |= {"perpendicular_fret": {"type": "number", "minimum": 0, "maximum": 60}}
    fields |= dict.fromkeys(("name", "string_set", "tuning", "note"), _TEXT)
    fields |= {"kind": {"type": "string", "enum": list(KINDS)}}
    fields |= {"unknown": {"type": "array", "items": {"enum": list(UNKNOWABLE)}, "uniqueItems": True}}
    return _object({name: fields[name] for name in Spec.__dataclass_fields__})


_SPEC = _spec_schema()
_LENGTH = {"type": "integer", "minimum": -5_000_000, "maximum": 5_000_000}


_BOARD_PLAN, _REFRET_PLAN, _SETUP_PLAN = (_object(schema_of(plan)) for plan in (BoardPlan, RefretPlan, SetupPlan))

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
        "plan": _SETUP_PLAN,
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
    dict.fromkeys((field.name for field in dataclasses.fields(Estimate) if field.name not in NOT_KEPT), _AMOUNT)
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
        "lift": _FRETS,
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
        "crown_height_um": _PER_LANE,
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
                        "refret_plans": _saved(_REFRET_PLAN),
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
                                    "by": _PERSON,
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
                        "withdrawn_at": _MAYBE_TIME,
                        "events": {
                            "type": "array",
                            "maxItems": 2000,
                            "items": _object(
                                {
                                    "kind": {"type": "string", "enum": list(JOB_EVENTS)},
                                    "at": _TIME,
                                    "note": _TEXT,
                                    "step": {"type": "string", "maxLength": 40},
                                    "by": _PERSON,
                                }
                            ),
                        },
                        "nut": {"type": "string", "enum": ["in_place", "out", "protected"]},
                        "found_home": {
                            "type": "array",
                            "maxItems": 200,
                            "items": _object(
                                {"survey": _UID, "frets": _FRETS, "at": _TIME, "taken_back_at": _MAYBE_TIME}
                            ),
                        },
                        "fret_acts": {
                            "type": "array",
                            "maxItems": 500,
                            "items": _object(
                                {
                                    "kind": {"type": "string", "enum": list(ON_FRETS)},
                                    "frets": {**_FRETS, "minItems": 1},
                                    "at": _TIME,
                                    "taken_back_at": _MAYBE_TIME,
                                    "by": _PERSON,
                                }
                            ),
                        },
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
                                    "withdrawn_at": _MAYBE_TIME,
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
                                    "by": _PERSON,
                                    "done_by": _PERSON,
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
                        "withdrawn_at": _MAYBE_TIME,
                        "frets": _FRET,
                        "kind": {"type": "string", "enum": list(SURVEY_KINDS)},
                        "when": {"type": "string", "enum": list(WHEN)},
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
                        "strokes": {"type": "integer", "minimum": 0, "maximum": MOST_STROKES},
                        "reach": {"type": "integer", "minimum": 1, "maximum": MOST_REACH},
                        "spread_um": {"type": ["number", "null"], "minimum": 0, "maximum": 50_000},
                        "blades_um": {
                            "type": "array",
                            "maxItems": MOST_BLADES,
                            "items": {"type": "integer", "minimum": 1, "maximum": MOST_BLADE_UM},
                            "uniqueItems": True,
                        },
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
                                    "sd_cents": {"type": ["number", "null"], "exclusiveMinimum": 0, "maximum": 1200},
                                    "ear": {
                                        "type": ["array", "null"],
                                        "minItems": EAR_FIGURES,
                                        "maxItems": EAR_FIGURES,
                                        "items": {"type": "number", "minimum": -1000, "maximum": 1000},
                                    },
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
                                    "by": _PERSON,
                                }
                            ),
                        },
                    }
                ),
            },
            "setup_plans": _saved(_SETUP_PLAN),
            "board_plans": _saved(_BOARD_PLAN),
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
                        "by": _PERSON,
                        "withdrawn_at": _MAYBE_TIME,
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
