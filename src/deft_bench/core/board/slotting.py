"""The moves of a small end mill that cuts the fret slots, and what must not be tried.

Machine frame: x along the board toward the saddle, y across with treble positive, z up; x = 0 at the 12th-fret datum
(or the nut of a shorter board), y = 0 on the centreline, z = 0 at the crown of the board's face. Millimetres.
"""

import math
from dataclasses import dataclass
from itertools import pairwise

from deft_bench.core.board.arch import arch
from deft_bench.core.board.fret_lines import Point
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.board.plan_view import PlanView
from deft_bench.core.board.section import sagitta
from deft_bench.core.instrument import Spec
from deft_bench.core.limits import LEAST_WOOD_MM, LEAST_WOOD_SHARE

CHORD_MM = 0.004
"""How far a straight move may lie off the arc that it follows."""
HOLDER_CLEAR_MM = 1.0
SURFACE_MM = 0.005
"""An arch that falls less than this from crown to edge is flat to a machine."""


class MachineError(ValueError):
    """The slots cannot be cut so; `problems` is {field: what is wrong and what is accepted}."""

    def __init__(self, problems: dict[str, str]) -> None:
        self.problems = problems
        super().__init__(" ".join(problems.values()))


@dataclass(frozen=True, slots=True)
class SlotPass:
    """One cut of the mill through a slot: points (x, y, z) in order, the first reached by plunging."""

    fret: int
    points: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True, slots=True)
class SlotProgram:
    """All passes in cutting order, with the depth planned below the face at each slot (mm)."""

    passes: tuple[SlotPass, ...]
    datum_x_mm: float
    datum_fret: int
    depth_mm: float
    deepest_mm: float

    @property
    def cut_mm(self) -> float:
        """Length of cut, all passes."""
        return sum(math.dist(a, b) for one in self.passes for a, b in pairwise(one.points))


def machine_problems(spec: Spec, plan: BoardPlan, view: PlanView) -> dict[str, str]:
    """Why the slots cannot be milled as planned, by field; empty when they can."""
    found: dict[str, str] = {}
    if plan.bit_um > plan.kerf_um:
        found["bit_um"] = (
            f"The end mill ({plan.bit_um / 1000:g} mm) is wider than the slot ({plan.kerf_um / 1000:g} mm): accepted is"
            " up to the slot width."
        )
    depth = (spec.tang_depth_um + plan.under_tang_gap_um) / 1000
    falls = [at.fall_mm for at in arch(spec, view.layout)[1:]]
    if max(falls) >= SURFACE_MM:
        found |= _school_problems(plan)
    deepest = depth + max(falls)
    left = spec.board_thickness_um / 1000 - deepest
    least = max(LEAST_WOOD_MM, float(LEAST_WOOD_SHARE) * spec.board_thickness_um / 1000)
    if left < least:
        found["under_tang_gap_um"] = (
            f"The deepest cut leaves {max(0.0, left):.2f} mm of wood under the slot; at least {least:.2f} mm is"
            " accepted."
        )
    # the holder passes over the crown while the mill is at its deepest
    if plan.bit_reach_um / 1000 < deepest + HOLDER_CLEAR_MM:
        found["bit_reach_um"] = (
            f"The holder would touch the work: the mill must stand {deepest + HOLDER_CLEAR_MM:.2f} mm or more out"
            " of it."
        )
    if plan.safe_um / 1000 < HOLDER_CLEAR_MM:
        found["safe_um"] = f"The safe height is too low; accepted is {HOLDER_CLEAR_MM:g} mm or more."
    return found


def _school_problems(plan: BoardPlan) -> dict[str, str]:
    """Why a program would not start at the face that the chosen school gives it; on a flat board every school has
    the same.
    """
    if plan.school == "two_stage":
        return {
            "school": (
                "This board is cut in two steps, a guide on the flat face and a deepening on the arch, and one program"
                " cannot do both: cut the guide by hand, or choose full from the flat, or along the curve."
            )
        }
    if plan.school == "flat_before_radius" and plan.machine_follow != "flat":
        return {
            "machine_follow": (
                "This board is slotted while its face is flat, and along the radius the mill would plunge too deep at"
                " the edges: choose level, from the flat, or slot the board along the curve."
            )
        }
    if plan.school == "follow_radius" and plan.machine_follow != "radius":
        return {
            "machine_follow": (
                "This board is slotted when it is radiused, and level slots would be too deep at the centre: "
                "choose along the radius, or slot the board full from the flat."
            )
        }
    return {}


def slot_program(spec: Spec, plan: BoardPlan, view: PlanView) -> SlotProgram:
    """Plan every pass of every slot; raises MachineError with what must be changed.

    Following the radius, each pass lies a constant depth below the face; level, each pass is flat and the last as deep
    as the edge needs. A slot wider than the mill is cut along both walls. An unbound slot runs out past the oversize
    edge so that it is full width at the board's edge; between bindings the mill's round ends stay inside.
    """
    problems = machine_problems(spec, plan, view)
    if problems:
        raise MachineError(problems)
    datum_fret = 12 if spec.frets >= 12 else 0
    datum = view.lines[datum_fret].centre_x_mm
    depth = (spec.tang_depth_um + plan.under_tang_gap_um) / 1000
    sections = {at.fret: at for at in arch(spec, view.layout)}
    radius_of = {fret: at.radius_mm for fret, at in sections.items()}
    passes: list[SlotPass] = []
    deepest = 0.0
    for shape in view.slots:
        ends = _ends(shape.bass_end, shape.treble_end, plan, bound=spec.bound)
        fall = sections[shape.fret].fall_mm
        final = depth if plan.machine_follow == "radius" else depth + fall
        count = max(1, math.ceil(final / (plan.pass_um / 1000) - 1e-9))
        for k in range(1, count + 1):
            at_depth = final * k / count
            for one, other in _walls(*ends, plan):
                points = _along(one, other, at_depth, radius_of[shape.fret], curved=plan.machine_follow == "radius")
                if len(passes) % 2:
                    points = points[::-1]
                deepest = max(deepest, *(-z for _, _, z in points))
                passes.append(SlotPass(shape.fret, tuple((x - datum, y, z) for x, y, z in points)))
    return SlotProgram(tuple(passes), datum, datum_fret, depth, deepest)


def _ends(bass: Point, treble: Point, plan: BoardPlan, *, bound: bool) -> tuple[Point, Point]:
    length = math.dist(bass, treble)
    radius = plan.bit_um / 2000
    run = -radius if bound else plan.oversize_um / 1000 + radius
    dx, dy = (treble[0] - bass[0]) / length * run, (treble[1] - bass[1]) / length * run
    return (bass[0] - dx, bass[1] - dy), (treble[0] + dx, treble[1] + dy)


def _walls(bass: Point, treble: Point, plan: BoardPlan) -> list[tuple[Point, Point]]:
    """The middle line, or one line along each wall when the slot is wider than the mill; more where they would not
    overlap.
    """
    spare = (plan.kerf_um - plan.bit_um) / 1000
    if spare < 0.001:
        return [(bass, treble)]
    length = math.dist(bass, treble)
    nx, ny = (treble[1] - bass[1]) / length, -(treble[0] - bass[0]) / length
    count = max(2, math.ceil(spare / (plan.bit_um / 1000 * 0.8)) + 1)
    found = []
    for i in range(count):
        off = -spare / 2 + spare * i / (count - 1)
        pair = (bass[0] + nx * off, bass[1] + ny * off), (treble[0] + nx * off, treble[1] + ny * off)
        found.append(pair if i % 2 == 0 else (pair[1], pair[0]))
    return found


def _along(
    one: Point, other: Point, depth: float, radius: float | None, *, curved: bool
) -> list[tuple[float, float, float]]:
    """Points from one end to the other, a constant depth under the arch or level."""
    if not curved or radius is None:
        return [(*one, -depth), (*other, -depth)]
    length = math.dist(one, other)
    # a chord of this length lies CHORD_MM off an arc of this radius
    step = 2 * math.sqrt(2 * radius * CHORD_MM)
    count = max(2, math.ceil(length / step))
    points = []
    for i in range(count + 1):
        share = i / count
        x, y = one[0] + (other[0] - one[0]) * share, one[1] + (other[1] - one[1]) * share
        points.append((x, y, -depth - sagitta(radius, 2 * abs(y))))
    return points
