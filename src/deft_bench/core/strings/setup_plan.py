"""What a setup is worked out with: strings, hand, bridge, nut and pickup of one instrument, and what cannot be."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from deft_bench.core.described import (
    Described,
    ListField,
    NumberField,
    choice,
    count,
    field_of,
    field_problems,
    length,
)
from deft_bench.core.instrument import Spec
from deft_bench.core.strings.compensation import compensation
from deft_bench.core.strings.customary import CUSTOMS, LEAST_BASS_MM, customary_pluck, string_kind
from deft_bench.core.strings.notes import A4_HZ, note_hz
from deft_bench.core.strings.nut_depth import gap_target
from deft_bench.core.strings.reachable import STRINGS_A_SADDLE
from deft_bench.core.strings.setup_solve import BridgeShape
from deft_bench.core.strings.string_set import (
    CONSTRUCTIONS,
    SETS,
    STEEL,
    WRAPS,
    StringMake,
    made_of,
    notes_of,
    set_problem,
    tensions,
    twelve,
)
from deft_bench.core.strings.stroke import Stroke
from deft_bench.core.units import MM, Display

USUAL_PULL_N = 75.0
USUAL_ACTION_MM = 1.8
USUAL_TOP = "E4"


NUT_SCHOOLS: dict[str, str] = {
    "equal_gaps": "equal gaps between strings",
    "equal_centres": "equal centres",
}
BASES: dict[str, str] = {"flat": "flat", "curved": "curved"}
RADII = ("bridge_radius_um", "board_radius_saddle_um")
MOST_STRINGS = 18
_SOME = {"type": ["number", "null"], "minimum": 0, "maximum": 5_000_000}
_STRING: dict[str, dict[str, Any]] = {
    "note": {"type": "string", "maxLength": 8},
    "gauge_um": {"type": "integer", "minimum": 1, "maximum": 10_000},
    "construction": {"type": "string", "enum": list(CONSTRUCTIONS)},
    "wrap": {"type": "string", "enum": list(WRAPS)},
    "core_um": {"type": ["integer", "null"], "minimum": 1, "maximum": 10_000},
    "unit_weight_kg_per_m": _SOME,
    "hz": _SOME,
}


@dataclass(frozen=True, slots=True)
class StringsField(Described):
    """The strings, treble first; their gauges are stored in whole micrometres."""

    def to_json(self, value: Any) -> Any:
        """A list of objects."""
        return [
            {
                "note": string.note,
                "gauge_um": round(string.gauge_mm * 1000),
                "construction": string.construction,
                "wrap": string.wrap,
                "core_um": None if string.core_mm is None else round(string.core_mm * 1000),
                "unit_weight_kg_per_m": string.unit_weight,
                "hz": string.hz,
            }
            for string in value
        ]

    def from_json(self, stored: Any) -> Any:
        """The strings again."""
        return tuple(
            StringMake(
                string["note"],
                string["gauge_um"] / 1000,
                string["construction"],
                string["wrap"],
                None if string["core_um"] is None else string["core_um"] / 1000,
                string["unit_weight_kg_per_m"],
                string["hz"],
            )
            for string in stored
        )

    def schema(self) -> dict[str, Any]:
        """An array of strings."""
        string = {
            "type": "object",
            "properties": _STRING,
            "required": list(_STRING),
            "additionalProperties": False,
        }
        return {"type": "array", "minItems": 1, "maxItems": MOST_STRINGS, "items": string}


@dataclass(frozen=True, slots=True)
class SetupPlan:
    """Lengths whole µm; `pluck_n` a force each string (empty: by the hand of the specification), string 1 first.

    `bridge_radius_um` and `board_radius_saddle_um` are None when flat. Travel is what saddles have left from where they
    stood when it was read.
    """

    strings: tuple[StringMake, ...] = field_of(StringsField("strings"))
    a4_hz: float = field_of(
        NumberField("pitch of A4", label="A4", unit="Hz", least=380, most=500, stored_least=300, stored_most=600), A4_HZ
    )
    pluck_n: tuple[float, ...] = field_of(
        ListField("plucking forces", item={"type": "number", "minimum": 0, "maximum": 100}, most=MOST_STRINGS), ()
    )
    pluck_from_saddle_um: int = length("plucking place", 10_000, 500_000, 130_000, label="Plucked from the saddle")
    margin_um: int = length("room to keep", 0, 1_000, 20)
    relief_low_um: int = length("least relief", -500, 2_000, 50)
    relief_high_um: int = length("most relief", -500, 2_000, 300)
    bearing_fret: int = count("fret that the string bears on", 2, 4, 2, stored_least=2, stored_most=4)
    gap_low_um: tuple[int, ...] = field_of(
        ListField(
            "least first-fret gaps", item={"type": "integer", "minimum": 0, "maximum": 10_000}, most=MOST_STRINGS
        ),
        (),
    )
    gap_high_um: tuple[int, ...] = field_of(
        ListField("most first-fret gaps", item={"type": "integer", "minimum": 0, "maximum": 10_000}, most=MOST_STRINGS),
        (),
    )
    bridge_radius_um: int | None = length("bridge’s radius", 60_000, 5_000_000, None, help="empty: flat", optional=True)
    board_radius_saddle_um: int | None = length(
        "board’s radius at the saddle",
        60_000,
        5_000_000,
        None,
        label="Board’s radius there",
        help="empty: flat",
        optional=True,
    )
    post_spacing_um: int = length("spacing of the posts", 10_000, 200_000, 74_000, label="Posts apart")
    travel_up_um: int = length("saddle travel left upward", 0, 20_000, 3_000, label="Travel left up")
    travel_down_um: int = length("saddle travel left downward", 0, 20_000, 2_000, label="Travel left down")
    height_thread_um: int = length("pitch of the height screws", 100, 3_000, 500, label="Height screw, a turn")
    intonation_thread_um: int = length(
        "pitch of the intonation screws", 100, 3_000, 600, label="Intonation screw, a turn"
    )
    compensation_um: int = length("mean compensation", -5_000, 20_000, 2_500)
    saddle_overhang_um: int = length("saddle past the outer strings", 0, 30_000, 6_000, label="Past outer strings")
    pocket_um: int = length("length of the neck pocket", 20_000, 200_000, 75_000, label="Pocket’s length")
    mouth_to_saddle_um: int = length("pocket’s mouth to the saddle", 50_000, 500_000, 250_000, label="Mouth to saddle")
    edge_bass_um: int = length("bass edge to the string", 0, 20_000, 3_000, label="Bass edge to string")
    edge_treble_um: int = length("treble edge to the string", 0, 20_000, 3_000, label="Treble edge to string")
    nut_school: str = choice("spacing", NUT_SCHOOLS, "equal_gaps")
    nut_thickness_um: int = length("nut’s thickness", 1_000, 15_000, 4_800, label="Seat’s thickness")
    nut_height_um: int = length("nut’s finished height", 1_000, 25_000, 8_500, label="Finished height")
    seat_base: str = choice("seat’s base", BASES, "flat")
    blank_length_um: int = length("blank’s length", 10_000, 200_000, 44_000)
    blank_thickness_um: int = length("blank’s thickness", 1_000, 30_000, 5_000)
    blank_height_um: int = length("blank’s height", 1_000, 40_000, 10_000)
    blank_base: str = choice("blank’s base", BASES, "flat")
    pickup_gap_um: int = length("gap from pickup to string", 0, 20_000, 3_000, label="Pickup gap now")
    pickup_target_um: int = length("wanted gap from pickup to string", 0, 20_000, 2_400, label="Pickup gap wanted")
    pickup_up_um: int = length("pickup travel left upward", 0, 30_000, 2_500, label="Pickup travel up")
    pickup_down_um: int = length("pickup travel left downward", 0, 30_000, 2_500, label="Pickup travel down")
    pickup_from_saddle_um: int = length(
        "pickup’s place from the saddle", 5_000, 400_000, 60_000, label="Pickup from saddle"
    )


def scales(spec: Spec) -> list[float]:
    """Each string's scale, mm, string 1 (treble) first: between the two scales by number."""
    count = spec.strings
    treble, bass = spec.treble_scale_um / 1000, spec.bass_scale_um / 1000
    return [treble + (bass - treble) * (i / (count - 1) if count > 1 else 0.5) for i in range(count)]


def strings_of(spec: Spec) -> tuple[StringMake, ...]:
    """The strings of a specification's set at its tuning; where they do not go together, strings of a usual pull at its
    notes.

    A tuning that cannot be read is taken as even steps over two octaves down from E4.
    """
    try:
        notes = notes_of(spec.tuning)
    except ValueError:
        notes = []
    if spec.strings == 12 and len(notes) == 6:
        notes = twelve(notes)
    if len(notes) != spec.strings:
        notes = [""] * spec.strings
    data = SETS.get(spec.string_set)
    if data is not None and len(data.thou) == spec.strings and all(notes):
        return tuple(made_of(data, notes))
    return tuple(
        (
            usual_string(note, scale)
            if note
            else replace(
                usual_string(USUAL_TOP, scale, 2 * i / max(1, spec.strings - 1)),
                note="",
                hz=note_hz(USUAL_TOP) * 2 ** (-2 * i / max(1, spec.strings - 1)),
            )
        )
        for i, (note, scale) in enumerate(zip(notes, scales(spec), strict=True))
    )


def usual_string(note: str, scale_mm: float, octaves_down: float = 0.0) -> StringMake:
    """A steel string of a usual pull at a note, or some octaves under it: plain up to half a millimetre, wound
    above.
    """
    hz = note_hz(note) * 2**-octaves_down
    mass = USUAL_PULL_N / (2 * scale_mm / 1000 * hz) ** 2
    plain = math.sqrt(4 * mass / (STEEL * math.pi)) * 1000
    if plain <= 0.5:
        return StringMake(note, round(plain, 3))
    # a round-wound string weighs about 0.82 of a solid one as thick
    return StringMake(note, round(plain / math.sqrt(0.82), 3), "round_wound")


def starting_setup(spec: Spec) -> SetupPlan:
    """A setup to begin with: the specification's strings, usual gaps at the nut, the board's own radius carried to
    the saddle.
    """
    strings = strings_of(spec)
    gaps = [gap_target(one.gauge_mm, one.construction, scale) for one, scale in zip(strings, scales(spec), strict=True)]
    radius = _saddle_radius_um(spec)
    bass = spec.bass_scale_um >= LEAST_BASS_MM * 1000
    moved = [
        compensation(one, scale, USUAL_ACTION_MM).saddle_back_mm
        for one, scale in zip(strings, scales(spec), strict=True)
        if one.note
    ]
    edge = max(
        0,
        round((spec.nut_width_um - spec.spread_nut_um) / 2 - 1000 * max(strings[0].gauge_mm, strings[-1].gauge_mm) / 2),
    )
    return SetupPlan(
        strings=strings,
        gap_low_um=tuple(round(1000 * low) for low, _ in gaps),
        gap_high_um=tuple(round(1000 * high) for _, high in gaps),
        bridge_radius_um=radius,
        board_radius_saddle_um=radius,
        relief_high_um=400 if bass else 300,
        pluck_from_saddle_um=round(1000 * CUSTOMS[string_kind(spec, strings)].from_saddle_mm),
        compensation_um=round(1000 * sum(moved) / len(moved)) if moved else 2_500,
        edge_bass_um=edge,
        edge_treble_um=edge,
        blank_length_um=spec.nut_width_um + 2_000,
    )


def _saddle_radius_um(spec: Spec) -> int | None:
    """The board's radius carried to the saddle; None when flat, or when it would not reach the outer strings there."""
    try:
        radius = spec.radius_at(spec.mean_scale_mm)
        found = None if radius is None else round(radius * 1000)
    except ValueError:
        found = spec.end_radius_um
    return None if found is None or 2 * found <= spec.spread_saddle_um else found


def sound(plan: SetupPlan, spec: Spec) -> SetupPlan:
    """A saved plan made to fit the specification as it is now: another number of strings starts from the usual
    values, a radius that no longer reaches too.
    """
    started = starting_setup(spec)
    for field in RADII:
        radius = getattr(plan, field)
        if radius is not None and 2 * radius <= spec.spread_saddle_um:
            plan = replace(plan, **{field: getattr(started, field)})
    if len(plan.strings) != spec.strings:
        return replace(
            plan, strings=started.strings, pluck_n=(), gap_low_um=started.gap_low_um, gap_high_um=started.gap_high_um
        )
    return plan


def plan_problems(plan: SetupPlan, display: Display = MM, spec: Spec | None = None) -> dict[str, str]:
    """What is impossible about a setup's numbers, by field, on an instrument where one is given; strings by
    `note_1`, `gauge_1` …
    """
    problems = field_problems(plan, display)
    for i, one in enumerate(plan.strings, start=1):
        problems |= {f"{field}_{i}": why for field, why in _string_problems(one).items()}
    if plan.relief_low_um > plan.relief_high_um and "relief_low_um" not in problems:
        problems["relief_low_um"] = "The least relief is more than the most."
    for i, (low, high) in enumerate(zip(plan.gap_low_um, plan.gap_high_um, strict=True), start=1):
        if not 0 <= low < high <= 1_000:
            problems[f"gap_{i}"] = (
                f"A first-fret gap is wanted between two lengths from 0 to {display.fine(1_000)}, the lower first."
            )
    for field in RADII if spec else ():
        radius = getattr(plan, field)
        if spec and radius is not None and 2 * radius <= spec.spread_saddle_um and field not in problems:
            problems[field] = (
                "A radius under half the strings’ spread at the saddle cannot be: more than"
                f" {display.long(spec.spread_saddle_um // 2)}, or empty for flat."
            )
    if plan.mouth_to_saddle_um <= plan.pocket_um and "pocket_um" not in problems:
        problems["mouth_to_saddle_um"] = "The saddle lies further from the pocket’s mouth than the pocket is long."
    return problems


def _string_problems(one: StringMake) -> dict[str, str]:
    """What is impossible about one string, by field."""
    problems = {}
    try:
        one.pitch_hz()
    except ValueError as error:
        problems["note"] = f"{str(error)[:1].upper()}{str(error)[1:]}."
    if one.construction not in CONSTRUCTIONS or one.wrap not in WRAPS:
        return problems | {"construction": f"Choose one of: {', '.join(CONSTRUCTIONS.values())}."}
    problem = set_problem(one)
    if problem:
        field, why = problem
        problems[field] = f"{why[:1].upper()}{why[1:]}."
    return problems


def pulls(plan: SetupPlan, spec: Spec) -> list[float]:
    """Tension of each string, N; a string without a note is taken at the usual pull."""
    return [
        tensions([one], [scale], plan.a4_hz)[0] if one.note or one.hz else USUAL_PULL_N
        for one, scale in zip(plan.strings, scales(spec), strict=True)
    ]


def stroke_of(plan: SetupPlan) -> Stroke:
    """Where and how the strings are plucked."""
    return Stroke(plan.pluck_from_saddle_um / 1000)


def plucks(plan: SetupPlan, spec: Spec) -> list[float]:
    """Plucking force of each string, N: as heard or typed, else by the kind of strings and the specification's hand."""
    if len(plan.pluck_n) == len(plan.strings):
        return list(plan.pluck_n)
    kind, count = string_kind(spec, plan.strings), len(plan.strings)
    return [round(customary_pluck(kind, number, count, spec.hand), 3) for number in range(1, count + 1)]


def saddle_starts(plan: SetupPlan, spec: Spec, action_mm: Mapping[int, float] | None = None) -> list[float | None]:
    """How far behind its scale each saddle starts, mm, by its action over fret 12 where it is read; None without a
    pitch.
    """
    read = action_mm or {}
    return [
        (
            compensation(one, scale, read.get(number, USUAL_ACTION_MM), a4_hz=plan.a4_hz).saddle_back_mm
            if one.note or one.hz
            else None
        )
        for number, (one, scale) in enumerate(zip(plan.strings, scales(spec), strict=True), start=1)
    ]


def gap_range(plan: SetupPlan, number: int) -> tuple[float, float]:
    """The first-fret gap that is wanted of a string (1 is treble), least and most, mm."""
    return plan.gap_low_um[number - 1] / 1000, plan.gap_high_um[number - 1] / 1000


def bridge_shape(plan: SetupPlan, spec: Spec) -> BridgeShape | None:
    """The shape of a bridge whose strings move together; None with saddles of one, two or three strings, which have
    a screw at either end. A tail-mounted bridge rides on its two ends.
    """
    if bridge_kind(spec) == "individual":
        return None
    posts = plan.post_spacing_um / 1000 if spec.bridge == "two_post" else None
    return BridgeShape(
        spec.spread_saddle_um / 1000,
        None if plan.board_radius_saddle_um is None else plan.board_radius_saddle_um / 1000,
        None if plan.bridge_radius_um is None else plan.bridge_radius_um / 1000,
        posts,
    )


def bridge_kind(spec: Spec) -> Any:
    """How the solver treats the instrument's bridge."""
    if spec.bridge in STRINGS_A_SADDLE:
        return "individual"
    return "two_post" if spec.bridge in ("two_post", "tail_mounted") else "one_piece"


def string_names(plan: SetupPlan) -> dict[int, str]:
    """`1 E`, `6 E`: how a string is named on every screen."""
    return {i: f"{i} {one.note.rstrip('0123456789-')}".strip() for i, one in enumerate(plan.strings, start=1)}
