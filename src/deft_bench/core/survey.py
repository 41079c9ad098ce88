"""A survey: one set of readings taken at one time, and the order in which the cursor walks through it."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from deft_bench.core.field_checks import text_problems
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
    "strings": "Action and first-fret gap",
    "intonation": "Intonation",
    "buzz": "Buzz",
}
PER_STRING = ("strings", "intonation", "buzz")
"""Kinds that are read string by string: their lanes are the strings' numbers, 1 the highest."""
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
    "under_string": "under each string: at rest over fret 12, pressed down over fret 1",
    "cents": "cents against the open string, sharp positive",
    "played": "played, string by string: buzzes or clean",
}
ONLY_METHOD = {
    "straightness": "gap",
    "slot_depth": "depth",
    "seating": "daylight",
    "sprout": "stand_out",
    "rocker": "three_frets",
    "crown_line": "line_width",
    "crown_offset": "off_centre",
    "strings": "under_string",
    "intonation": "cents",
    "buzz": "played",
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
MOST_ACTION_UM, MOST_GAP_UM, MOST_CENTS = 10_000, 3_000, 100
PER_CENT = 100
"""Cents are stored as whole hundredths."""
ACTION_FRET = 12


@dataclass(frozen=True, slots=True)
class SurveyHead:
    """What a survey was read with and in which state; resolution in micrometres (of cents in hundredths), climate in °C and % RH.

    `strings` is how many strings a per-string survey reads (0 for lanes), `at_frets` where intonation is read, or
    the frets that a survey of heights reads again while the others stand as they were (empty: all).
    """

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
    strings: int = 0
    at_frets: tuple[int, ...] = ()


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
    found |= text_problems(head, ("tool",), ("note",))
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
    if (head.kind in PER_STRING) != (head.strings > 0) or head.strings > 18:
        found["strings"] = "A survey of strings says how many there are, 1 to 18; any other says 0."
    named = bool(head.at_frets)
    if (head.kind == "intonation" and not named) or (named and head.kind not in ("intonation", "fret_heights")):
        found["at_frets"] = "Intonation names the frets that it is read at, and heights may; no other survey does."
    elif any(not 1 <= fret <= 60 for fret in head.at_frets):
        found["at_frets"] = "Frets are whole numbers from 1 to 60."
    if head.kind in PER_STRING and head.string_state != "tuned":
        found["string_state"] = "This is read with the strings tuned to pitch."
    if head.kind not in ("straightness", "slot_depth") and head.surface == "board":
        found["surface"] = f"{KINDS.get(head.kind, 'This')} is read on the frets."
    return found


def lanes_of(kind: str, strings: int = 0) -> tuple[str, ...]:
    """The lanes that a survey of this kind is read in, the bass side first."""
    if kind in PER_STRING:
        return tuple(str(number) for number in range(strings, 0, -1))
    if kind in ("straightness", "crown_line", "crown_offset"):
        return ("middle",)
    return ("bass", "treble") if kind == "sprout" else LANES


def walk(kind: str, frets: int, order: Order, strings: int = 0, at_frets: Sequence[int] = ()) -> list[Place]:
    """Every place of a survey in the order in which the cursor visits it: heel to nut, but strings as they are played."""
    lanes = lanes_of(kind, strings)
    if kind == "strings":
        return [(lane, fret) for fret in (min(ACTION_FRET, frets), 1) for lane in lanes]
    if kind == "intonation":
        return [(lane, fret) for lane in lanes for fret in sorted(at_frets) if fret <= frets]
    if kind == "buzz":
        return [(lane, fret) for lane in lanes for fret in range(frets)]
    # a rocker test is named by the middle one of its three frets
    heel_to_nut = range(frets - 1, 1, -1) if kind == "rocker" else range(frets, 0, -1)
    if order == "fret_by_fret":
        return [(lane, fret) for fret in heel_to_nut for lane in lanes]
    return [(lane, fret) for lane in lanes for fret in heel_to_nut]


def places(head: SurveyHead, frets: int) -> list[Place]:
    """Every place of a survey with this heading, in the cursor's order."""
    return walk(head.kind, frets, head.order, head.strings, head.at_frets)


def cursor_places(head: SurveyHead, frets: int) -> list[Place]:
    """The places that the cursor visits and that take a reading: of a survey of named frets only theirs."""
    every = places(head, frets)
    return [place for place in every if place[1] in head.at_frets] if head.at_frets else every


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


def reading_problem(um: int, kind: str = "fret_heights", fret: int = 0) -> str | None:
    """Why a reading of this kind, at this fret, cannot be meant, or None."""
    if kind == "intonation":
        most = MOST_CENTS * PER_CENT
        return (
            f"{um / PER_CENT:+g} cents is a semitone or more: another note, or another fret. Accepted are −{MOST_CENTS} to {MOST_CENTS} cents."
            if abs(um) > most
            else None
        )
    if kind == "buzz":
        return None
    if kind == "strings":
        what, most = ("first-fret gap", MOST_GAP_UM) if fret == 1 else ("action", MOST_ACTION_UM)
        if um < 0:
            return f"An {what} below the fret cannot be: accepted are 0 to {most / 1000:g} mm.".replace("An f", "A f")
        return f"{um / 1000:g} mm is no {what}: accepted are 0 to {most / 1000:g} mm." if um > most else None
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
BUZZES_UM, CLEAN_UM = 1, 0
"""How the two answers of a test are stored."""
ANSWERS: dict[str, dict[str, tuple[int, str]]] = {
    "rocker": {"r": (ROCKS_UM, "rocks"), "f": (FLAT_UM, "flat")},
    "buzz": {"z": (BUZZES_UM, "buzzes"), "c": (CLEAN_UM, "clean")},
}
"""Kinds that are answered by one of two keys: what each stores and how it reads."""


def parse_reading(typed: str, kind: str, system: System = "mm") -> int:
    """The stored value of what was typed: whole micrometres, hundredths of a cent, or a test's answer. Raises LengthError."""
    if kind == "intonation":
        return _cents(typed)
    if kind not in ANSWERS:
        return parse_length(typed, system)
    said = typed.strip().lower()
    for key, (value, word) in ANSWERS[kind].items():
        if said in (key, word):
            return value
    keys = ", ".join(
        f"{key} when it {'sits flat' if word == 'flat' else 'is clean' if word == 'clean' else word}"
        for key, (_, word) in ANSWERS[kind].items()
    )
    raise LengthError(f"“{typed.strip()[:20]}” is no answer: {keys}.")


def _cents(typed: str) -> int:
    text = (
        typed.strip()
        .lower()
        .removesuffix("cents")
        .removesuffix("cent")
        .removesuffix("c")
        .strip()
        .replace(",", ".")
        .replace("−", "-")
    )
    try:
        value = float(text) if text.isascii() and len(text) < 12 and not set(text) - set("+-.0123456789") else math.nan
    except ValueError:
        value = math.nan
    if math.isnan(value):
        raise LengthError(f"“{typed.strip()[:20]}” is no number of cents. Accepted: 3 · +3.5 · −2 · 2,5 cents")
    return round(value * PER_CENT)


def reading_words(um: int, kind: str, display: Display) -> str:
    """A stored value as its cell shows it."""
    if kind in ANSWERS:
        return next(word for value, word in ANSWERS[kind].values() if value == um)
    if kind == "intonation":
        return f"{um / PER_CENT:+.1f}".replace("-", "−") if um else "0.0"
    return display.fine_number(um)


def unit_of(kind: str, display: Display) -> str:
    """The unit of such a reading, for beside its box; empty where there is none."""
    return "" if kind in ANSWERS else "cents" if kind == "intonation" else display.system
