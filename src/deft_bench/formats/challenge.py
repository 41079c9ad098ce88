"""Challenge files: a drill as JSON, its truth with it, refused where it cannot be. Documented in
docs/formats/challenge-json.md.
"""

import json
import math
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice import beam, culprit, ear, order, straight
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.formats.strict_json import RequestError, check, read_json

FORMAT, VERSION = "deft-bench-challenge", 1
MOST_BYTES = 100_000
MOST_TEXT = 300
MOST_NUMBER = 10**9 - 1


@dataclass(frozen=True, slots=True)
class Challenge:
    """A drill that is handed on: its name, what it is for, and its truth as it is kept; `number` draws that truth, None
    where it was made by hand.
    """

    name: str
    aim: str
    drill: str
    level: int
    number: int | None
    truth: Any


def culprit_truth(kept: Any) -> culprit.CulpritNeck:
    """The neck of *Find the culprit* as it is kept."""
    tops = {lane: tuple(map(float, kept["tops"][lane])) for lane in LANES}
    out = {int(fret): float(mm) for fret, mm in kept["out_mm"].items()}
    return culprit.CulpritNeck(SimulatedNeck(culprit.SCALE_MM, tops, {}), out)


def order_truth(kept: Any) -> order.DayOrder:
    """The steps of *Order of the day* as they are kept."""
    return order.DayOrder(
        kept["job"],
        kept["titles"],
        tuple(kept["shuffled"]),
        tuple(order.Breach(**rule) for rule in kept["rules"]),
        tuple(kept["right"]),
    )


def write_challenge(made: Challenge) -> bytes:
    """The file."""
    held = {"format": FORMAT, "version": VERSION, **asdict(made)}
    return (json.dumps(held, ensure_ascii=False, indent=1) + "\n").encode()


def read_challenge(raw: bytes) -> Challenge:
    """A challenge that can be played; raises RequestError with a line a field for one that cannot."""
    if len(raw) > MOST_BYTES:
        raise RequestError([f".: larger than {MOST_BYTES // 1000} kB"])
    held = read_json(raw)
    check(held, _HEAD)
    drill = held["drill"]
    check(held["truth"], _TRUTHS[drill])
    levels = _LEVELS[drill]
    if held["level"] not in levels:
        raise RequestError([f"level: {held['level']} is not there: 1 to {max(levels)}"])
    why = _IMPOSSIBLE[drill](held["truth"], held["level"])
    if why:
        raise RequestError([f"truth: {why}"])
    return Challenge(held["name"], held["aim"], drill, held["level"], held.get("number"), held["truth"])


@cache
def shipped() -> Mapping[str, Challenge]:
    """The challenges that come with the program, by the names of their files, in their order."""
    found = {
        one.name.removesuffix(".json"): read_challenge(one.read_bytes())
        for one in files("deft_bench").joinpath("challenges").iterdir()
        if one.name.endswith(".json")
    }
    return dict(sorted(found.items()))


def _culprit_impossible(kept: Any, level: int) -> str:
    out = kept["out_mm"]
    if any(not fret.isdecimal() or not 1 <= int(fret) <= culprit.FRETS for fret in out):
        return f"out_mm names a fret that is not there: 1 to {culprit.FRETS}"
    many = culprit.LEVELS[level][1]
    if len(out) != many or not all(out.values()):
        return f"out_mm: level {level} has {many} out, none of them by nothing"
    truth = culprit_truth(kept)
    if culprit.found_by_program(truth, level)[1] != truth.signed:
        return "no reading with the rocker finds the frets of out_mm on these tops, and no others"
    return ""


def _straight_impossible(kept: Any, level: int) -> str:
    truth = straight.RodNeck(**kept)
    if truth.taken_up > truth.slack:
        return "taken_up: more slack is taken up than there is"
    if truth.stopped or truth.forced:
        return "a rod that stopped or was forced is no drill"
    if straight.score(truth, *straight.by_program(truth)).points < straight.WORTH_PLAYING:
        return "the program itself cannot bring this neck straight, nor tell that its rod gives no more"
    return ""


def _beam_impossible(kept: Any, level: int) -> str:
    truth = beam.neck_from(kept)
    if truth.taken or truth.since_ink or truth.wasted_mm:
        return "nothing has come off a neck that nobody has touched: leave taken, since_ink and wasted_mm empty"
    if level == 1 and any(truth.lifted):
        return "lifted: on level 1 every fret is home"
    done, end = beam.by_program(truth)
    if beam.score(truth, done, end, done, end.taken_mm).points < beam.WORTH_PLAYING:
        return "the program itself cannot bring these tops level"
    return ""


def _ear_impossible(kept: Any, level: int) -> str:
    truth = ear.EarString(**kept)
    if abs(truth.off_cents) < ear.OFF_CENTS / 2:
        return f"saddle_mm: it is within {ear.OFF_CENTS / 2:g} cents as it lies, and nothing is left to do"
    if ear.score(truth, ear.by_program(truth)).points < ear.WORTH_PLAYING:
        return "saddle_mm: the program itself does not bring it right in so few moves"
    return ""


def _order_impossible(kept: Any, level: int) -> str:
    truth = order_truth(kept)
    steps = set(truth.titles)
    if len(truth.shuffled) != order.STEPS[level]:
        return f"shuffled: level {level} has {order.STEPS[level]} steps"
    for name, some in (("shuffled", truth.shuffled), ("right", truth.right)):
        if set(some) != steps or len(some) != len(steps):
            return f"{name}: must hold each step of titles once"
    if any(not {rule.before, rule.after} <= steps for rule in truth.rules):
        return "rules: one names a step that titles does not"
    if order.breaches(truth.rules, truth.right):
        return "right: this order breaks a rule"
    if not order.breaches(truth.rules, truth.shuffled):
        return "shuffled: this order breaks no rule"
    return ""


_LEVELS: Mapping[str, Mapping[int, object]] = {
    "culprit": culprit.LEVELS,
    "straight": straight.LEVELS,
    "beam": beam.LEVELS,
    "ear": ear.LEVELS,
    "order": order.LEVELS,
}
_IMPOSSIBLE: Mapping[str, Callable[[Any, int], str]] = {
    "culprit": _culprit_impossible,
    "straight": _straight_impossible,
    "beam": _beam_impossible,
    "ear": _ear_impossible,
    "order": _order_impossible,
}


def _number(least: float, most: float) -> dict[str, Any]:
    return {"type": "number", "minimum": least, "maximum": most}


def _object(properties: dict[str, Any], optional: tuple[str, ...] = ()) -> dict[str, Any]:
    required = [name for name in properties if name not in optional]
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": False}


def _listed(items: dict[str, Any], least: int, most: int) -> dict[str, Any]:
    return {"type": "array", "items": items, "minItems": least, "maxItems": most}


_TEXT = {"type": "string", "minLength": 1, "maxLength": MOST_TEXT}
_TOP = _number(-1, 1)
_LANES = _object({lane: _listed(_TOP, culprit.FRETS, culprit.FRETS) for lane in LANES})
_NOTHING = {"type": "object", "maxProperties": 0}
_HEAD = _object(
    {
        "format": {"enum": [FORMAT]},
        "version": {"enum": [VERSION]},
        "name": _TEXT,
        "aim": _TEXT,
        "drill": {"enum": list(_LEVELS)},
        "level": {"type": "integer"},
        "number": {"type": ["integer", "null"], "minimum": 0, "maximum": MOST_NUMBER},
        "truth": {"type": "object"},
    },
    optional=("number",),
)
_RULE = _object({"before": _TEXT, "after": _TEXT, "spoils": _TEXT})
_TRUTHS: Mapping[str, Any] = {
    "culprit": _object(
        {
            "tops": _LANES,
            "out_mm": {"type": "object", "additionalProperties": _TOP, "minProperties": 1, "maxProperties": 5},
        }
    ),
    "straight": _object(
        {
            "bow_mm": _number(-1, 1),
            "mm_a_turn": _number(0.1, 1.5),
            "creep": _number(0, 0.9),
            "slack": _number(0, 0.5),
            "left": _number(0, 4),
            "coming_mm": _number(-0.5, 0.5),
            "taken_up": _number(0, 0.5),
            "stopped": {"type": "boolean"},
            "forced": {"type": "boolean"},
        },
        optional=("coming_mm", "taken_up", "stopped", "forced"),
    ),
    "beam": _object(
        {
            "tops": _LANES,
            "lifted": _listed(_number(0, 0.5), beam.FRETS, beam.FRETS),
            "since_ink": _NOTHING,
            "taken": _NOTHING,
            "wasted_mm": _number(0, 0),
        }
    ),
    "ear": _object(
        {
            "string": {"type": "integer", "minimum": 1, "maximum": 6},
            "hz": _number(30, 1000),
            "right_mm": _number(0, 10),
            "saddle_mm": _number(-20, 30),
        }
    ),
    "order": _object(
        {
            "job": _TEXT,
            "titles": {"type": "object", "additionalProperties": _TEXT, "minProperties": 2, "maxProperties": 20},
            "shuffled": _listed(_TEXT, 2, 20),
            "rules": _listed(_RULE, 1, 100),
            "right": _listed(_TEXT, 2, 20),
        }
    ),
}
"""What each drill's truth holds, as JSON Schema; lengths in mm."""


def rounded(truth: Any) -> Any:
    """A truth with its lengths to a tenth of a micrometre, as it is written."""
    if isinstance(truth, float):
        return round(truth, 4) if math.isfinite(truth) else truth
    if isinstance(truth, dict):
        return {name: rounded(item) for name, item in truth.items()}
    return [rounded(item) for item in truth] if isinstance(truth, (list, tuple)) else truth
