"""The board cut through along one slot: blank, arch, slot floor, tang, hollow and the wood left, true to scale."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.board.arch import ArchAt
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.board.section import Slot, sagitta
from deft_bench.core.instrument import Spec

WIDTH, PAD = 640, 44
STEPS = 48


@dataclass(frozen=True, slots=True)
class SectionDrawing:
    """Polygons as SVG points; labels are (x, y, words, anchor); `lines` are (x1, y1, x2, y2) of dimension marks."""

    width: float
    height: float
    blank: str
    wood: str
    binding: tuple[str, str] | None
    slot: str
    hollow: str
    tang: str
    crown: str
    first_floor: str
    labels: list[tuple[float, float, str, str]]
    lines: list[tuple[float, float, float, float]]


def draw_section(spec: Spec, plan: BoardPlan, at: ArchAt, slot: Slot, length: Callable[[float], str]) -> SectionDrawing:
    """Draw one slot by one school. Heights count down from the crown of the finished face, in mm."""
    half, thick = at.width_mm / 2, spec.board_thickness_um / 1000
    blank = plan.blank_thickness_um / 1000
    crown = spec.fret_height_um / 1000
    tang = spec.tang_depth_um / 1000
    scale = (WIDTH - 2 * PAD) / at.width_mm
    over = max(blank - thick, crown) + 0.6
    height = (over + thick) * scale + 34

    def to(x: float, down: float) -> str:
        return f"{PAD + (x + half) * scale:.2f},{(over + down) * scale + 4:.2f}"

    def between(xs: Sequence[float], upper: Mapping[float, float], lower: Mapping[float, float]) -> str:
        return " ".join([*(to(x, upper[x]) for x in xs), *(to(x, lower[x]) for x in reversed(xs))])

    xs = [-half + at.width_mm * i / STEPS for i in range(STEPS + 1)]
    face = {x: sagitta(at.radius_mm, 2 * abs(x)) for x in xs}
    wall = plan.binding_um / 1000 if spec.bound else 0.0
    inside = [x for x in xs if abs(x) <= half - wall + 1e-9]
    floors = {x: _floor(plan, slot, face[x]) for x in inside}
    under = {x: face[x] + tang for x in inside}
    hollow = [x for x in inside if floors[x] > under[x] + 1e-6]
    y_floor = (over + max(floors[x] for x in inside)) * scale + 4
    foot = (over + thick) * scale + 4
    mid = PAD + half * scale
    return SectionDrawing(
        width=WIDTH,
        height=height,
        blank=" ".join((to(-half, thick - blank), to(half, thick - blank), to(half, thick), to(-half, thick))),
        wood=" ".join([*(to(x, face[x]) for x in xs), to(half, thick), to(-half, thick)]),
        binding=_binding(to, face, half, wall, thick, at.radius_mm) if wall else None,
        slot=between(inside, face, floors),
        hollow=between(hollow, under, floors),
        tang=between(inside, face, {x: min(under[x], floors[x]) for x in inside}),
        crown=between(xs, {x: face[x] - crown for x in xs}, face),
        first_floor=(
            f"{to(-half, slot.first_cut_mm)} {to(half, slot.first_cut_mm)}" if slot.first_cut_mm is not None else ""
        ),
        labels=[
            (mid + 8, (y_floor + foot) / 2 + 5, f"{length(slot.wood_under_slot_mm)} of wood left", "start"),
            (PAD + at.width_mm * scale + 4, foot + 18, f"edge {length(slot.edge_thickness_mm)}", "end"),
            (PAD - 4, foot + 18, f"{length(at.width_mm)} wide at fret {at.fret}", "start"),
        ],
        lines=[(mid, y_floor, mid, foot)],
    )


def _floor(plan: BoardPlan, slot: Slot, fall: float) -> float:
    """Depth of the slot's floor below the crown line where the face has fallen by `fall`."""
    along = fall + slot.final_depth_mm
    if plan.school == "flat_before_radius":
        return slot.first_cut_mm or along
    if plan.school == "two_stage":
        return max(along, slot.first_cut_mm or 0.0)
    return along


def _binding(
    to: Callable[[float, float], str],
    face: dict[float, float],
    half: float,
    wall: float,
    thick: float,
    radius: float | None,
) -> tuple[str, str]:
    inner = sagitta(radius, 2 * (half - wall))
    outer = face[-half]
    left = " ".join((to(-half, outer), to(-half + wall, inner), to(-half + wall, thick), to(-half, thick)))
    right = " ".join((to(half, outer), to(half - wall, inner), to(half - wall, thick), to(half, thick)))
    return left, right
