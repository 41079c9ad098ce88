"""A survey: one set of readings taken at one time, and the order in which the cursor walks through it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.field_checks import text_problems
from deft_bench.core.frets.heights import LANES, Heights
from deft_bench.core.survey_kinds import SURVEY_KINDS, Order, Place, SurveyKind
from deft_bench.core.units import Display

MOST_STRINGS, MOST_FRETS = 18, 60
MOST_STROKES, MOST_BLADES, MOST_BLADE_UM = 50, 40, 2_000
MOST_REACH = 6
"""A rocker's edge stands on frets no further than this from the one that it tests."""
WHEN = {"before": "before", "between": "between", "after": "after"}
METHODS = {
    "gap": "gap under a straightedge",
    "string": "gap under a string, pressed on fret 1 and the last",
    "string_joint": "gap under a string, pressed on fret 1 and at the joint",
    "height": "height above a reference",
    "depth": "depth below the board’s face",
    "daylight": "daylight under the crown",
    "against_light": "looked under against the light",
    "stand_out": "how far the end stands out",
    "three_frets": "rocks or sits flat on three frets",
    "ink_left": "ink gone, partly gone or left after light strokes of a beam",
    "blade": "thickest blade that passes under a straightedge",
    "above_board": "height of the crown above the board",
    "line_width": "width of the line left on the crown",
    "off_centre": "how far the line lies off centre, toward the saddle positive",
    "under_string": "under each string: at rest over fret 12, pressed down over fret 1",
    "cents": "cents against the open string, sharp positive",
    "played": "played, string by string: buzzes or clean",
}
UNDER_STRING = ("string", "string_joint")
"""Straightness read with a string as the straightedge: at pitch, over the fret tops."""
SURFACES = {"fret_tops": "fret tops", "board": "bare board"}
STRING_STATES = {
    "off": "strings off",
    "slack": "strings slack",
    "tuned": "tuned to pitch",
    "simulated": "simulated tension",
}


@dataclass(frozen=True, slots=True)
class SurveyHead:
    """What a survey was read with and in which state; resolution in micrometres (of cents in hundredths), climate in °C
    and % RH.

    `strokes` is how many light strokes of the beam took ink off, `blades_um` the blades that a gap is tried with,
    thinnest first (nothing in surveys of other kinds). `strings` is how many strings a per-string survey reads (0 for
    lanes), `at_frets` where intonation is read, or the frets that a survey of heights reads again while the others
    stand as they were (empty: all). `reach` is how many frets to either side of the one it tests a rocker's edge
    stands on, 1 for its neighbours (and in surveys of other kinds). `spread_um` is the standard deviation of repeated
    readings of one gap with this gauge, where it was measured.
    """

    kind: str
    when: str
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
    strokes: int = 0
    blades_um: tuple[int, ...] = ()
    reach: int = 1
    spread_um: float | None = None


def pressed_fret(method: str, frets: int, joint_fret: int | None) -> int:
    """Where a string that is the straightedge is pressed: at the joint, or on the last fret."""
    return min(joint_fret or frets, frets) if method == "string_joint" else frets


def head_problems(head: SurveyHead) -> dict[str, str]:
    """What is impossible about a survey's heading, by field."""
    problems: dict[str, str] = {}
    for field, choices in (
        ("kind", {code: kind.label for code, kind in SURVEY_KINDS.items()}),
        ("when", WHEN),
        ("method", METHODS),
        ("surface", SURFACES),
        ("string_state", STRING_STATES),
    ):
        if getattr(head, field) not in choices:
            problems[field] = f"Choose one of: {', '.join(choices.values())}."
    if head.order not in ("lane_by_lane", "fret_by_fret"):
        problems["order"] = "Choose lane by lane or fret by fret."
    if not head.tool.strip() or len(head.tool) > 80:
        problems["tool"] = "Say what it was read with, in 1 to 80 characters."
    problems |= text_problems(head, ("tool",), ("note",))
    if not 1 <= head.resolution_um <= 500:
        problems["resolution_um"] = "The tool's resolution is out of range; accepted: 0.001 to 0.5 mm."
    if head.temperature_c is not None and not -20 <= head.temperature_c <= 60:
        problems["temperature_c"] = "Accepted: −20 to 60 °C."
    if head.humidity is not None and not 0 <= head.humidity <= 100:
        problems["humidity"] = "Accepted: 0 to 100 % relative humidity."
    if head.kind in SURVEY_KINDS:
        problems |= _against_kind(head, SURVEY_KINDS[head.kind])
    return problems


def _against_kind(head: SurveyHead, kind: SurveyKind) -> dict[str, str]:
    """What of a heading does not go with its kind of survey, by field."""
    problems: dict[str, str] = {}
    if head.method not in kind.methods:
        problems["method"] = f"{kind.label} is read as {' or '.join(METHODS[method] for method in kind.methods)}."
    if kind.per_string != (head.strings > 0) or head.strings > MOST_STRINGS:
        problems["strings"] = f"A survey of strings says how many there are, 1 to {MOST_STRINGS}; any other says 0."
    if (kind.named_frets == "must" and not head.at_frets) or (kind.named_frets == "no" and head.at_frets):
        problems["at_frets"] = (
            "Intonation names the frets that it is read at, heights, blades and ink may; no other survey does."
        )
    elif any(not 1 <= fret <= MOST_FRETS for fret in head.at_frets):
        problems["at_frets"] = f"Frets are whole numbers from 1 to {MOST_FRETS}."
    problems |= _beam_and_blades(head, kind)
    if not 1 <= head.reach <= (MOST_REACH if kind.asks_reach else 1):
        problems["reach"] = (
            f"A rocker says how many frets to either side it stands on, 1 to {MOST_REACH}; any other survey says 1."
        )
    if kind.per_string and head.string_state != "tuned":
        problems["string_state"] = "This is read with the strings tuned to pitch."
    if head.method in UNDER_STRING and (head.string_state, head.surface) != ("tuned", "fret_tops"):
        problems["method"] = "A string is a straightedge only at pitch, over the fret tops."
    if head.surface not in kind.surfaces:
        problems["surface"] = f"{kind.label} is read on the frets."
    return problems


def _beam_and_blades(head: SurveyHead, kind: SurveyKind) -> dict[str, str]:
    """What of a beam's strokes and span, or of a set of blades, cannot be."""
    problems: dict[str, str] = {}
    if kind.asks_strokes != (head.strokes > 0) or head.strokes > MOST_STROKES:
        problems["strokes"] = f"Ink says how many light strokes were made, 1 to {MOST_STROKES}; no other survey does."
    thin_first = list(head.blades_um) == sorted({um for um in head.blades_um if 0 < um <= MOST_BLADE_UM})
    if kind.asks_blades != bool(head.blades_um) or not thin_first or len(head.blades_um) > MOST_BLADES:
        problems["blades_um"] = (
            f"A survey by blades names them, thinnest first, up to {MOST_BLADE_UM / 1000:g} mm; no other survey does."
        )
    if kind.asks_strokes and head.at_frets and len(head.at_frets) <= 1:
        problems["at_frets"] = "A beam lies over two frets or more; empty: over all of them."
    return problems


def blade_problem(head: SurveyHead, value_um: int, display: Display) -> str | None:
    """Why a reading is none of the blades that a survey is read with, or None."""
    if not head.blades_um or value_um in (0, *head.blades_um):
        return None
    sizes = " · ".join(display.fine_number(um) for um in head.blades_um)
    said = display.fine(value_um)
    return f"{said} is no blade of this set. Accepted: the thickest that passes, {sizes}; 0 when none does."


def places(head: SurveyHead, frets: int) -> list[Place]:
    """Every place of a survey with this heading, in the cursor's order."""
    return SURVEY_KINDS[head.kind].places(frets, head.order, head.strings, head.at_frets, head.reach)


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
