"""How a board is to be made, beyond the instrument's specification: slots, blank, strings, inlays, pins, headstock,
machine.
"""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields, replace
from itertools import pairwise
from typing import Any

from deft_bench.core.board.layout import Layout, Spacing, board_layout
from deft_bench.core.board.section import School
from deft_bench.core.field_checks import choice_problems, length_problems
from deft_bench.core.instrument import Spec
from deft_bench.core.units import MM, Display

MARKED_FRETS = (3, 5, 7, 9, 12, 15, 17, 19, 21, 24)
TWO_STAGE_BELOW_UM = 300_000
"""Radii under it are slotted in two stages: a full cut from the flat leaves too much hollow (docs/methods/slot.md)."""


@dataclass(frozen=True, slots=True)
class BoardPlan:
    """Lengths are whole micrometres. `gauges_um` and `posts_um` list string 1, the treble one, first.

    `posts_um` is (behind the nut, off the centreline with treble positive) of each tuner post; empty when not given.
    `inlay_share` is a block's share of the space between its frets, in percent; `set_fraction` 0 means a readout in
    hundredths.
    """

    kerf_um: int = 600
    tang_width_um: int = 500
    under_tang_gap_um: int = 300
    school: School = "flat_before_radius"
    guide_um: int = 800
    blank_thickness_um: int = 8_000
    per_pass_um: int = 500
    oversize_um: int = 1_000
    end_overhang_um: int = 8_000
    binding_um: int = 1_500
    spacing: Spacing = "equal_gaps"
    gauges_um: tuple[int, ...] = ()
    inlay_style: str = "dots"
    inlay_frets: tuple[int, ...] = MARKED_FRETS
    inlay_size_um: int = 6_000
    inlay_share: int = 55
    inlay_side_um: int = 6_000
    inlay_depth_um: int = 1_500
    marker_um: int = 2_000
    pin_frets: tuple[int, ...] = (1, 17)
    pin_um: int = 1_500
    pin_inset_um: int = 8_000
    neck_blank_um: int = 22_000
    rod_channel_um: int = 10_000
    neck_target_1_um: int = 21_000
    neck_target_12_um: int = 23_000
    posts_um: tuple[tuple[int, int], ...] = ()
    post_um: int = 6_000
    datum: str = "nut"
    drawing_centre_um: int = 0
    set_fraction: int = 0
    bit_um: int = 580
    pass_um: int = 400
    feed_mm_min: int = 300
    plunge_mm_min: int = 80
    spindle_rpm: int = 18_000
    safe_um: int = 6_000
    bit_reach_um: int = 6_000
    machine_units: str = "mm"
    machine_follow: str = "radius"
    paper: str = "a4"


CHOICES: dict[str, dict[str, str]] = {
    "school": {
        "flat_before_radius": "full, from the flat",
        "two_stage": "guide, then deepen",
        "follow_radius": "along the curve",
    },
    "spacing": {"equal_gaps": "equal gaps", "equal_centres": "equal centres"},
    "inlay_style": {"dots": "dots", "blocks": "blocks", "none": "none"},
    "datum": {"nut": "nut line", "fret_12": "12th fret", "square_fret": "square fret"},
    "machine_units": {"mm": "millimetres (G21)", "in": "inches (G20)"},
    "machine_follow": {"radius": "along the radius", "flat": "level, from the flat"},
    "paper": {"a4": "A4", "letter": "Letter"},
}

LENGTHS: dict[str, tuple[str, int, int]] = {
    # field: (what it is called, least, most) in micrometres
    "kerf_um": ("slot width", 200, 1_500),
    "tang_width_um": ("tang width", 200, 1_500),
    "under_tang_gap_um": ("gap under the tang", 0, 2_000),
    "guide_um": ("guide left at the edge", 100, 3_000),
    "blank_thickness_um": ("blank thickness", 2_000, 25_000),
    "per_pass_um": ("depth of a pass", 20, 5_000),
    "oversize_um": ("oversize each side", 0, 15_000),
    "end_overhang_um": ("board past the last fret", 0, 60_000),
    "binding_um": ("binding thickness", 300, 5_000),
    "inlay_size_um": ("dot diameter", 1_000, 15_000),
    "inlay_side_um": ("block to board edge", 500, 25_000),
    "inlay_depth_um": ("inlay depth", 300, 6_000),
    "marker_um": ("side marker diameter", 0, 4_000),
    "pin_um": ("index pin diameter", 500, 4_000),
    "pin_inset_um": ("pin to board edge", 1_000, 40_000),
    "neck_blank_um": ("neck blank at the rod", 8_000, 60_000),
    "rod_channel_um": ("rod channel depth", 0, 20_000),
    "neck_target_1_um": ("neck thickness at fret 1", 12_000, 40_000),
    "neck_target_12_um": ("neck thickness at fret 12", 12_000, 45_000),
    "post_um": ("tuner post diameter", 2_000, 20_000),
    "drawing_centre_um": ("drawing centre from the nut", -1_000_000, 2_000_000),
    "bit_um": ("end mill diameter", 100, 3_000),
    "pass_um": ("depth of a machine pass", 20, 3_000),
    "safe_um": ("safe height", 1_000, 50_000),
    "bit_reach_um": ("mill below the holder", 1_000, 40_000),
}

COUNTS: dict[str, tuple[str, int, int]] = {
    "inlay_share": ("block length", 10, 90),
    "set_fraction": ("fraction that can be set", 0, 1024),
    "feed_mm_min": ("feed", 10, 5_000),
    "plunge_mm_min": ("plunge", 5, 2_000),
    "spindle_rpm": ("spindle speed", 1_000, 60_000),
}

_GAUGES_UM = {
    # outer string gauges by kind: usual sets, treble and bass
    "electric": (254, 1_168),
    "acoustic": (305, 1_346),
    "classical": (711, 1_118),
    "twelve_string": (254, 1_194),
    "baritone": (330, 1_575),
    "seven_string": (254, 1_499),
    "tenor": (254, 813),
    "short_bass": (1_143, 2_540),
    "long_bass": (1_143, 2_667),
}


def usual_gauges(kind: str, strings: int) -> tuple[int, ...]:
    """Gauges from the treble to the bass string in µm, graded in equal ratios between the usual outer ones."""
    treble, bass = _GAUGES_UM.get(kind, _GAUGES_UM["electric"])
    steps = max(1, strings - 1)
    return tuple(round(treble * (bass / treble) ** (i / steps)) for i in range(strings))


def starting_plan(spec: Spec) -> BoardPlan:
    """What a board of this specification starts with."""
    radius = spec.nut_radius_um
    gauges = usual_gauges(spec.kind, spec.strings)
    roomy = sum(gauges) - (gauges[0] + gauges[-1]) / 2 < spec.spread_nut_um
    return BoardPlan(
        spacing="equal_gaps" if roomy else "equal_centres",
        machine_follow="flat",
        school="two_stage" if radius is not None and radius < TWO_STAGE_BELOW_UM else "flat_before_radius",
        blank_thickness_um=spec.board_thickness_um + 2_000,
        gauges_um=gauges,
        inlay_style="none" if spec.kind == "classical" else "dots",
        inlay_frets=tuple(fret for fret in MARKED_FRETS if fret <= spec.frets),
        pin_frets=tuple(sorted({1, max(1, spec.frets - 5)})),
        datum="square_fret" if spec.fanned else "nut",
        neck_target_1_um=21_000 if "bass" not in spec.kind else 22_000,
    )


def fitted(plan: BoardPlan, spec: Spec) -> BoardPlan:
    """The plan with its lists made to fit a specification whose strings or frets have changed."""
    gauges = plan.gauges_um if len(plan.gauges_um) == spec.strings else usual_gauges(spec.kind, spec.strings)
    return replace(
        plan,
        gauges_um=gauges,
        posts_um=plan.posts_um if len(plan.posts_um) in (0, spec.strings) else (),
        inlay_frets=tuple(fret for fret in plan.inlay_frets if fret <= spec.frets),
        pin_frets=tuple(fret for fret in plan.pin_frets if fret <= spec.frets),
    )


def sound(plan: BoardPlan, spec: Spec) -> BoardPlan:
    """A stored plan as it can be drawn under a specification edited since: what no longer fits starts from the usual
    values, the rest stays.
    """
    plan = fitted(plan, spec)
    problems = plan_problems(plan, spec)
    if not problems:
        return plan
    starting = starting_plan(spec)
    plan = replace(plan, **{field: getattr(starting, field) for field in problems})
    if "gauges_um" in plan_problems(plan, spec):
        # usual gauges that would touch with equal gaps still have their centres
        plan = replace(plan, spacing="equal_centres")
    return starting if plan_problems(plan, spec) else plan


def plan_problems(plan: BoardPlan, spec: Spec, display: Display = MM) -> dict[str, str]:
    """What is impossible about a plan, by field; empty when the board can be drawn. The specification must be sound."""
    found = choice_problems(plan, CHOICES) | length_problems(plan, LENGTHS, display)
    for field, (what, low, high) in COUNTS.items():
        if not low <= getattr(plan, field) <= high:
            found[field] = f"The {what} is out of range; accepted: {low} to {high}."
    for field in ("inlay_frets", "pin_frets"):
        if any(not 1 <= fret <= spec.frets for fret in getattr(plan, field)):
            found[field] = f"Frets are whole numbers from 1 to {spec.frets}."
    if len(plan.gauges_um) != spec.strings or any(not 100 <= gauge <= 5_000 for gauge in plan.gauges_um):
        found["gauges_um"] = (
            f"Give one gauge a string, {spec.strings} in all, treble first; accepted: {display.fine(100)} to"
            f" {display.fine(5_000)}."
        )
    if plan.posts_um and len(plan.posts_um) != spec.strings:
        found["posts_um"] = f"Give one post a string, {spec.strings} in all, or none."
    return found or _contradictions(plan, spec, display)


def _contradictions(plan: BoardPlan, spec: Spec, display: Display) -> dict[str, str]:
    """Fields that are each in range but cannot stand together on this board."""
    found: dict[str, str] = {}
    lines = spec.lines()
    narrow = min(
        min(
            after.bass_edge[0] - before.bass_edge[0],
            after.treble_edge[0] - before.treble_edge[0],
        )
        for before, after in pairwise(lines)
    )
    if plan.kerf_um / 1000 >= narrow:
        found["kerf_um"] = f"The slot is wider than the space between the closest frets, {display.fine_mm(narrow)}."
    if plan.datum == "fret_12" and spec.frets < 12:
        found["datum"] = "This board has no 12th fret."
    if spec.bound and 2 * plan.binding_um >= spec.nut_width_um:
        found["binding_um"] = "The binding leaves no board between its two sides."
    if plan.inlay_style == "blocks" and 2 * plan.inlay_side_um >= spec.nut_width_um:
        found["inlay_side_um"] = (
            f"Nothing is left of the blocks: accepted is under {display.long(spec.nut_width_um // 2)}."
        )
    if plan.blank_thickness_um < spec.board_thickness_um:
        found["blank_thickness_um"] = (
            f"The blank is thinner than the board, {display.long(spec.board_thickness_um)}: wood does not grow back."
        )
    try:
        layout_of(spec, plan)
    except ValueError as error:
        found["gauges_um" if "touch" in str(error) else "perpendicular_fret"] = (
            f"{str(error)[:1].upper()}{str(error)[1:]}."
        )
    return found


def layout_of(spec: Spec, plan: BoardPlan) -> Layout:
    """The board in plan, mm; raises ValueError when fret lines would cross or the strings touch."""
    gauges = [gauge / 1000 for gauge in plan.gauges_um]
    return board_layout(spec.outline(), spec.strings, plan.end_overhang_um / 1000, gauges, plan.spacing)


def to_fields(plan: BoardPlan) -> dict[str, Any]:
    """Every field of a plan by name, in order; lists for tuples, as JSON holds them."""
    return {name: _listed(value) for name, value in asdict(plan).items()}


def from_fields(found: Mapping[str, Any]) -> BoardPlan:
    """A plan from stored fields; a field that an older version did not have takes its default."""
    known = {field.name for field in fields(BoardPlan)}
    values = {name: value for name, value in found.items() if name in known}
    for name in ("gauges_um", "inlay_frets", "pin_frets"):
        if name in values:
            values[name] = tuple(values[name])
    if "posts_um" in values:
        values["posts_um"] = tuple((x, y) for x, y in values["posts_um"])
    return BoardPlan(**values)


def _listed(value: Any) -> Any:
    return [_listed(item) for item in value] if isinstance(value, tuple) else value
