"""What can be surveyed: one object a kind says all that a survey of it needs, from its lanes to its words.

To add a kind, add one object to `SURVEY_KINDS` and its case to the tests; a migration lets the database take its code.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

from deft_bench.core.frets.heights import LANES
from deft_bench.core.limits import (
    LAND_MM,
    LAND_OFF_CENTRE_MM,
    LEAP_MM,
    LEAST_ACTION_MM,
    LEAST_CROWN_MM,
    LEAST_SLOT_MM,
    MOST_ACTION_MM,
    MOST_CROWN_MM,
    MOST_SLOT_MM,
    SEATING_GAP_MM,
    SPROUT_MM,
)
from deft_bench.core.units import Display, LengthError, System, parse_length

Order = Literal["lane_by_lane", "fret_by_fret"]
Place = tuple[str, int]
"""(lane, fret)"""
Unit = Literal["length", "cents", "answer"]
Drawn = Literal["off_line", "as_read", "too_shallow", "explained"]
"""How a reading is drawn on the neck: off its lane's fair line, as it is, against the depth a tang needs, or by what
explains the tests.
"""

PER_CENT = 100
"""Cents are stored as whole hundredths."""
ACTION_FRET = 12
ROCKS_UM, FLAT_UM = 1, 0
BUZZES_UM, CLEAN_UM = 1, 0
"""How the two answers of a test are stored."""
LIGHT_UM, HOME_UM = 1, 0
"""How a look under a crown against the light is stored."""
GONE_UM, PARTLY_UM, LEFT_UM = 2, 1, 0
"""How ink is stored: the more of it is gone, the higher the fret stands under the beam."""

Walk = Callable[[Sequence[str], int, Sequence[int]], list[Place]]
"""The places of some lanes on a neck of so many frets, at the frets that are named, in the order in which they are
read.
"""


@dataclass(frozen=True, slots=True)
class Limits:
    """The least and most that a reading can be, stored, and what it is called in a refusal."""

    least: int
    most: int
    what: str
    hint: str = ""


@dataclass(frozen=True, slots=True)
class SurveyKind:
    """One kind of survey.

    `methods` are the ways to read it, the usual one first; `surfaces` where it may be read. `lanes` are those read,
    empty for a lane a string. `resolution_um` is its usual tool's, in the unit that is stored. `answers` maps a key to
    what it stores and how that reads. `counts_mm` is from where on a reading is a fault (None: the rock that the shop
    counts); readings with `off` words are drawn as they are read, the others as they lie off a fair line. `named_frets`
    says that a survey may read some frets only, has to say which (`must`), or those that a beam lies over (`span`).
    `walk` is the cursor's way where it does not go heel to nut; `ends` are the frets at either end that have no place
    of their own; `limits_at_1` are those over the first fret, where they differ. `refret_only` kinds read, of a partial
    refret, only the frets that it replaces; `open_too` reads the open string as well. A reading that differs from all
    beside it by more than `leap_um`, or that lies outside `usual_um`, is questioned (over fret 1 only the limits hold).
    `counts_mm` infinite: its readings are numbers to know, shown beside their places, and none is a fault.
    `asks_strokes`, `asks_blades` and `asks_reach`: its heading says how many strokes were made, which blades a gap is
    tried with, or how far from the fret it tests an edge stands.
    `small` readings may be typed in hundredths without a point, where the shop does.
    """

    code: str
    label: str
    legend: str
    methods: tuple[str, ...]
    tool: str
    resolution_um: int
    limits: Limits
    lanes: tuple[str, ...] = LANES
    unit: Unit = "length"
    surfaces: tuple[str, ...] = ("fret_tops",)
    answers: Mapping[str, tuple[int, str]] = field(default_factory=dict)
    counts_mm: float | None = None
    off: tuple[str, str] | None = None
    one_sided: bool = False
    least_frets: int = 1
    named_frets: Literal["no", "may", "must", "span"] = "no"
    asks_resolution: bool = True
    caution: str = ""
    page: str = ""
    walk: Walk | None = None
    ends: int = 0
    limits_at_1: Limits | None = None
    drawn: Drawn = "off_line"
    refret_only: bool = False
    open_too: bool = False
    column_words: Mapping[int, str] = field(default_factory=dict)
    leap_um: int | None = None
    usual_um: tuple[int, int] | None = None
    asks_strokes: bool = False
    asks_blades: bool = False
    asks_reach: bool = False
    small: bool = False

    @property
    def per_string(self) -> bool:
        """Whether it is read string by string: its lanes are then the strings' numbers, 1 the highest."""
        return not self.lanes

    def lanes_of(self, strings: int = 0) -> tuple[str, ...]:
        """The lanes that it is read in, the bass side first."""
        return self.lanes or tuple(str(number) for number in range(strings, 0, -1))

    def places(
        self, frets: int, order: Order, strings: int = 0, at_frets: Sequence[int] = (), reach: int = 1
    ) -> list[Place]:
        """Every place in the order in which the cursor visits it: heel to nut, but strings as they are played."""
        lanes = self.lanes_of(strings)
        if self.walk is not None:
            return self.walk(lanes, frets, at_frets)
        heel_to_nut = range(frets - reach * self.ends, reach * self.ends, -1)
        if order == "fret_by_fret":
            return [(lane, fret) for fret in heel_to_nut for lane in lanes]
        return [(lane, fret) for lane in lanes for fret in heel_to_nut]

    def limits_at(self, fret: int) -> Limits:
        """What a reading at a fret can be."""
        return self.limits_at_1 if self.limits_at_1 is not None and fret == 1 else self.limits

    def problem(self, stored: int, fret: int = 0) -> str | None:
        """Why a stored value cannot be meant at a fret, or None."""
        if self.unit == "answer":
            return None
        limits = self.limits_at(fret)
        if limits.least <= stored <= limits.most:
            return None
        if self.unit == "cents":
            return (
                f"{stored / PER_CENT:+g} cents is a semitone or more: another note, or another fret. "
                f"Accepted are −{limits.most // PER_CENT} to {limits.most // PER_CENT} cents."
            )
        ends = f"{limits.least / 1000:g} to {limits.most / 1000:g} mm".replace("-", "−")
        return f"{stored / 1000:g} mm is outside the range of {limits.what} ({ends}).{limits.hint}".replace("-", "−")

    def read(self, typed: str, system: System = "mm", *, hundredths: bool = False) -> int:
        """The stored value of what was typed: whole micrometres, hundredths of a cent, or a test's answer. With
        `hundredths` a small length without point or unit counts hundredths of a millimetre, or thousandths of an inch.
        Raises LengthError.
        """
        if self.unit == "cents":
            return _cents(typed)
        if self.unit == "length":
            bare = typed.strip().lstrip("+-−")
            if hundredths and self.small and bare.isascii() and bare.isdigit():
                return parse_length(f"{typed.strip()} {'µm' if system == 'mm' else 'thou'}") * (
                    10 if system == "mm" else 1
                )
            return parse_length(typed, system)
        said = typed.strip().lower()
        for key, (value, word) in self.answers.items():
            if said in (key, word):
                return value
        keys = ", ".join(f"{key} when it {VERBS.get(word, word)}" for key, (_, word) in self.answers.items())
        raise LengthError(f"“{typed.strip()[:20]}” is no answer: {keys}.")

    def words(self, stored: int, display: Display) -> str:
        """A stored value as its cell shows it."""
        if self.unit == "answer":
            return next(word for value, word in self.answers.values() if value == stored)
        if self.unit == "cents":
            return f"{stored / PER_CENT:+.1f}".replace("-", "−") if stored else "0.0"
        return display.fine_number(stored)

    def unit_words(self, display: Display) -> str:
        """The unit of such a reading, for beside its box; empty where there is none."""
        return {"answer": "", "cents": "cents", "length": display.system}[self.unit]

    @property
    def to_know(self) -> bool:
        """Whether its readings are shown as they are and none is drawn as a fault."""
        return self.counts_mm is not None and math.isinf(self.counts_mm)

    def least_shown_mm(self, rock_mm: float) -> float:
        """From where on a place is drawn as a fault, mm."""
        return rock_mm if self.counts_mm is None else self.counts_mm


VERBS = {
    "light": "shows light",
    "home": "is home",
    "flat": "sits flat",
    "clean": "is clean",
    "gone": "is gone",
    "partly": "is partly gone",
    "left": "is left",
}


def _strings_walk(lanes: Sequence[str], frets: int, at_frets: Sequence[int]) -> list[Place]:
    return [(lane, fret) for fret in (min(ACTION_FRET, frets), 1) for lane in lanes]


def _intonation_walk(lanes: Sequence[str], frets: int, at_frets: Sequence[int]) -> list[Place]:
    return [(lane, fret) for lane in lanes for fret in sorted(at_frets) if fret <= frets]


def _buzz_walk(lanes: Sequence[str], frets: int, at_frets: Sequence[int]) -> list[Place]:
    return [(lane, fret) for lane in lanes for fret in range(frets)]


THOU = " For thousandths of an inch type “3 thou”."
FRET_READING = Limits(-2_000, 2_000, "a fret reading", THOU)
TESTED = Limits(0, 1, "a test")
STRINGS_CAUTION = "Strings are under tension: keep your eyes out of their plane, and slacken before you cut."
ENDS_CAUTION = "Fret ends cut: blunt them before you run a finger or a feeler along the edge."

SURVEY_KINDS: dict[str, SurveyKind] = {
    kind.code: kind
    for kind in (
        SurveyKind(
            "fret_heights",
            "Fret heights",
            "Fret heights, in three lanes",
            ("gap", "height"),
            "straightedge and feeler gauges",
            20,
            FRET_READING,
            small=True,
            named_frets="may",
            leap_um=round(LEAP_MM * 1000),
            caution=(
                "Slacken the strings before they come off, and mind your eyes: a cut string under tension whips. "
                "Blunt sharp fret ends before you slide a straightedge along them."
            ),
        ),
        SurveyKind(
            "straightness",
            "Straightness",
            "Straightness, along the middle",
            ("gap", "string", "string_joint"),
            "notched straightedge and feeler gauges",
            20,
            FRET_READING,
            small=True,
            lanes=("middle",),
            surfaces=("board", "fret_tops"),
            leap_um=round(LEAP_MM * 1000),
        ),
        SurveyKind(
            "slot_depth",
            "Slot depth",
            "Slot depth, in three places each",
            ("depth",),
            "depth gauge",
            20,
            Limits(0, 5_000, "a slot depth"),
            usual_um=(round(LEAST_SLOT_MM * 1000), round(MOST_SLOT_MM * 1000)),
            surfaces=("board", "fret_tops"),
            counts_mm=0.005,
            off=("too shallow", "deep enough"),
            one_sided=True,
            caution=(
                "Clean the slots first: dust is a false bottom. It harms the lungs too: extraction and a fitted mask."
            ),
            drawn="too_shallow",
            refret_only=True,
        ),
        SurveyKind(
            "seating",
            "Seating",
            "Daylight under the crowns, in three lanes",
            ("daylight",),
            "feeler gauges against the light",
            10,
            Limits(0, 2_000, "a seating gap", THOU),
            small=True,
            counts_mm=SEATING_GAP_MM,
            off=("of daylight", "home"),
            one_sided=True,
            caution=ENDS_CAUTION,
            drawn="as_read",
            refret_only=True,
        ),
        SurveyKind(
            "light",
            "Light",
            "Light under the crowns: seen or not, in three lanes",
            ("against_light",),
            "a lamp behind the neck",
            10,
            Limits(0, 1, "a look"),
            unit="answer",
            answers={"l": (LIGHT_UM, "light"), "h": (HOME_UM, "home")},
            counts_mm=0.0005,
            off=("of light", "home"),
            one_sided=True,
            asks_resolution=False,
            caution=ENDS_CAUTION,
            drawn="as_read",
        ),
        SurveyKind(
            "sprout",
            "Fret-end sprout",
            "How far the fret ends stand out, both sides",
            ("stand_out",),
            "feeler gauges and a straightedge along the edge",
            20,
            FRET_READING,
            lanes=("bass", "treble"),
            counts_mm=SPROUT_MM,
            off=("standing out", "flush"),
            one_sided=True,
            caution=ENDS_CAUTION,
            drawn="as_read",
        ),
        SurveyKind(
            "rocker",
            "Rocker",
            "Rocker, three frets at a time, in three lanes",
            ("three_frets",),
            "fret rocker",
            20,
            TESTED,
            unit="answer",
            answers={"r": (ROCKS_UM, "rocks"), "f": (FLAT_UM, "flat")},
            counts_mm=0.005,
            least_frets=3,
            ends=1,  # a test is named by the middle one of its three frets
            drawn="explained",
            asks_reach=True,
        ),
        SurveyKind(
            "ink",
            "Ink",
            "Where light strokes of a beam took the ink off, lane by lane",
            ("ink_left",),
            "levelling beam",
            10,
            Limits(0, 2, "ink"),
            unit="answer",
            answers={"o": (GONE_UM, "gone"), "p": (PARTLY_UM, "partly"), "l": (LEFT_UM, "left")},
            counts_mm=0.0015,
            off=("touched", "untouched"),
            one_sided=True,
            named_frets="span",
            asks_resolution=False,
            asks_strokes=True,
            least_frets=3,
            caution=(
                "Light strokes, the beam’s own weight: this reads the frets, it does not level them. Steel filings stay"
                " off pickups and out of eyes."
            ),
            drawn="as_read",
        ),
        SurveyKind(
            "blades",
            "Feeler blades",
            "The thickest blade that passes between a straightedge and each fret",
            ("blade",),
            "straightedge and feeler blades",
            10,
            Limits(0, 2_000, "a blade", THOU),
            counts_mm=math.inf,
            named_frets="span",
            asks_resolution=False,
            asks_blades=True,
            small=True,
            caution=ENDS_CAUTION,
            drawn="as_read",
        ),
        SurveyKind(
            "crown_height",
            "Crown height",
            "Height of the crowns above the board, at any frets",
            ("above_board",),
            "crown-height gauge",
            20,
            Limits(100, 3_000, "a crown height"),
            usual_um=(round(LEAST_CROWN_MM * 1000), round(MOST_CROWN_MM * 1000)),
            counts_mm=math.inf,
            caution=ENDS_CAUTION,
            drawn="as_read",
        ),
        SurveyKind(
            "crown_line",
            "Crown line width",
            "Width of the line left on each crown",
            ("line_width",),
            "loupe with a scale",
            50,
            Limits(0, 2_000, "a line’s width", THOU),
            lanes=("middle",),
            counts_mm=LAND_MM,
            off=("wide", "narrow enough"),
            drawn="as_read",
        ),
        SurveyKind(
            "crown_offset",
            "Crown line off centre",
            "How far each line lies off centre",
            ("off_centre",),
            "loupe with a scale",
            50,
            FRET_READING,
            lanes=("middle",),
            counts_mm=LAND_OFF_CENTRE_MM,
            off=("off centre", "centred"),
            drawn="as_read",
        ),
        SurveyKind(
            "strings",
            "Action and first-fret gap",
            "Action over fret 12 and the gap over fret 1, string by string",
            ("under_string",),
            "feeler gauges and a string-height rule",
            50,
            Limits(0, 10_000, "an action"),
            usual_um=(round(LEAST_ACTION_MM * 1000), round(MOST_ACTION_MM * 1000)),
            lanes=(),
            counts_mm=math.inf,
            least_frets=ACTION_FRET,
            caution=STRINGS_CAUTION,
            page="show",
            walk=_strings_walk,
            limits_at_1=Limits(0, 3_000, "a first-fret gap"),
            drawn="as_read",
            column_words={1: "gap over 1", ACTION_FRET: "action at 12"},
        ),
        SurveyKind(
            "intonation",
            "Intonation",
            "Cents against the open string, string by string",
            ("cents",),
            "tuner",
            100,
            Limits(-100 * PER_CENT, 100 * PER_CENT, "cents"),
            lanes=(),
            unit="cents",
            counts_mm=2 * PER_CENT / 1000,
            least_frets=ACTION_FRET,
            named_frets="must",
            caution=STRINGS_CAUTION,
            page="intonation",
            walk=_intonation_walk,
            drawn="as_read",
        ),
        SurveyKind(
            "buzz",
            "Buzz",
            "Play every note, string by string",
            ("played",),
            "by ear",
            1,
            TESTED,
            lanes=(),
            unit="answer",
            answers={"z": (BUZZES_UM, "buzzes"), "c": (CLEAN_UM, "clean")},
            counts_mm=0.001,
            least_frets=ACTION_FRET,
            asks_resolution=False,
            caution=STRINGS_CAUTION,
            page="buzz",
            walk=_buzz_walk,
            drawn="as_read",
            open_too=True,
            column_words={0: "open"},
        ),
    )
}
OFFERED: dict[str, tuple[str, ...]] = {
    "refret": (
        "slot_depth",
        "straightness",
        "seating",
        "light",
        "sprout",
        "rocker",
        "ink",
        "blades",
        "fret_heights",
        "crown_height",
    ),
    "level_and_dress": (
        "fret_heights",
        "rocker",
        "ink",
        "blades",
        "straightness",
        "crown_height",
        "light",
        "seating",
        "sprout",
        "crown_line",
        "crown_offset",
    ),
    "work": ("fret_heights", "crown_height", "straightness", "seating", "strings", "intonation", "buzz"),
    "setup": ("straightness", "strings", "intonation", "buzz", "fret_heights"),
}
"""The surveys offered in a job of each kind, the usual one first."""


def _cents(typed: str) -> int:
    text = typed.strip().lower()
    for ending in ("cents", "cent", "c"):
        if text.endswith(ending):
            text = text.removesuffix(ending)
            break
    text = text.strip().replace(",", ".").replace("−", "-")
    try:
        value = float(text) if text.isascii() and len(text) < 12 and not set(text) - set("+-.0123456789") else math.nan
    except ValueError:
        value = math.nan
    if math.isnan(value):
        raise LengthError(f"“{typed.strip()[:20]}” is no number of cents. Accepted: 3 · +3.5 · −2 · 2,5 cents")
    return round(value * PER_CENT)
