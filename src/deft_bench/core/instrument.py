"""An instrument's specification: what it is made of, sensible starting values, and what cannot be."""

from collections.abc import Iterable
from dataclasses import asdict, dataclass, replace
from itertools import pairwise
from typing import Any

from deft_bench.core.board.fret_lines import FretLine, Outline, fret_lines
from deft_bench.core.board.positions import fret_position, fret_positions
from deft_bench.core.board.section import Cone
from deft_bench.core.field_checks import choice_problems, length_problems, text_problems
from deft_bench.core.frets.crown import tallest
from deft_bench.core.strings.string_set import notes_of
from deft_bench.core.units import MM, Display

MOST_FRETS = 60


@dataclass(frozen=True, slots=True)
class Spec:
    """One instrument. Lengths are whole micrometres; `perpendicular_fret` is a fret number (0 = nut).

    `end_radius_um` differs from `nut_radius_um` on a compound board; both are None on a flat one. `divisions` is into
    how many steps its frets divide the octave. `unknown` names the lengths that nobody has read: what is usual for the
    kind stands in for them.
    """

    name: str
    kind: str
    strings: int
    left_handed: bool
    bass_scale_um: int
    treble_scale_um: int
    perpendicular_fret: float
    frets: int
    nut_width_um: int
    last_fret_width_um: int
    spread_nut_um: int
    spread_saddle_um: int
    radius_kind: str
    nut_radius_um: int | None
    end_radius_um: int | None
    board_thickness_um: int
    bound: bool
    nibs: bool
    crown_width_um: int
    fret_height_um: int
    tang_depth_um: int
    barb_width_um: int
    rod: str
    rod_end: str
    joint: str
    joint_fret: int
    bridge: str
    string_set: str
    tuning: str
    hand: str
    note: str = ""
    divisions: int = 12
    unknown: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        """Take what JSON calls a list."""
        object.__setattr__(self, "unknown", tuple(self.unknown))

    @property
    def mean_scale_mm(self) -> float:
        """The mean of the two scales: what a lane's level line is laid along (levelling is the same for any scale)."""
        return (self.bass_scale_um + self.treble_scale_um) / 2000

    @property
    def fanned(self) -> bool:
        """Whether bass and treble scales differ."""
        return self.bass_scale_um != self.treble_scale_um

    def positions_mm(self, frets: int | None = None) -> list[float]:
        """Frets 1..N (all, or so many) from the nut along the mean scale, mm."""
        return fret_positions(self.mean_scale_mm, self.frets if frets is None else frets, self.divisions)

    def share(self, fret: float) -> float:
        """How much of the scale lies before a fret."""
        return fret_position(1, fret, self.divisions)

    @property
    def edge_margin_um(self) -> int:
        """From an outer string's centre to the board's edge at the last fret, measured across."""
        spread_last = self.spread_nut_um + (self.spread_saddle_um - self.spread_nut_um) * self.share(self.frets)
        return round((self.last_fret_width_um - spread_last) / 2)

    def outline(self) -> Outline:
        """What the board's plan is drawn from, mm: straight edges from the nut's width to that at the last fret."""
        spread_last = self.spread_nut_um + (self.spread_saddle_um - self.spread_nut_um) * self.share(self.frets)
        nut_margin = (self.nut_width_um - self.spread_nut_um) / 2000
        last_margin = (self.last_fret_width_um - spread_last) / 2000
        return Outline(
            self.bass_scale_um / 1000,
            self.treble_scale_um / 1000,
            self.perpendicular_fret,
            self.frets,
            self.spread_nut_um / 1000,
            self.spread_saddle_um / 1000,
            (nut_margin, last_margin),
            (nut_margin, last_margin),
            self.divisions,
        )

    def lines(self) -> list[FretLine]:
        """The board's fret lines, nut first, in mm."""
        return fret_lines(self.outline())

    def radius_at(self, x_mm: float) -> float | None:
        """The board's radius at a distance from the nut, mm: linear between nut and last fret on a compound board; None
        when flat.

        Raises ValueError where the cone has closed.
        """
        if self.nut_radius_um is None or self.end_radius_um is None:
            return None
        end_x = self.mean_scale_mm * self.share(self.frets)
        return Cone(self.nut_radius_um / 1000, self.end_radius_um / 1000, end_x).at(x_mm)


CHOICES: dict[str, dict[str, str]] = {
    "radius_kind": {"single": "single radius", "compound": "compound (cone)", "flat": "flat"},
    "rod": {"none": "no rod", "single": "single-acting", "dual": "dual-acting"},
    "rod_end": {
        "headstock": "at the headstock",
        "heel": "at the heel",
        "sound_hole": "in the sound hole",
        "none": "no rod",
    },
    "joint": {"bolt_on": "bolt-on", "set": "set neck", "through": "through neck", "dovetail": "dovetail"},
    "bridge": {
        "individual": "individual saddles",
        "pairs": "a saddle for two strings",
        "threes": "a saddle for three strings",
        "two_post": "two posts",
        "one_piece": "one-piece saddle",
        "tail_mounted": "tail-mounted",
    },
    "hand": {"light": "light", "medium": "medium", "heavy": "heavy"},
}

KINDS: dict[str, str] = {
    "electric": "six-string electric",
    "acoustic": "steel-string acoustic",
    "classical": "classical",
    "twelve_string": "twelve-string acoustic",
    "baritone": "baritone electric",
    "seven_string": "seven-string multi-scale",
    "tenor": "tenor four-string",
    "short_bass": "short-scale bass",
    "long_bass": "long-scale bass",
}

_ELECTRIC = Spec(
    name="",
    kind="electric",
    strings=6,
    left_handed=False,
    bass_scale_um=648_000,
    treble_scale_um=648_000,
    perpendicular_fret=0,
    frets=22,
    nut_width_um=42_000,
    last_fret_width_um=56_000,
    spread_nut_um=35_000,
    spread_saddle_um=52_500,
    radius_kind="single",
    nut_radius_um=305_000,
    end_radius_um=305_000,
    board_thickness_um=6_000,
    bound=False,
    nibs=False,
    crown_width_um=2_600,
    fret_height_um=1_200,
    tang_depth_um=1_600,
    barb_width_um=800,
    rod="dual",
    rod_end="headstock",
    joint="bolt_on",
    joint_fret=16,
    bridge="individual",
    string_set="10–46 nickel-plated steel",
    tuning="E2 A2 D3 G3 B3 E4",
    hand="medium",
)

_ACOUSTIC = replace(
    _ELECTRIC,
    kind="acoustic",
    bass_scale_um=645_000,
    treble_scale_um=645_000,
    frets=20,
    nut_width_um=43_500,
    last_fret_width_um=57_000,
    spread_nut_um=37_000,
    spread_saddle_um=54_500,
    nut_radius_um=406_000,
    end_radius_um=406_000,
    board_thickness_um=6_400,
    crown_width_um=2_300,
    fret_height_um=1_100,
    rod="single",
    joint="dovetail",
    joint_fret=14,
    bridge="one_piece",
    string_set="12–53 phosphor bronze",
)

_LONG_BASS = replace(
    _ELECTRIC,
    kind="long_bass",
    strings=4,
    bass_scale_um=864_000,
    treble_scale_um=864_000,
    frets=20,
    nut_width_um=41_000,
    last_fret_width_um=62_000,
    spread_nut_um=32_500,
    spread_saddle_um=57_000,
    nut_radius_um=254_000,
    end_radius_um=254_000,
    crown_width_um=2_800,
    fret_height_um=1_300,
    rod="single",
    rod_end="heel",
    string_set="45–105 nickel-plated steel",
    tuning="E1 A1 D2 G2",
)

STARTING: dict[str, Spec] = {
    "electric": _ELECTRIC,
    "acoustic": _ACOUSTIC,
    "classical": replace(
        _ACOUSTIC,
        kind="classical",
        bass_scale_um=650_000,
        treble_scale_um=650_000,
        frets=19,
        nut_width_um=52_000,
        last_fret_width_um=62_000,
        spread_nut_um=43_000,
        spread_saddle_um=58_000,
        radius_kind="flat",
        nut_radius_um=None,
        end_radius_um=None,
        crown_width_um=2_200,
        fret_height_um=1_050,
        rod="none",
        rod_end="none",
        joint_fret=12,
        joint="set",
        string_set="normal-tension nylon",
    ),
    "twelve_string": replace(
        _ACOUSTIC,
        kind="twelve_string",
        strings=12,
        nut_width_um=47_500,
        last_fret_width_um=60_000,
        spread_nut_um=41_000,
        spread_saddle_um=58_500,
        rod="dual",
        string_set="10–47 twelve-string phosphor bronze",
    ),
    "baritone": replace(
        _ELECTRIC,
        kind="baritone",
        bass_scale_um=686_000,
        treble_scale_um=686_000,
        frets=24,
        last_fret_width_um=57_000,
        nut_radius_um=356_000,
        end_radius_um=356_000,
        string_set="13–62 nickel-plated steel",
        tuning="B1 E2 A2 D3 F#3 B3",
    ),
    "seven_string": replace(
        _ELECTRIC,
        kind="seven_string",
        strings=7,
        bass_scale_um=686_000,
        treble_scale_um=648_000,
        perpendicular_fret=8,
        frets=24,
        nut_width_um=48_000,
        last_fret_width_um=66_500,
        spread_nut_um=41_000,
        spread_saddle_um=63_000,
        radius_kind="compound",
        nut_radius_um=406_000,
        end_radius_um=508_000,
        string_set="10–59 nickel-plated steel",
        tuning="B1 E2 A2 D3 G3 B3 E4",
    ),
    "tenor": replace(
        _ACOUSTIC,
        kind="tenor",
        strings=4,
        bass_scale_um=584_000,
        treble_scale_um=584_000,
        frets=19,
        nut_width_um=32_000,
        last_fret_width_um=42_000,
        spread_nut_um=24_500,
        spread_saddle_um=36_000,
        nut_radius_um=305_000,
        end_radius_um=305_000,
        string_set="10–32 tenor steel",
        tuning="C3 G3 D4 A4",
    ),
    "short_bass": replace(
        _LONG_BASS,
        kind="short_bass",
        bass_scale_um=762_000,
        treble_scale_um=762_000,
        frets=20,
        nut_width_um=41_500,
        last_fret_width_um=59_000,
        spread_saddle_um=54_000,
        string_set="45–100 short-scale flat-wound",
    ),
    "long_bass": _LONG_BASS,
}

LENGTHS: dict[str, tuple[str, int, int]] = {
    # field: (what it is called, least, most) in micrometres
    "bass_scale_um": ("bass scale", 200_000, 1_300_000),
    "treble_scale_um": ("treble scale", 200_000, 1_300_000),
    "nut_width_um": ("nut width", 15_000, 120_000),
    "last_fret_width_um": ("width at the last fret", 15_000, 160_000),
    "spread_nut_um": ("string spread at the nut", 8_000, 120_000),
    "spread_saddle_um": ("string spread at the saddle", 8_000, 160_000),
    "nut_radius_um": ("radius at the nut", 50_000, 2_000_000),
    "end_radius_um": ("radius at the end", 50_000, 2_000_000),
    "board_thickness_um": ("board thickness", 2_000, 15_000),
    "crown_width_um": ("crown width", 800, 4_500),
    "fret_height_um": ("fret height when new", 300, 2_500),
    "tang_depth_um": ("tang depth", 500, 3_500),
    "barb_width_um": ("width over the barbs", 300, 1_800),
}

UNKNOWABLE: dict[str, str] = {
    "crown_width_um": "how wide a line a level leaves on the crowns",
    "fret_height_um": "how much metal is left, until crowns are read",
    "tang_depth_um": "how deep a slot has to be",
    "barb_width_um": "how tight the wire sits, and whether it bends the neck",
    "nut_width_um": "how long the nut and each fret are",
    "last_fret_width_um": "how long each fret is",
    "spread_nut_um": "how the nut is spaced, and the strings' room to the edge",
    "spread_saddle_um": "how the saddle is spaced, and the strings' room to the edge",
    "nut_radius_um": "how high nut slots and saddles stand across the board",
    "end_radius_um": "how high saddles stand across the board",
    "board_thickness_um": "how deep a slot may go",
}
"""Lengths that may stay unknown, and what cannot be said for certain without them."""
WITH_THE_NUT = ("last_fret_width_um", "spread_nut_um", "spread_saddle_um")
"""What is usual of these goes with the width at the nut."""


def usual(kind: str, field: str, nut_width_um: int | None = None) -> int:
    """What is usual for a kind of instrument of a length that is not known, µm; widths and spreads by the nut's."""
    of_kind = STARTING[kind]
    found = getattr(of_kind, field) or 305_000
    return int(found + (nut_width_um - of_kind.nut_width_um if nut_width_um and field in WITH_THE_NUT else 0))


_COUNTS = {"strings": (1, 18), "frets": (1, MOST_FRETS), "joint_fret": (1, MOST_FRETS), "divisions": (5, MOST_FRETS)}


def tuning_problem(tuning: str) -> str:
    """What is no note in a tuning, in words; empty when every one is (and for none at all)."""
    try:
        notes_of(tuning)
    except ValueError as error:
        return f"{str(error)[:1].upper()}{str(error)[1:]}. The lowest string first, as in E2 A2 D3 G3 B3 E4."
    return ""


def problems(spec: Spec, display: Display = MM) -> dict[str, str]:
    """What is impossible about a specification, by field; empty when it can be built."""
    found: dict[str, str] = {}
    if not spec.name.strip() or len(spec.name) > 80:
        found["name"] = "Give it a name of 1 to 80 characters."
    if spec.kind not in KINDS:
        found["kind"] = f"Choose one of: {', '.join(KINDS.values())}."
    found |= choice_problems(spec, CHOICES)
    for field, (least, most) in _COUNTS.items():
        if not least <= getattr(spec, field) <= most:
            found[field] = f"{getattr(spec, field)} is out of range; accepted: {least} to {most}."
    found |= length_problems(spec, LENGTHS, display, optional=("nut_radius_um", "end_radius_um"))
    for field in ("string_set", "tuning"):
        if len(getattr(spec, field)) > 200:
            found[field] = "At most 200 characters."
    if "tuning" not in found and (why := tuning_problem(spec.tuning)):
        found["tuning"] = why
    if strange := [field for field in spec.unknown if field not in UNKNOWABLE]:
        found["unknown"] = f"{strange[0]} cannot stay unknown; accepted: {', '.join(UNKNOWABLE)}."
    if len(spec.note) > 4000:
        found["note"] = "At most 4000 characters."
    found |= text_problems(spec, ("name", "string_set", "tuning"), ("note",))
    return found or _contradictions(spec, display)


def _contradictions(spec: Spec, display: Display) -> dict[str, str]:
    """Fields that are each in range but cannot stand together."""
    found: dict[str, str] = {}

    def refuse(when: bool, field: str, why: str) -> None:
        if when and field not in found:
            found[field] = why

    refuse(
        spec.spread_nut_um >= spec.nut_width_um,
        "spread_nut_um",
        "The outer strings would lie off the board at the nut: the spread must be less than the nut width.",
    )
    refuse(
        spec.spread_saddle_um < spec.spread_nut_um,
        "spread_saddle_um",
        "The strings spread toward the saddle: it cannot be less than at the nut.",
    )
    refuse(
        spec.last_fret_width_um < spec.nut_width_um,
        "last_fret_width_um",
        "The board widens toward the body: it cannot be narrower than the nut.",
    )
    spread_last = spec.spread_nut_um + (spec.spread_saddle_um - spec.spread_nut_um) * spec.share(spec.frets)
    refuse(
        spread_last >= spec.last_fret_width_um,
        "last_fret_width_um",
        f"The outer strings are {display.long(round(spread_last, -2))} apart at the last fret: the board must be wider"
        " than that.",
    )
    if spec.radius_kind == "flat":
        refuse(
            spec.nut_radius_um is not None or spec.end_radius_um is not None,
            "radius_kind",
            "A flat board has no radius: leave both radius boxes empty.",
        )
    else:
        for field in ("nut_radius_um", "end_radius_um"):
            radius = getattr(spec, field)
            refuse(radius is None, field, "Give a radius, or choose a flat board.")
            refuse(
                radius is not None and 2 * radius < spec.last_fret_width_um,
                field,
                "A radius smaller than half the board's width cannot be.",
            )
        if spec.radius_kind == "single":
            refuse(
                spec.nut_radius_um != spec.end_radius_um,
                "end_radius_um",
                "A single radius is the same at both ends; choose compound for two.",
            )
    if spec.fanned:
        refuse(
            spec.bass_scale_um < spec.treble_scale_um,
            "bass_scale_um",
            "On a fanned board the bass scale is the longer one.",
        )
        refuse(
            spec.bass_scale_um > 1.25 * spec.treble_scale_um,
            "bass_scale_um",
            "The two scales differ by more than a quarter.",
        )
    refuse(
        not 0 <= spec.perpendicular_fret <= spec.frets,
        "perpendicular_fret",
        f"The perpendicular fret lies on the board; accepted: 0 (nut) to {spec.frets}.",
    )
    refuse(
        not spec.fanned and spec.perpendicular_fret != 0,
        "perpendicular_fret",
        "On a straight board every fret is perpendicular: leave 0.",
    )
    refuse(
        spec.joint_fret > spec.frets,
        "joint_fret",
        f"The neck joins at a fret on the board; accepted: 1 to {spec.frets}.",
    )
    refuse(
        spec.tang_depth_um >= spec.board_thickness_um,
        "tang_depth_um",
        "The tang would come out through the back of the board.",
    )
    refuse(
        spec.fret_height_um / 1000 > tallest(spec.crown_width_um / 1000),
        "fret_height_um",
        "A crown that tall is narrower than a half circle: check width and height.",
    )
    refuse(spec.rod == "none" and spec.rod_end != "none", "rod_end", "There is no rod to reach.")
    refuse(spec.rod != "none" and spec.rod_end == "none", "rod_end", "Say at which end the rod is reached.")
    refuse(spec.nibs and not spec.bound, "nibs", "Nibs are part of a binding: this board is not bound.")
    if not found:
        shorter = min(spec.bass_scale_um, spec.treble_scale_um)
        last, before = shorter * spec.share(spec.frets), shorter * spec.share(spec.frets - 1)
        refuse(
            spec.crown_width_um >= last - before,
            "crown_width_um",
            "The wire is wider than the gap between the last two frets.",
        )
    if not found and spec.fanned:
        lines = spec.lines()
        crossed = any(
            after.bass_edge[0] <= before.bass_edge[0] or after.treble_edge[0] <= before.treble_edge[0]
            for before, after in pairwise(lines)
        )
        refuse(crossed, "perpendicular_fret", "Fret lines would cross on the board.")
    return found


def spread_for_margin(spread_nut_um: int, last_fret_width_um: int, margin_um: int, share: float) -> int:
    """The spread at the saddle, µm, with which the outer strings lie a margin inside the board's edge at the last fret:
    they are straight from the nut, and the last fret lies at its `share` of the scale.
    """
    spread_last = last_fret_width_um - 2 * margin_um
    return round(spread_nut_um + (spread_last - spread_nut_um) / share)


def to_fields(spec: Spec) -> dict[str, Any]:
    """Every field of a Spec by name, in order."""
    return asdict(spec)


def changes(before: Spec, after: Spec) -> Iterable[str]:
    """Names of the fields in which two specifications differ."""
    one, other = to_fields(before), to_fields(after)
    return [field for field in one if one[field] != other[field]]
