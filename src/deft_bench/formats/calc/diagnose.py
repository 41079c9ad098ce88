"""`diagnose`: what buzzes and why, with the cheapest cure and the note that would settle it."""

from typing import Any

from deft_bench.core.calls import in_mm
from deft_bench.core.strings.diagnose import Cause, Heard, buzz_call, cause_words, diagnose
from deft_bench.formats.calc.clearance import NEEDED, PLACED, pluck, refuse_arched
from deft_bench.formats.calc.fields import call_fields, listed, request
from deft_bench.formats.calc.strings_fields import NUMBER, frame, strings, worst_fields
from deft_bench.formats.strict_json import RequestError

ABOUT = "Causes that explain what buzzes, the cheapest cure first, this player's hand, and the next note to play"

_HEARD = {
    "type": "object",
    "properties": {
        "string": NUMBER,
        "fret": {"type": "integer", "minimum": 0, "maximum": 60},
        "buzz": {"type": "boolean"},
    },
    "required": ["string", "fret", "buzz"],
    "additionalProperties": False,
}

SCHEMA = request({**PLACED, "heard": listed(_HEARD, most=2000)}, [*NEEDED, "heard"], ABOUT)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `hand` holds [floor, ceiling] in newtons for each string, an end null where nothing bounds
    it, null where they contradict.
    """
    neck, over = frame(asked, asked["relief_mm"]), strings(asked)
    heard = [Heard(note["string"], note["fret"], note["buzz"]) for note in asked["heard"]]
    try:
        found = diagnose(neck, over, heard, pluck(asked))
    except ValueError as error:
        raise RequestError([f"heard: {error}"]) from None
    refuse_arched(asked["relief_mm"], list(found.strung))
    return {
        "fits": found.fits,
        "wrong": found.wrong,
        "predicted": [
            {"string": note.string, "fret": note.fret, "buzz": found.predicted[note.string, note.fret]}
            for note in heard
        ],
        "strings": [
            {"string": string.string, "worst": worst_fields(string.worst()), "least_mm": string.least().tolist()}
            for string in found.strung
        ],
        "hand": [None if ends is None else list(ends) for ends in found.hand.values()],
        "causes": [_cause(cause) | {"tied": i < found.tied} for i, cause in enumerate(found.causes)],
        "tied": found.tied,
        "next_test": None if found.next_test is None else dict(zip(("string", "fret"), found.next_test, strict=True)),
        "action_raise_mm": [{"string": number, "raise_mm": mm} for number, mm in found.action_raise_mm.items()],
        "call": call_fields(buzz_call(found, heard, {})),
    }


def _cause(cause: Cause) -> dict[str, Any]:
    what, cure = cause_words(cause, in_mm, {})
    return {
        "cause": cause.code,
        "kind": cause.kind,
        "string": cause.string,
        "fret": cause.fret,
        "size_mm": cause.size_mm,
        "wrong": cause.wrong,
        "metal_mm": cause.metal_mm,
        "cost_action_mm": cause.cost_action_mm,
        "say": what,
        "cure": cure,
    }
