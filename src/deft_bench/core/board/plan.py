"""How a board is to be made, beyond the instrument's specification: slots, blank, strings, inlays, pins, headstock,
machine.
"""

from dataclasses import dataclass, replace
from itertools import pairwise

from deft_bench.core.board.layout import Layout, Spacing, board_layout
from deft_bench.core.board.rules import READ, STEPS_MM, Rule
from deft_bench.core.board.section import School
from deft_bench.core.board.transfer import MEASURED_FROM
from deft_bench.core.described import FretsField, ListField, choice, count, field_of, field_problems, length
from deft_bench.core.field_checks import FieldError
from deft_bench.core.instrument import Spec
from deft_bench.core.neck.facets import SHAPES, Shape
from deft_bench.core.units import MM, Display

MARKED_FRETS = (3, 5, 7, 9, 12, 15, 17, 19, 21, 24)
TWO_STAGE_BELOW_UM = 300_000
"""Radii under it are slotted in two stages: a full cut from the flat leaves too much hollow (docs/methods/slot.md)."""


SCHOOLS: dict[School, str] = {
    "flat_before_radius": "full, from the flat",
    "two_stage": "guide, then deepen",
    "follow_radius": "along the curve",
}
SPACINGS: dict[Spacing, str] = {
    "equal_gaps": "equal gaps",
    "equal_centres": "equal centres",
}
SPREAD_BY: dict[str, str] = {
    "saddle": "saddle spread",
    "margin": "edge margin",
}
INLAY_STYLES: dict[str, str] = {
    "dots": "dots",
    "blocks": "blocks",
    "none": "none",
}
DATUMS: dict[str, str] = {
    "nut": "nut line",
    "fret_12": "12th fret",
    "square_fret": "square fret",
}
MACHINE_UNITS: dict[str, str] = {
    "mm": "millimetres (G21)",
    "in": "inches (G20)",
}
PAPERS: dict[str, str] = {
    "a4": "A4",
    "letter": "Letter",
}
RULE_STEPS = {step: step for step in STEPS_MM}
POST = {
    "type": "array",
    "minItems": 2,
    "maxItems": 2,
    "items": {"type": "integer", "minimum": -5_000_000, "maximum": 5_000_000},
}


@dataclass(frozen=True, slots=True)
class BoardPlan:
    """Lengths are whole micrometres. `gauges_um` and `posts_um` list string 1, the treble one, first.

    `posts_um` is (behind the nut, off the centreline with treble positive) of each tuner post; empty when not given.
    `spread_by` says which of the outer strings' figures is held; the other follows from it. `inlay_share` is a block's
    share of the space between its frets, in percent; `set_fraction` 0 means a readout in hundredths.
    """

    kerf_um: int = length("slot width", 200, 1_500, 600)
    tang_width_um: int = length("tang width", 200, 1_500, 500)
    under_tang_gap_um: int = length("gap under the tang", 0, 2_000, 300)
    school: School = choice("slots are cut", SCHOOLS, "flat_before_radius")
    guide_um: int = length("guide left at the edge", 100, 3_000, 800, label="Guide at the edge")
    blank_thickness_um: int = length("blank thickness", 2_000, 25_000, 8_000)
    blank_length_um: int | None = length(
        "blank length", 50_000, 2_000_000, None, optional=True, help="empty: not known"
    )
    blank_width_um: int | None = length("blank width", 10_000, 300_000, None, optional=True, help="empty: not known")
    per_pass_um: int = length("depth of a pass", 20, 5_000, 500, label="Each pass")
    oversize_um: int = length("oversize each side", 0, 15_000, 1_000)
    end_overhang_um: int = length("board past the last fret", 0, 60_000, 8_000, label="Past the last fret")
    binding_um: int = length("binding thickness", 300, 5_000, 1_500, label="Binding")
    spread_by: str = choice("outer strings", SPREAD_BY, "saddle", label="Outer strings by")
    spacing: Spacing = choice("spacing", SPACINGS, "equal_gaps")
    gauges_um: tuple[int, ...] = field_of(
        ListField("gauges", item={"type": "integer", "minimum": 1, "maximum": 10_000}, most=18), ()
    )
    inlay_style: str = choice("inlays", INLAY_STYLES, "dots")
    inlay_frets: tuple[int, ...] = field_of(FretsField("frets with an inlay", label="Before frets"), MARKED_FRETS)
    inlay_size_um: int = length("dot diameter", 1_000, 15_000, 6_000)
    inlay_share: int = count("block length", 10, 90, 55, unit="%")
    inlay_side_um: int = length("block to board edge", 500, 25_000, 6_000, label="Block to edge")
    inlay_depth_um: int = length("inlay depth", 300, 6_000, 1_500)
    marker_um: int = length("side marker diameter", 0, 4_000, 2_000, label="Side marker", help="0: none")
    pin_frets: tuple[int, ...] = field_of(FretsField("frets over a pin", label="Pins under frets"), (1, 17))
    pin_um: int = length("index pin diameter", 500, 4_000, 1_500, label="Pin diameter")
    pin_inset_um: int = length("pin to board edge", 1_000, 40_000, 8_000, label="Pin to edge")
    neck_blank_um: int = length("neck blank at the rod", 8_000, 60_000, 22_000, label="Blank under the board")
    rod_channel_um: int = length("rod channel depth", 0, 20_000, 10_000, label="Rod channel")
    neck_target_1_um: int = length("neck thickness at fret 1", 12_000, 40_000, 21_000, label="Wanted at fret 1")
    neck_target_12_um: int = length("neck thickness at fret 12", 12_000, 45_000, 23_000, label="Wanted at fret 12")
    neck_shape: Shape = choice("section of the neck", SHAPES, "c", label="Back of the neck")
    facet_rounds: int = count("rounds of facets", 1, 3, 2, label="Rounds of facets")
    posts_um: tuple[tuple[int, int], ...] = field_of(ListField("tuner posts", item=POST, most=18), ())
    post_um: int = length("tuner post diameter", 2_000, 20_000, 6_000, label="Post diameter")
    datum: str = choice("datum", DATUMS, "nut")
    drawing_centre_um: int = length("drawing centre", -1_000_000, 2_000_000, 0)
    drawing_from: str = choice("measured from", MEASURED_FROM, "nut", label="Measured from")
    set_fraction: int = count(
        "fraction that can be set", 0, 1_024, 0, label="Set to 1/… in", help="0: a readout in hundredths"
    )
    bit_um: int = length("end mill diameter", 100, 3_000, 580, label="End mill")
    pass_um: int = length("depth of a machine pass", 20, 3_000, 400, label="Each pass")
    feed_mm_min: int = count("feed", 10, 5_000, 300, unit="mm/min")
    plunge_mm_min: int = count("plunge", 5, 2_000, 80, unit="mm/min")
    spindle_rpm: int = count("spindle speed", 1_000, 60_000, 18_000, label="Spindle", unit="rpm")
    safe_um: int = length("safe height", 1_000, 50_000, 6_000)
    bit_reach_um: int = length("mill below the holder", 1_000, 40_000, 6_000)
    machine_units: str = choice("program in", MACHINE_UNITS, "mm")
    paper: str = choice("pages", PAPERS, "a4")
    rule_step: str = choice("rule", {"": "the shop’s"} | RULE_STEPS, "", label="Step")
    rule_fine: str = choice("finer part of the rule", {"": "no"} | RULE_STEPS, "", label="Finer near its end")
    rule_fine_to_um: int = length("finer part’s length", 1, 1_999_000, 150_000, label="Up to")
    rule_read: str = choice("reading of the rule", READ, "1", label="You read it")

    def rule(self, shops: Rule) -> Rule:
        """The rule that this board is marked with: its own, or the shop's where none was chosen."""
        if not self.rule_step:
            return shops
        return Rule(self.rule_step, self.rule_fine, self.rule_fine_to_um, self.rule_read)


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
    found = field_problems(plan, display)
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
    problems: dict[str, str] = {}
    lines = spec.lines()
    narrow = min(
        min(
            after.bass_edge[0] - before.bass_edge[0],
            after.treble_edge[0] - before.treble_edge[0],
        )
        for before, after in pairwise(lines)
    )
    if plan.kerf_um / 1000 >= narrow:
        problems["kerf_um"] = f"The slot is wider than the space between the closest frets, {display.fine_mm(narrow)}."
    if plan.datum == "fret_12" and spec.frets < 12:
        problems["datum"] = "This board has no 12th fret."
    if plan.drawing_from == "fret_12" and spec.frets < 12:
        problems["drawing_from"] = "This board has no 12th fret to measure from."
    if spec.bound and 2 * plan.binding_um >= spec.nut_width_um:
        problems["binding_um"] = "The binding leaves no board between its two sides."
    if plan.inlay_style == "blocks" and 2 * plan.inlay_side_um >= spec.nut_width_um:
        problems["inlay_side_um"] = (
            f"Nothing is left of the blocks: accepted is under {display.long(spec.nut_width_um // 2)}."
        )
    if plan.blank_thickness_um < spec.board_thickness_um:
        problems["blank_thickness_um"] = (
            f"The blank is thinner than the board, {display.long(spec.board_thickness_um)}: wood does not grow back."
        )
    try:
        layout_of(spec, plan)
    except FieldError as error:
        field = "gauges_um" if error.field == "gauges" else error.field
        problems[field] = f"{str(error)[:1].upper()}{str(error)[1:]}."
    return problems


def layout_of(spec: Spec, plan: BoardPlan) -> Layout:
    """The board in plan, mm; raises FieldError when fret lines would cross or the strings touch."""
    gauges = [gauge / 1000 for gauge in plan.gauges_um]
    return board_layout(spec.outline(), spec.strings, plan.end_overhang_um / 1000, gauges, plan.spacing)
