"""`run-sheet`: the ordered steps of a job, with the rules that fixed their order and what another order would break."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from deft_bench.core.board.plan import MARKED_FRETS
from deft_bench.core.instrument import CHOICES
from deft_bench.core.work.catalogue import HARDNESS, TOOLS, WARM_C, Rule
from deft_bench.core.work.extent import Extent, whole
from deft_bench.core.work.run_sheet import RunSheetError, run_sheet
from deft_bench.formats.calc.fields import FRETS, listed, request
from deft_bench.formats.operations_toml import shipped
from deft_bench.formats.strict_json import RequestError

ABOUT = (
    "The ordered steps of a job from instrument, route and schools, with the rules behind the order and what a change"
    " breaks"
)

_CODE = {"type": "string", "maxLength": 40}
_YES = {"type": "boolean", "default": False}

USUAL_FACTS = {
    "bound": "no",
    "nibs": "no",
    "fanned": "no",
    "taller_wire": "no",
    "pickups": "yes",
    "joint": "bolt_on",
    "bridge": "individual",
}
"""What an instrument is where a request does not say."""

EXTENT = {
    "frets": FRETS,
    "strings": {"type": "integer", "minimum": 1, "maximum": 18},
    "named_frets": listed(FRETS, least=1),
    "inlay_frets": listed(FRETS, least=0),
}
"""What says how much of an instrument there is to work on."""

SCHEMA = request(
    {
        "route": _CODE,
        "instrument": {
            "type": "object",
            "properties": {
                **EXTENT,
                "bound": _YES,
                "nibs": _YES,
                "fanned": _YES,
                "pickups": {"type": "boolean", "default": True},
                "taller_wire": _YES,
                "joint": {"type": "string", "enum": list(CHOICES["joint"]), "default": "bolt_on"},
                "bridge": {"type": "string", "enum": list(CHOICES["bridge"]), "default": "individual"},
                "hardness": {"type": "string", "enum": list(HARDNESS), "default": "medium"},
            },
            "required": ["frets", "strings"],
            "additionalProperties": False,
        },
        "schools": {"type": "object", "additionalProperties": _CODE},
        "done": listed(_CODE, least=0, most=200),
        "added": listed(_CODE, least=0, most=50),
        "left_out": listed(_CODE, least=0, most=200),
        "order": listed(_CODE, least=0, most=200),
        "temperature_c": {"type": "number", "minimum": -10, "maximum": 50, "default": WARM_C},
        "tool": {"type": "string", "enum": list(TOOLS), "default": "sharp"},
    },
    ["route", "instrument"],
    ABOUT,
)


def extent_asked(asked: Mapping[str, Any], path: str) -> Extent:
    """How much of an instrument is worked on: every fret, or those named; inlays as dots before the usual frets."""
    frets = asked["frets"]
    for name in ("named_frets", "inlay_frets"):
        beyond = [fret for fret in asked.get(name, ()) if fret > frets]
        if beyond:
            raise RequestError([f"{path}.{name}: there is no fret {beyond[0]} of {frets}"])
    extent = whole(frets, asked["strings"], asked.get("inlay_frets", MARKED_FRETS))
    return replace(extent, named=tuple(sorted(set(asked["named_frets"])))) if "named_frets" in asked else extent


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `order` is a proposed one, whose `broken` rules say what each spoils."""
    instrument = asked["instrument"]
    facts = USUAL_FACTS | {name: _fact(instrument[name]) for name in USUAL_FACTS if name in instrument}
    try:
        sheet = run_sheet(
            shipped(),
            asked["route"],
            facts,
            asked.get("schools", {}),
            done=asked.get("done", ()),
            added=asked.get("added", ()),
            left_out=asked.get("left_out", ()),
            order=asked.get("order"),
        )
    except RunSheetError as error:
        raise RequestError([f"{error.where}: {error}"]) from None
    extent = extent_asked(instrument, "instrument")
    temperature, tool = asked.get("temperature_c", WARM_C), asked.get("tool", "sharp")
    steps = [
        {
            "code": step.operation.code,
            "title": step.operation.title,
            "phase": step.operation.phase,
            "done": step.done,
            "minutes": step.operation.active(extent, instrument.get("hardness", "medium"), tool),
            "wait_minutes": step.operation.waiting(temperature),
            "holds": step.operation.holds,
            "open_minutes": step.operation.open_minutes,
            "lead_days": step.operation.lead_days,
            "gate": step.operation.gate.replace("{", "").replace("}", " mm"),
            "cautions": [shipped().cautions[code] for code in step.operation.cautions],
            "watch": [
                {"mistake": watch.mistake, "sign": watch.sign, "recover": watch.recover}
                for watch in step.operation.watch
            ],
            "materials": [
                {"name": material.name, "unit": material.unit, "quantity": quantity}
                for material, quantity in step.operation.uses(extent)
            ],
            "fixed_by": [_rule(rule) for rule in step.fixed_by],
        }
        for step in sheet.steps
    ]
    return {
        "route": sheet.route.code,
        "title": sheet.route.title,
        "schools": {code: sheet.facts[code] for code in shipped().schools},
        "steps": steps,
        "broken": [_rule(rule) for rule in sheet.broken],
        "minutes": sum(step["minutes"] for step in steps if not step["done"]),
        "wait_minutes": sum(step["wait_minutes"] for step in steps if not step["done"]),
    }


def _rule(rule: Rule) -> dict[str, Any]:
    return {"rule": rule.number, "before": rule.before, "after": rule.after, "spoils": rule.spoils}


def _fact(value: bool | str) -> str:
    return value if isinstance(value, str) else "yes" if value else "no"
