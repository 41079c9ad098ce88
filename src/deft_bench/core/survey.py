"""A survey: one set of readings taken at one time, and the order in which the cursor walks through it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from deft_bench.core.frets.heights import LANES, Heights
from deft_bench.core.units import Display, LengthError, System, parse_length

Order = Literal["lane_by_lane", "fret_by_fret"]
Place = tuple[str, int]
"""(lane, fret)"""

KINDS = {
    "fret_heights": "Fret heights",
    "straightness": "Straightness",
    "slot_depth": "Slot depth",
    "seating": "Seating",
    "sprout": "Fret-end sprout",
    "rocker": "Rocker",
    "crown_line": "Crown line width",
    "crown_offset": "Crown line off centre",
}
STAGES = {"before": "before", "between": "between", "after": "after"}
METHODS = {
    "gap": "gap under a straightedge",
    "height": "height above a reference",
    "depth": "depth below the board’s face",
    "daylight": "daylight under the crown",
    "stand_out": "how far the end stands out",
    "three_frets": "rocks or sits flat on three frets",
    "line_width": "width of the line left on the crown",
    "off_centre": "how far the line lies off centre, toward the saddle positive",
}
ONLY_METHOD = {
    "straightness": "gap",
    "slot_depth": "depth",
    "seating": "daylight",
    "sprout": "stand_out",
    "rocker": "three_frets",
    "crown_line": "line_width",
    "crown_offset": "off_centre",
}
"""Kinds that can be read in one way only; fret heights are a gap or a height."""
SURFACES = {"fret_tops": "fret tops", "board": "bare board"}
STRING_STATES = {
    "off": "strings off",
    "slack": "strings slack",
    "tuned": "tuned to pitch",
    "simulated": "simulated tension",
}

MOST_UM = 2_000
"""No fret reading is as large as 2 mm: a larger one is a slip of unit or decimal point."""
MOST_DEEP_UM = 5_000
"""Slots are deeper than that, but no deeper than this."""


@dataclass(frozen=True, slots=True)
class SurveyHead:
    """What a survey was read with and in which state; resolution in micrometres, climate in °C and % RH."""

    kind: str
    stage: str
    method: str
    surface: str
    tool: str
    resolution_um: int
    string_state: str
    temperature_c: float | None
    humidity: float | None
    order: Order
    note: str = ""


def head_problems(head: SurveyHead) -> dict[str, str]:
    """What is impossible about a survey's heading, by field."""
    found: dict[str, str] = {}
    for field, choices in (
        ("kind", KINDS), ("stage", STAGES), ("method", METHODS), ("surface", SURFACES), ("string_state", STRING_STATES),
    ):  # fmt: skip
        if getattr(head, field) not in choices:
            found[field] = f"Choose one of: {', '.join(choices.values())}."
    if head.order not in ("lane_by_lane", "fret_by_fret"):
        found["order"] = "Choose lane by lane or fret by fret."
    if not head.tool.strip() or len(head.tool) > 80:
        found["tool"] = "Say what it was read with, in 1 to 80 characters."
    if not 1 <= head.resolution_um <= 500:
        found["resolution_um"] = "The tool's resolution is out of range; accepted: 0.001 to 0.5 mm."
    if head.temperature_c is not None and not -20 <= head.temperature_c <= 60:
        found["temperature_c"] = "Accepted: −20 to 60 °C."
    if head.humidity is not None and not 0 <= head.humidity <= 100:
        found["humidity"] = "Accepted: 0 to 100 % relative humidity."
    only = ONLY_METHOD.get(head.kind)
    if only and head.method != only:
        found["method"] = f"{KINDS[head.kind]} is read as the {METHODS[only]}."
    if head.kind == "fret_heights" and head.method not in ("gap", "height"):
        found["method"] = "Fret heights are read as a gap under a straightedge or a height above a reference."
    if head.kind not in ("straightness", "slot_depth") and head.surface == "board":
        found["surface"] = f"{KINDS.get(head.kind, 'This')} is read on the frets."
    return found


def lanes_of(kind: str) -> tuple[str, ...]:
    """The lanes that a survey of this kind is read in."""
    if kind in ("straightness", "crown_line", "crown_offset"):
        return ("middle",)
    return ("bass", "treble") if kind == "sprout" else LANES


def walk(kind: str, frets: int, order: Order) -> list[Place]:
    """Every place of a survey, heel to nut, in the order in which the cursor visits it."""
    lanes = lanes_of(kind)
    # a rocker test is named by the middle one of its three frets
    heel_to_nut = range(frets - 1, 1, -1) if kind == "rocker" else range(frets, 0, -1)
    if order == "fret_by_fret":
        return [(lane, fret) for fret in heel_to_nut for lane in lanes]
    return [(lane, fret) for lane in lanes for fret in heel_to_nut]


def heights_from(readings_um: Mapping[Place, int | None], method: str, frets: int) -> dict[str, Heights]:
    """Heights in mm by lane from readings in micrometres: a gap is how far the top lies under the straightedge.

    Lanes without any reading are left out.
    """
    sign = -1 if method == "gap" else 1
    lanes: dict[str, Heights] = {}
    for lane in LANES:
        heights: Sequence[float | None] = [
            None if (um := readings_um.get((lane, fret))) is None else sign * um / 1000 for fret in range(1, frets + 1)
        ]
        if any(h is not None for h in heights):
            lanes[lane] = heights
    return lanes


def reading_problem(um: int, kind: str = "fret_heights") -> str | None:
    """Why a reading of this kind cannot be meant, or None."""
    most = MOST_DEEP_UM if kind == "slot_depth" else MOST_UM
    if um < 0 and kind in ("slot_depth", "seating", "crown_line"):
        return f"{KINDS[kind]} cannot be under zero: accepted are 0 to {most / 1000:g} mm."
    if abs(um) > most:
        return (
            f"{um / 1000:g} mm is no fret reading: accepted are −{most / 1000:g} to {most / 1000:g} mm. "
            "For thousandths of an inch type “3 thou”."
        )
    return None


ROCKS_UM, FLAT_UM = 1, 0
"""How the two answers of a rocker test are stored."""
_ANSWERS = {"r": ROCKS_UM, "rocks": ROCKS_UM, "f": FLAT_UM, "flat": FLAT_UM}


def parse_reading(typed: str, kind: str, system: System = "mm") -> int:
    """The stored value of what was typed: whole micrometres, or a rocker's answer. Raises LengthError."""
    if kind != "rocker":
        return parse_length(typed, system)
    answer = _ANSWERS.get(typed.strip().lower())
    if answer is None:
        raise LengthError(f"“{typed.strip()[:20]}” is no answer: r when it rocks, f when it sits flat.")
    return answer


def reading_words(um: int, kind: str, display: Display) -> str:
    """A stored value as its cell shows it."""
    if kind == "rocker":
        return "rocks" if um == ROCKS_UM else "flat"
    return display.fine_number(um)
