"""Pieces of JSON Schema that several calculations share, and the shape of a call."""

from dataclasses import asdict
from typing import Any

from deft_bench.core.calls import Call
from deft_bench.core.instrument import MOST_FRETS

Schema = dict[str, Any]

SCALE: Schema = {"type": "number", "minimum": 100, "maximum": 3000, "description": "scale length, mm"}
FRETS: Schema = {"type": "integer", "minimum": 1, "maximum": MOST_FRETS}
DIVISIONS: Schema = {"type": "integer", "minimum": 1, "maximum": 100, "default": 12}
POSITIVE: Schema = {"type": "number", "exclusiveMinimum": 0, "maximum": 5000}
NOT_NEGATIVE: Schema = {"type": "number", "minimum": 0, "maximum": 5000}
HEIGHT: Schema = {"type": ["number", "null"], "minimum": -100, "maximum": 100}


def request(properties: dict[str, Schema], required: list[str], about: str) -> Schema:
    """A request's schema: an object with just these fields."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "description": about,
        "type": "object",
        "properties": properties,
        "required": required,
        "additionalProperties": False,
    }


def listed(items: Schema, least: int = 1, most: int = MOST_FRETS) -> Schema:
    """A list of `least` to `most` items."""
    return {"type": "array", "items": items, "minItems": least, "maxItems": most}


def call_fields(call: Call) -> dict[str, Any]:
    """A call as `calc` answers it: say, do, figures, because, instead, sure, settle."""
    return asdict(call)
