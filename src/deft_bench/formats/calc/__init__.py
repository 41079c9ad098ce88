"""Every calculation of the core as JSON in, JSON out: `deft-bench calc NAME`.

Each calculation is a module beside this one with a `SCHEMA` (JSON Schema of the request), a one-line `ABOUT` and
`answer(request) -> dict`. Modules are imported only when asked for, so that a call starts quickly.
"""

import importlib
from collections.abc import Iterator
from typing import Any

from deft_bench.formats.strict_json import RequestError, check, tidy

CALCULATIONS = {
    "fret-positions": "fret_positions",
    "board-layout": "board_layout",
    "radius": "radius",
    "string-path-hump": "string_path_hump",
    "slot": "slot",
    "thickness-passes": "thickness_passes",
    "neck-section": "neck_section",
    "neck-facets": "neck_facets",
    "datum-transfer": "datum_transfer",
    "cut-list": "cut_list",
    "wire-fit": "wire_fit",
    "rocker-edge": "rocker_edge",
    "rocker": "rocker",
    "fall-away-tape": "fall_away_tape",
    "beam-strokes": "beam_strokes",
    "crown-filing": "crown_filing",
    "land": "land",
    "grit-ladder": "grit_ladder",
    "straightness": "straightness",
    "truss-rod": "truss_rod",
    "neck-evidence": "neck_evidence",
    "level-plan": "level_plan",
    "string-set": "string_set",
    "clearance": "clearance",
    "setup-solve": "setup_solve",
    "diagnose": "diagnose",
    "nut-spacing": "nut_spacing",
    "nut-depth": "nut_depth",
    "saddle-height": "saddle_height",
    "compensation": "compensation",
    "intonation": "intonation",
    "pitch": "pitch",
    "buzz-ear": "buzz_ear",
    "run-sheet": "run_sheet",
    "schedule": "schedule",
    "estimate": "estimate",
}


def schema(name: str) -> dict[str, Any]:
    """The JSON Schema of a calculation's request; raises KeyError for an unknown name."""
    found: dict[str, Any] = _module(name).SCHEMA
    return found


def about(name: str) -> str:
    """One line on what a calculation answers."""
    text: str = _module(name).ABOUT
    return text


def calculate(name: str, request: object) -> dict[str, Any]:
    """Answer a request; raises RequestError with one line a field, or KeyError for an unknown name.

    No answer holds NaN, infinity or −0.
    """
    module = _module(name)
    check(request, module.SCHEMA)
    answer: dict[str, Any] = tidy(module.answer(request))
    return answer


def names() -> Iterator[str]:
    """Every calculation's name, in order."""
    yield from CALCULATIONS


def _module(name: str) -> Any:
    return importlib.import_module(f"{__name__}.{CALCULATIONS[name]}")


__all__ = ["CALCULATIONS", "RequestError", "about", "calculate", "names", "schema"]
