"""The one sentence of a board: what to cut next and how deep, or why not to cut yet."""

from collections.abc import Sequence

from deft_bench.core.board.arch import ArchAt, arch
from deft_bench.core.board.checks import Check
from deft_bench.core.board.plan import CHOICES, BoardPlan
from deft_bench.core.board.plan_view import PlanView
from deft_bench.core.board.section import School, Slot, slot
from deft_bench.core.calls import Call, Instead, Length, in_mm
from deft_bench.core.instrument import Spec

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
            "certain",
            None,
        )
    sections = arch(spec, view.layout)
    widest = max(sections[1:], key=lambda at: at.fall_mm)
    made = slot_by(spec, plan, widest, plan.school)
    assert made is not None  # a slot that comes through is a failing check
    depth = f"{length(made.final_depth_mm)} below the radiused face"
    first = length(made.first_cut_mm or 0.0)
    flat = spec.radius_kind == "flat"
    say = {
        "flat_before_radius": (
            f"Cut the slots {first} deep from the flat, then radius." if not flat else f"Cut the slots {first} deep."
        ),
        "two_stage": f"Cut a guide {first} deep from the flat, radius, then deepen to {depth}.",
        "follow_radius": f"Radius first, then cut the slots along the curve, {depth}.",
    }[plan.school]
    because = [
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
    for other in CHOICES["school"]:
        found = slot_by(spec, plan, widest, other)  # type: ignore[arg-type]
        if other != plan.school and found is not None and not flat:
            instead.append(Instead(CHOICES["school"][other], f"{length(found.void_at_centre_mm)} hollow at the centre"))
    figures = {"final_depth_mm": made.final_depth_mm, "wood_under_slot_mm": made.wood_under_slot_mm}
    if made.first_cut_mm is not None:
        figures["first_cut_mm"] = made.first_cut_mm
    return Call(say, plan.school, figures, tuple(because), tuple(instead), "certain", None)
