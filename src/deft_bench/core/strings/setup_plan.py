"""What a setup is worked out with: strings, hand, bridge, nut and pickup of one instrument, and what cannot be."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, fields, replace
from typing import Any

from deft_bench.core.field_checks import choice_problems, length_problems
from deft_bench.core.instrument import Spec
from deft_bench.core.strings.compensation import compensation
from deft_bench.core.strings.notes import A4_HZ, note_hz
from deft_bench.core.strings.nut_depth import gap_target
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
from deft_bench.core.units import MM, Display

HAND_SHARE = {"light": 0.009, "medium": 0.013, "heavy": 0.018}
"""Plucking force as a share of tension: a string is drawn about as far aside whatever it weighs. About 0.7, 1 and
1.4 N at 78 N.
"""
USUAL_PULL_N = 75.0
USUAL_ACTION_MM = 1.8
USUAL_TOP = "E4"


@dataclass(frozen=True, slots=True)
class SetupPlan:
    """Lengths whole µm; `pluck_n` a force each string (empty: by the hand of the specification), string 1 first.

    `bridge_radius_um` and `board_radius_saddle_um` are None when flat. Travel is what saddles have left from where they
    stood when it was read.
    """

    strings: tuple[StringMake, ...]
    a4_hz: float = A4_HZ
    pluck_n: tuple[float, ...] = ()
    pluck_from_saddle_um: int = 130_000
    margin_um: int = 20
    relief_low_um: int = 50
    relief_high_um: int = 300
    bearing_fret: int = 2
    gap_low_um: tuple[int, ...] = ()
    gap_high_um: tuple[int, ...] = ()
    bridge_radius_um: int | None = None
    board_radius_saddle_um: int | None = None
    post_spacing_um: int = 74_000
    travel_up_um: int = 3_000
    travel_down_um: int = 2_000
    height_thread_um: int = 500
    intonation_thread_um: int = 600
    compensation_um: int = 2_500
    saddle_overhang_um: int = 6_000
    pocket_um: int = 75_000
    mouth_to_saddle_um: int = 250_000
    edge_bass_um: int = 3_000
    edge_treble_um: int = 3_000
    nut_school: str = "equal_gaps"
    nut_thickness_um: int = 4_800
    nut_height_um: int = 8_500
    seat_base: str = "flat"
    blank_length_um: int = 44_000
    blank_thickness_um: int = 5_000
    blank_height_um: int = 10_000
    blank_base: str = "flat"
    pickup_gap_um: int = 3_000
    pickup_target_um: int = 2_400
    pickup_up_um: int = 2_500
    pickup_down_um: int = 2_500
    pickup_from_saddle_um: int = 60_000


CHOICES: dict[str, dict[str, str]] = {
    "nut_school": {"equal_gaps": "equal gaps between strings", "equal_centres": "equal centres"},
    "seat_base": {"flat": "flat", "curved": "curved"},
    "blank_base": {"flat": "flat", "curved": "curved"},
}

LENGTHS: dict[str, tuple[str, int, int]] = {
    "pluck_from_saddle_um": ("plucking place", 10_000, 500_000),
    "margin_um": ("room to keep", 0, 1_000),
    "relief_low_um": ("least relief", -500, 2_000),
    "relief_high_um": ("most relief", -500, 2_000),
    "bridge_radius_um": ("bridge’s radius", 60_000, 5_000_000),
    "board_radius_saddle_um": ("board’s radius at the saddle", 60_000, 5_000_000),
    "post_spacing_um": ("spacing of the posts", 10_000, 200_000),
    "travel_up_um": ("saddle travel left upward", 0, 20_000),
    "travel_down_um": ("saddle travel left downward", 0, 20_000),
    "height_thread_um": ("pitch of the height screws", 100, 3_000),
    "intonation_thread_um": ("pitch of the intonation screws", 100, 3_000),
    "compensation_um": ("mean compensation", -5_000, 20_000),
    "saddle_overhang_um": ("saddle past the outer strings", 0, 30_000),
    "pocket_um": ("length of the neck pocket", 20_000, 200_000),
    "mouth_to_saddle_um": ("pocket’s mouth to the saddle", 50_000, 500_000),
    "edge_bass_um": ("bass edge to the string", 0, 20_000),
    "edge_treble_um": ("treble edge to the string", 0, 20_000),
    "nut_thickness_um": ("nut’s thickness", 1_000, 15_000),
    "nut_height_um": ("nut’s finished height", 1_000, 25_000),
    "blank_length_um": ("blank’s length", 10_000, 200_000),
    "blank_thickness_um": ("blank’s thickness", 1_000, 30_000),
    "blank_height_um": ("blank’s height", 1_000, 40_000),
    "pickup_gap_um": ("gap from pickup to string", 0, 20_000),
    "pickup_target_um": ("wanted gap from pickup to string", 0, 20_000),
    "pickup_up_um": ("pickup travel left upward", 0, 30_000),
    "pickup_down_um": ("pickup travel left downward", 0, 30_000),
    "pickup_from_saddle_um": ("pickup’s place from the saddle", 5_000, 400_000),
}
OPTIONAL = ("bridge_radius_um", "board_radius_saddle_um")


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
    bass = spec.bass_scale_um >= 740_000
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
        pluck_from_saddle_um=110_000 if bass else 130_000,
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


def to_fields(plan: SetupPlan) -> dict[str, Any]:
    """A plan as it is stored: strings with whole micrometres."""
    found = asdict(plan)
    found["strings"] = [
        {
            "note": one.note,
            "gauge_um": round(one.gauge_mm * 1000),
            "construction": one.construction,
            "wrap": one.wrap,
            "core_um": None if one.core_mm is None else round(one.core_mm * 1000),
            "unit_weight_kg_per_m": one.unit_weight,
            "hz": one.hz,
        }
        for one in plan.strings
    ]
    return {name: list(value) if isinstance(value, tuple) else value for name, value in found.items()}


def from_fields(stored: Mapping[str, Any]) -> SetupPlan:
    """A stored plan; fields that it does not know yet start as usual."""
    known = {one.name for one in fields(SetupPlan)}
    kept: dict[str, Any] = {
        name: tuple(value) if isinstance(value, list) else value for name, value in stored.items() if name in known
    }
    kept["strings"] = tuple(
        StringMake(
            one["note"],
            one["gauge_um"] / 1000,
            one["construction"],
            one["wrap"],
            None if one["core_um"] is None else one["core_um"] / 1000,
            one["unit_weight_kg_per_m"],
            one["hz"],
        )
        for one in stored["strings"]
    )
    return SetupPlan(**kept)


def sound(plan: SetupPlan, spec: Spec) -> SetupPlan:
    """A saved plan made to fit the specification as it is now: another number of strings starts from the usual
    values, a radius that no longer reaches too.
    """
    started = starting_setup(spec)
    for field in OPTIONAL:
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
    found = choice_problems(plan, CHOICES) | length_problems(plan, LENGTHS, display, optional=OPTIONAL)
    for i, one in enumerate(plan.strings, start=1):
        found |= {f"{field}_{i}": why for field, why in _string_problems(one).items()}
    if not 380 <= plan.a4_hz <= 500:
        found["a4_hz"] = "Accepted: 380 to 500 Hz."
    if plan.relief_low_um > plan.relief_high_um and "relief_low_um" not in found:
        found["relief_low_um"] = "The least relief is more than the most."
    for i, (low, high) in enumerate(zip(plan.gap_low_um, plan.gap_high_um, strict=True), start=1):
        if not 0 <= low < high <= 1_000:
            found[f"gap_{i}"] = (
                f"A first-fret gap is wanted between two lengths from 0 to {display.fine(1_000)}, the lower first."
            )
    for field in OPTIONAL if spec else ():
        radius = getattr(plan, field)
        if spec and radius is not None and 2 * radius <= spec.spread_saddle_um and field not in found:
            found[field] = (
                "A radius under half the strings’ spread at the saddle cannot be: more than"
                f" {display.long(spec.spread_saddle_um // 2)}, or empty for flat."
            )
    if plan.mouth_to_saddle_um <= plan.pocket_um and "pocket_um" not in found:
        found["mouth_to_saddle_um"] = "The saddle lies further from the pocket’s mouth than the pocket is long."
    return found


def _string_problems(one: StringMake) -> dict[str, str]:
    """What is impossible about one string, by field."""
    found = {}
    try:
        one.pitch_hz()
    except ValueError as error:
        found["note"] = f"{str(error)[:1].upper()}{str(error)[1:]}."
    if one.construction not in CONSTRUCTIONS or one.wrap not in WRAPS:
        return found | {"construction": f"Choose one of: {', '.join(CONSTRUCTIONS.values())}."}
    problem = set_problem(one)
    if problem:
        core, weight = "core of" in problem or "no core" in problem, "unit weight" in problem
        found["core" if core else "weight" if weight else "gauge"] = f"{problem[:1].upper()}{problem[1:]}."
    return found


def pulls(plan: SetupPlan, spec: Spec) -> list[float]:
    """Tension of each string, N; a string without a note is taken at the usual pull."""
    return [
        tensions([one], [scale], plan.a4_hz)[0] if one.note or one.hz else USUAL_PULL_N
        for one, scale in zip(plan.strings, scales(spec), strict=True)
    ]


def plucks(plan: SetupPlan, spec: Spec, tension: Sequence[float]) -> list[float]:
    """Plucking force of each string, N: as heard or typed, else by the specification's hand."""
    if len(plan.pluck_n) == len(plan.strings):
        return list(plan.pluck_n)
    return [round(HAND_SHARE[spec.hand] * pull, 3) for pull in tension]


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
    """The shape of a bridge whose strings move together; None with individual saddles. A tail-mounted bridge rides
    on its two ends.
    """
    if spec.bridge == "individual":
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
    return {"individual": "individual", "two_post": "two_post", "tail_mounted": "two_post"}.get(
        spec.bridge, "one_piece"
    )


def string_names(plan: SetupPlan) -> dict[int, str]:
    """`1 E`, `6 E`: how a string is named on every screen."""
    return {i: f"{i} {one.note.rstrip('0123456789-')}".strip() for i, one in enumerate(plan.strings, start=1)}
