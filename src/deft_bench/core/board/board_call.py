"""The one sentence of a board: what to cut next and how deep, or why not to cut yet."""

from collections.abc import Sequence

from deft_bench.core.board.arch import ArchAt, arch
from deft_bench.core.board.checks import Check
from deft_bench.core.board.plan import SCHOOLS, BoardPlan
from deft_bench.core.board.plan_view import PlanView
from deft_bench.core.board.section import School, Slot, slot
from deft_bench.core.board.slot_table import SlotTable, slot_table
from deft_bench.core.calls import Call, Instead, Length, in_mm
from deft_bench.core.instrument import Spec

MORE_HOLLOW_MM = 0.05
"""Less hollow than this under a tang changes nothing."""

COSTS: dict[str, str] = {
    "flat_before_radius": "square, quick cuts; the deepest hollow under mid-fret, and the edges keep the least wood",
    "two_stage": "two visits to every slot; the guide must survive the radius",
    "follow_radius": "no hollow; the saw must be led along the curve",
}


def slot_by(spec: Spec, plan: BoardPlan, at: ArchAt, school: School) -> Slot | None:
    """A slot at one fret by a school; None when it would come through the board."""
    try:
        return slot(
            spec.tang_depth_um / 1000,
            plan.under_tang_gap_um / 1000,
            at.radius_mm,
            at.width_mm,
            spec.board_thickness_um / 1000,
            school,
            plan.guide_um / 1000,
        )
    except ValueError:
        return None


def _first_cuts(table: SlotTable, length: Length) -> str:
    """What is cut from the flat: one depth, or from the shallowest slot to the deepest."""
    least, most = table.least_first_mm or 0.0, table.stop_mm or 0.0
    return length(most) if length(least) == length(most) else f"{length(least)} to {length(most)}"


def _by_the_table(table: SlotTable, length: Length) -> list[str]:
    """What one stop for all costs, and the guide that costs nothing."""
    said = []
    worst = max(table.rows, key=lambda row: row.hollow_by_stop_mm - row.hollow_mm)
    more = worst.hollow_by_stop_mm - worst.hollow_mm
    if table.stop_mm is not None and more >= MORE_HOLLOW_MM:
        said.append(
            f"One stop of {length(table.stop_mm)} serves every slot and leaves up to {length(more)} more hollow, at"
            f" fret {worst.fret}; each slot’s own depth is in the table."
        )
    guide = table.guide_without_hollow_mm
    if table.leaves_hollow and guide is not None:
        said.append(f"A guide of {length(guide)} at the edge, or less, leaves no hollow beyond the gap that is asked.")
    return said


def board_call(spec: Spec, plan: BoardPlan, view: PlanView, checks: Sequence[Check], length: Length = in_mm) -> Call:
    """What to do with this board. The widest fret decides the depth from the flat, because the radius falls most
    there.
    """
    failing = [check for check in checks if check.level == "fails"]
    if failing:
        return Call(
            f"Do not cut yet. {failing[0].say}",
            "stop",
            {"failing": float(len(failing))},
            tuple(check.say for check in failing[1:]),
            (),
            "likely",
            None,
        )
    sections = arch(spec, view.layout)
    widest = max(sections[1:], key=lambda at: at.fall_mm)
    made = slot_by(spec, plan, widest, plan.school)
    assert made is not None  # a slot that comes through is a failing check
    table = slot_table(spec, plan, view.layout)
    depth = f"{length(made.final_depth_mm)} below the radiused face"
    flat = spec.radius_kind == "flat"
    first = _first_cuts(table, length)
    say = {
        "flat_before_radius": (
            f"Cut the slots {first} deep from the flat, then radius." if not flat else f"Cut the slots {first} deep."
        ),
        "two_stage": f"Cut a guide {first} deep from the flat, radius, then deepen to {depth}.",
        "follow_radius": f"Radius first, then cut the slots along the curve, {depth}.",
    }[plan.school]
    because = [
        *_by_the_table(table, length),
        (
            f"Tang {length(spec.tang_depth_um / 1000)} and {length(plan.under_tang_gap_um / 1000)} under it; "
            f"the radius falls {length(widest.fall_mm)} at the edges of fret {widest.fret}."
        ),
        (
            f"{length(made.wood_under_slot_mm)} of wood is left under the deepest cut, the edge is"
            f" {length(made.edge_thickness_mm)} thick."
        ),
        f"The saw makes {length(plan.kerf_um / 1000)}; try it on an offcut of the same piece first.",
    ]
    instead = []
    for other, words in SCHOOLS.items():
        found = slot_by(spec, plan, widest, other)
        if other != plan.school and found is not None and not flat:
            instead.append(Instead(words, f"{length(found.void_at_centre_mm)} hollow at the centre"))
    figures = {"final_depth_mm": made.final_depth_mm, "wood_under_slot_mm": made.wood_under_slot_mm}
    if made.first_cut_mm is not None:
        figures["first_cut_mm"] = made.first_cut_mm
    return Call(
        say,
        plan.school,
        figures,
        tuple(because),
        tuple(instead),
        "likely",
        "A trial slot in an offcut of the same piece.",
    )
