"""Challenge files: a drill as JSON, its truth with it, refused where it cannot be. Documented in
docs/formats/challenge-json.md.
"""

import json
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from deft_bench.core.frets.crown_filing import UNCUT_MM
from deft_bench.core.frets.grit_ladder import FINISH_UM
from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice import (
    beam,
    clamping,
    culprit,
    datum,
    ends,
    intonate,
    line,
    order,
    radius,
    rounds,
    sawing,
    scratches,
    seating,
    set_up,
    straight,
    whole_neck,
    whole_setup,
)
from deft_bench.core.practice.drills import DRILLS, IN_ROUNDS, WHOLE, WHOLE_SETUP
from deft_bench.core.practice.six_strings import FRETS, STRINGS
from deft_bench.formats.strict_json import RequestError, check, read_json
from deft_bench.store.practice import BY_HAND

FORMAT, VERSION = "deft-bench-challenge", 1
MOST_BYTES = 100_000
MOST_TEXT = 300


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
    levels = DRILLS[drill].levels
    if held["level"] not in levels:
        raise RequestError([f"level: {held['level']} is not there: 1 to {max(levels)}"])
    why = _WHY_NONE[drill](held["truth"], held["level"])
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


_WHY_NONE: Mapping[str, Callable[[Any, int], str]] = {
    "culprit": lambda kept, level: culprit.why_no_drill(culprit.neck_from(kept), level),
    "straight": lambda kept, _: straight.why_no_drill(straight.RodNeck(**kept)),
    "beam": lambda kept, level: beam.why_no_drill(beam.neck_from(kept), level),
    "radius": lambda kept, _: radius.why_no_drill(radius.blank_from(kept)),
    "line": lambda kept, _: line.why_no_drill(line.fret_from(kept)),
    "clamping": lambda kept, _: clamping.why_no_drill(clamping.gluing_from(kept)),
    "datum": lambda kept, _: datum.why_no_drill(datum.marking_from(kept)),
    "sawing": lambda kept, _: sawing.why_no_drill(sawing.kerf_from(kept)),
    "set_up": lambda kept, _: set_up.why_no_drill(set_up.neck_from(kept)),
    "scratches": lambda kept, _: scratches.why_no_drill(scratches.scratched_from(kept)),
    "seating": lambda kept, _: seating.why_no_drill(seating.slotted_from(kept)),
    "ends": lambda kept, _: ends.why_no_drill(ends.ends_from(kept)),
    "intonate": lambda kept, _: intonate.why_no_drill(intonate.SaddleString(**kept)),
    "order": lambda kept, level: order.why_no_drill(order.day_from(kept), level),
    **dict.fromkeys(IN_ROUNDS, lambda kept, _: rounds.why_no_drill(rounds.rounds_from(kept))),
    WHOLE: lambda kept, _: whole_neck.why_no_drill(whole_neck.neck_from(kept)),
    WHOLE_SETUP: lambda kept, _: whole_setup.why_no_drill(whole_setup.setup_from(kept)),
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
        "drill": {"enum": list(DRILLS)},
        "level": {"type": "integer"},
        "number": {"type": ["integer", "null"], "minimum": 0, "maximum": BY_HAND - 1},
        "truth": {"type": "object"},
    },
    optional=("number",),
)
_ROD = _object(
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
)
_BY_FRET = {"type": "object", "propertyNames": {"pattern": "^([1-9]|1[0-9]|2[0-2])$"}}
_RULE = _object({"before": _TEXT, "after": _TEXT, "spoils": _TEXT})
_ROUND = _object(
    {
        "situation": _TEXT,
        "ask": _TEXT,
        "right": _number(-1000, 1000),
        "why": _TEXT,
        "asks": {"enum": ["choice", "length", "count"]},
        "choices": _listed(_TEXT, 0, 8),
        "lengths_mm": _listed(_number(-2000, 2000), 0, 12),
        "within_mm": _number(0, 5),
        "gaps_mm": _listed(_number(0, 2), 0, 180),
        "buzzes": _listed({"enum": [0, 1]}, 0, 180),
    },
    optional=("choices", "lengths_mm", "within_mm", "gaps_mm", "buzzes"),
)
_WHOLE_NECK = _object(
    {
        "neck": _object(
            {
                "scale_mm": _number(400, 900),
                "tops": _LANES,
                "unseated": _BY_FRET | {"additionalProperties": _number(0.03, 0.5)},
                "bow_mm": _number(0, 0),
                "twist_mm": _number(-1, 1),
                "rod_mm": _number(0, 2),
                "rod_left": _number(0, 4),
            },
            optional=("bow_mm", "twist_mm", "rod_mm", "rod_left"),
        ),
        "rod": _ROD,
        "since_ink": _NOTHING,
        "taken": _NOTHING,
        "wasted_mm": _number(0, 0),
        "bowed_mm": _number(0, 0),
    }
)
_TRUTHS: Mapping[str, Any] = {
    "culprit": _object(
        {
            "tops": _LANES,
            "out_mm": {
                "type": "object",
                "propertyNames": {"pattern": "^[1-9][0-9]?$"},
                "additionalProperties": _TOP,
                "minProperties": 1,
                "maxProperties": 5,
            },
            "edge_mm": _listed(_number(0, 1), 0, culprit.FRETS),
        },
        optional=("edge_mm",),
    ),
    "straight": _ROD,
    "beam": _object(
        {
            "tops": _LANES,
            "lifted": _listed(_number(0, 0.5), beam.FRETS, beam.FRETS),
            "since_ink": _NOTHING,
            "taken": _NOTHING,
            "wasted_mm": _number(0, 0),
        }
    ),
    "radius": _object(
        {
            "radius_mm": _number(120, 1000),
            "tops": _listed(_listed(_number(-5, 5), radius.ACROSS, radius.ACROSS), radius.PLACES, radius.PLACES),
            "since_scribble": _listed({}, 0, 0),
            "taken": _listed({}, 0, 0),
        }
    ),
    "line": _object(
        {
            "zones": _listed(
                _object(
                    {
                        "width_mm": _number(1.5, 3.5),
                        "height_mm": _number(0.5, 2),
                        "removed_mm": _number(0.01, 0.3),
                        "lean": _number(-0.1, 0.1),
                        "flats_mm": _listed({"enum": [UNCUT_MM]}, 6, 6),
                    },
                    optional=("lean", "flats_mm"),
                ),
                len(LANES),
                len(LANES),
            )
        }
    ),
    "clamping": _object(
        {
            "pushes_mm": _listed(_number(-1, 1), clamping.CLAMPS, clamping.CLAMPS),
            "open_s": _number(60, 3600),
            "hold_s": _number(30, 3600),
            "nut_mm": _number(0, 0),
            "body_mm": _number(0, 0),
            "quarters": _listed(_number(0, 0), clamping.CLAMPS, clamping.CLAMPS),
            "in_time": _listed(_number(0, 0), clamping.CLAMPS, clamping.CLAMPS),
            "at_s": _number(0, 0),
        },
        optional=("nut_mm", "body_mm", "quarters", "in_time", "at_s"),
    ),
    "datum": _object(
        {
            "scale_mm": _number(500, 700),
            "worn_mm": _number(0, 2),
            "slips_after": {"type": "integer", "minimum": 1, "maximum": datum.FRETS},
            "slip_mm": _number(-2, 2),
            "steps_mm": _listed(_number(-1, 1), datum.FRETS, datum.FRETS),
            "at_line_mm": {"enum": [None]},
            "past_mm": _number(0, 0),
            "clamped": {"enum": [False]},
            "slipped": {"enum": [False]},
            "marks_mm": _listed({}, 0, 0),
        },
        optional=("at_line_mm", "past_mm", "clamped", "slipped", "marks_mm"),
    ),
    "sawing": _object(
        {
            "pulls_mm": _listed(_number(-1, 1), sawing.STEPS, sawing.STEPS),
            "teeth_mm": _number(-1, 1),
            "at_mm": _listed({}, 0, 0),
            "lead_mm": _number(0, 0),
            "over_mm": _number(0, 0),
            "stoned": {"enum": [False]},
        },
        optional=("at_mm", "lead_mm", "over_mm", "stoned"),
    ),
    "set_up": _object(
        {
            "relief_mm": _number(-0.5, 1),
            "mm_a_turn": _number(0.1, 1.5),
            "tops_mm": _listed(_number(-0.5, 0.5), FRETS, FRETS),
            "slots_mm": _listed(_number(-0.2, 1.5), STRINGS, STRINGS),
            "saddles_mm": _listed(_number(0, 12), STRINGS, STRINGS),
        }
    ),
    "scratches": _object(
        {
            "finish": {"enum": list(FINISH_UM)},
            "marks_um": _listed(_number(0, 20), 2, 2),
            "fresh_um": _listed(_number(0, 0), 2, 2),
            "held": {"enum": [-1]},
            "taken_um": _number(0, 0),
            "bare": {"type": "boolean"},
            "taped": {"enum": [False]},
            "covered": {"enum": [False]},
            "oiled": {"enum": [False]},
            "scratched": {"enum": [0]},
            "filings": {"enum": [False]},
        },
        optional=("fresh_um", "held", "taken_um", "bare", "taped", "covered", "oiled", "scratched", "filings"),
    ),
    "seating": _object(
        {
            "board_mm": _number(120, 1000),
            "frets": _listed(
                _object(
                    {
                        "hold_n": _number(0, 50),
                        "wire_mm": _number(100, 2000),
                        "blocked": {"enum": [-1, 0, 1, 2]},
                        "blocked_mm": _number(0, 1),
                        "up_mm": _listed({"enum": [seating.STANDS_MM]}, 3, 3),
                        "forced": {"enum": [0]},
                        "glued": {"enum": [False]},
                    },
                    optional=("blocked", "blocked_mm", "up_mm", "forced", "glued"),
                ),
                seating.FRETS,
                seating.FRETS,
            ),
        }
    ),
    "ends": _object(
        {
            "sides": _listed(
                _object(
                    {
                        "over_mm": _listed(_number(0, 3), ends.FRETS, ends.FRETS),
                        "bevel_mm": _listed(_number(0, 0), ends.FRETS, ends.FRETS),
                        "bare_mm": _listed(_number(0, 0), ends.FRETS + 1, ends.FRETS + 1),
                    },
                    optional=("bevel_mm", "bare_mm"),
                ),
                2,
                2,
            )
        }
    ),
    "intonate": _object(
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
    **dict.fromkeys(IN_ROUNDS, _object({"rounds": _listed(_ROUND, 1, 20)})),
    WHOLE: _WHOLE_NECK,
    WHOLE_SETUP: _object(
        {
            "neck": _WHOLE_NECK,
            "nut_mm": _listed(_number(-0.2, 1.5), STRINGS, STRINGS),
            "saddle_mm": _listed(_number(0, 12), STRINGS, STRINGS),
            "behind_mm": _listed(_number(-20, 30), STRINGS, STRINGS),
            "air": {"type": "integer", "minimum": 10, "maximum": 90},
            "air_mm": _number(-0.5, 0.5),
        },
        optional=("air", "air_mm"),
    ),
}
"""What each drill's truth holds, as JSON Schema; lengths in mm."""
