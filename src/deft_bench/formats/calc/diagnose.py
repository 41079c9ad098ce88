"""`diagnose`: what buzzes and why, with the cheapest cure and the note that would settle it."""

from typing import Any

from deft_bench.core.calls import in_mm
from deft_bench.core.strings.buzz_call import buzz_call, cause_words
from deft_bench.core.strings.buzz_causes import ReadSd
from deft_bench.core.strings.diagnose import Cause, Heard, diagnose
from deft_bench.formats.calc.clearance import NEEDED, PLACED, refuse_arched, stroke
from deft_bench.formats.calc.fields import call_fields, listed, request
from deft_bench.formats.calc.strings_fields import NUMBER, frame, strings, worst_fields
from deft_bench.formats.strict_json import RequestError

ABOUT = "Causes of what buzzes by their chance, the cure to try first, this player's hand, and the next note to play"

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

_READ_SD = {
    "type": "object",
    "properties": {
        "relief_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 1, "default": ReadSd().relief_mm},
        "action_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 2, "default": ReadSd().action_mm},
        "nut_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 1, "default": ReadSd().nut_mm},
        "fret_mm": {"type": "number", "exclusiveMinimum": 0, "maximum": 0.5, "default": ReadSd().fret_mm},
        "pluck_share": {"type": "number", "exclusiveMinimum": 0, "maximum": 2, "default": ReadSd().pluck_share},
    },
    "additionalProperties": False,
}

SCHEMA = request({**PLACED, "heard": listed(_HEARD, most=2000), "read_sd": _READ_SD}, [*NEEDED, "heard"], ABOUT)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `hand` holds [floor, ceiling] in newtons for each string, an end null where nothing bounds
    it, null where they contradict.
    """
    neck, over = frame(asked, asked["relief_mm"]), strings(asked)
    heard = [Heard(note["string"], note["fret"], note["buzz"]) for note in asked["heard"]]
    capo = asked.get("capo", 0)
    if behind := [f"heard[{i}].fret: lies behind the capo" for i, note in enumerate(heard) if note.fret < capo]:
        raise RequestError(behind)
    try:
        found = diagnose(neck, over, heard, stroke(asked), ReadSd(**asked.get("read_sd", {})))
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
        "causes": [_cause(cause) for cause in found.causes],
        "as_read_chance": found.as_read,
        "next_test": None
        if found.next_test is None or found.next_test[1] < capo
        else dict(zip(("string", "fret"), found.next_test, strict=True)),
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
        "to_fret": cause.to_fret,
        "size": cause.size,
        "chance": cause.chance,
        "unexplained": [{"string": string, "fret": fret} for string, fret in cause.unexplained],
        "reversible": cause.reversible,
        "minutes": cause.minutes,
        "metal_mm": cause.metal_mm,
        "cost_action_mm": cause.cost_action_mm,
        "evens": cause.evens_mm,
        "say": what,
        "cure": cure,
    }
