"""The moves of a small end mill that cuts the fret slots, and what must not be tried.

Machine frame: x along the board toward the saddle, y across with treble positive, z up; x = 0 at the board's datum on
the centreline, y = 0 on the centreline, z = 0 at the crown of the face. Millimetres.

A school of slotting has one program for each of its steps, and each starts at the face that it meets: the flat blank
(level cuts) or the arch (cuts along it). Depths under the radius: docs/methods/slot.md.
"""

import math
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from deft_bench.core.board.arch import arch
from deft_bench.core.board.fret_lines import FretLine, Point
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.board.plan_view import PlanView, over_mm
from deft_bench.core.board.section import sagitta
from deft_bench.core.instrument import Spec
from deft_bench.core.limits import LEAST_WOOD_MM, LEAST_WOOD_SHARE

CHORD_MM = 0.004
"""How far a straight move may lie off the arc that it follows."""
HOLDER_CLEAR_MM = 1.0
SURFACE_MM = 0.005
"""An arch that falls less than this from crown to edge is flat to a machine."""
ONE_RUN_MM = 0.03
"""A slot wider than the mill by less than this is cut in one run along its middle: the walls are within the fit."""
RAPID_MM_MIN = 2_500.0
"""What a small router moves at between cuts, for the time in the heading."""

Step = Literal["full", "guide", "deepen", "follow"]
STEPS: dict[Step, str] = {
    "full": "full depth from the flat face",
    "guide": "guide cuts on the flat face",
    "deepen": "deepening on the radiused face",
    "follow": "along the radiused face",
}
ON_THE_FLAT: tuple[Step, ...] = ("full", "guide")


class MachineError(ValueError):
    """The slots cannot be cut so; `problems` is {field: what is wrong and what is accepted}."""

    def __init__(self, problems: dict[str, str]) -> None:
        self.problems = problems
        super().__init__(" ".join(problems.values()))


@dataclass(frozen=True, slots=True)
class SlotPass:
    """One cut of the mill through a slot: points (x, y, z) in order, the first reached by plunging. Fret 0 is the
    nut's own cut.
    """

    fret: int
    points: tuple[tuple[float, float, float], ...]


@dataclass(frozen=True, slots=True)
class SlotProgram:
    """One step's passes in cutting order, least-used frets first, with where x is counted from and the depths (mm):
    `start_mm` below the face where the step begins, `depth_mm` where it ends, `deepest_mm` below the crown.
    """

    step: Step
    passes: tuple[SlotPass, ...]
    datum_x_mm: float
    datum_words: str
    start_mm: float
    depth_mm: float
    deepest_mm: float

    @property
    def cut_mm(self) -> float:
        """Length of cut, all passes."""
        return sum(math.dist(a, b) for run in self.passes for a, b in pairwise(run.points))

    def minutes(self, plan: BoardPlan) -> float:
        """About how long it runs: cuts at the feed, a plunge a pass, and the way from slot to slot."""
        plunges = len(self.passes) * plan.pass_um / 1000
        rises = len({run.fret for run in self.passes}) * 2 * plan.safe_um / 1000
        ways = sum(math.dist(a.points[-1][:2], b.points[0][:2]) for a, b in pairwise(self.passes) if a.fret != b.fret)
        return self.cut_mm / plan.feed_mm_min + plunges / plan.plunge_mm_min + (ways + rises) / RAPID_MM_MIN


def machine_steps(spec: Spec, plan: BoardPlan, view: PlanView) -> tuple[Step, ...]:
    """The programs of the chosen school, in the order in which they are run; on a flat board every school is one."""
    if max(at.fall_mm for at in arch(spec, view.layout)[1:]) < SURFACE_MM:
        return ("full",)
    steps: dict[str, tuple[Step, ...]] = {"two_stage": ("guide", "deepen"), "follow_radius": ("follow",)}
    return steps.get(plan.school, ("full",))


def machine_problems(spec: Spec, plan: BoardPlan, view: PlanView) -> dict[str, str]:
    """Why the slots cannot be milled as planned, by field; empty when they can."""
    problems: dict[str, str] = {}
    if plan.bit_um > plan.kerf_um:
        problems["bit_um"] = (
            f"The end mill ({plan.bit_um / 1000:g} mm) is wider than the slot ({plan.kerf_um / 1000:g} mm): accepted is"
            " up to the slot width."
        )
    depth = (spec.tang_depth_um + plan.under_tang_gap_um) / 1000
    sections = arch(spec, view.layout, over_mm(spec, plan))[1:]
    fall = max(at.fall_mm for at in sections)
    steps = machine_steps(spec, plan, view)
    # the guide of two stages may reach deeper at mid-fret than the slot itself
    guide = fall + plan.guide_um / 1000 if "guide" in steps else 0.0
    deepest = max(depth + fall, guide)
    left = spec.board_thickness_um / 1000 - deepest
    least = max(LEAST_WOOD_MM, float(LEAST_WOOD_SHARE) * spec.board_thickness_um / 1000)
    if left < least:
        problems["under_tang_gap_um"] = (
            f"The deepest cut leaves {max(0.0, left):.2f} mm of wood under the slot; at least {least:.2f} mm is"
            " accepted."
        )
    if set(steps) - set(ON_THE_FLAT):
        # along the arch the mill goes down with it to the edge of the board as it is cut
        deepest = max(deepest, depth + spec.board_thickness_um / 1000 - min(at.bench_edge_mm for at in sections))
    # the holder passes over the crown while the mill is at its deepest
    if plan.bit_reach_um / 1000 < deepest + HOLDER_CLEAR_MM:
        problems["bit_reach_um"] = (
            f"The holder would touch the work: the mill must stand {deepest + HOLDER_CLEAR_MM:.2f} mm or more out"
            " of it."
        )
    if plan.safe_um / 1000 < HOLDER_CLEAR_MM:
        problems["safe_um"] = f"The safe height is too low; accepted is {HOLDER_CLEAR_MM:g} mm or more."
    return problems


def datum_of(spec: Spec, plan: BoardPlan, view: PlanView) -> tuple[float, str]:
    """Where x is counted from, mm from the nut on the centreline, and what that place is called: the datum that was
    chosen for marking.
    """
    if plan.datum == "fret_12" and spec.frets >= 12:
        return view.lines[12].centre_x_mm, "fret 12"
    square = round(spec.perpendicular_fret)
    if plan.datum == "square_fret" and 0 < square < len(view.lines):
        return view.lines[square].centre_x_mm, f"fret {square}"
    return view.lines[0].centre_x_mm, "the nut line"


def slot_program(spec: Spec, plan: BoardPlan, view: PlanView, step: Step | None = None) -> SlotProgram:
    """Plan every pass of one step (None: the school's first); raises MachineError with what must be changed.

    Level, each pass is flat and the last as deep as the edge needs; along the radius, each lies a constant depth below
    the face. No pass takes more than `pass_um` off what it meets. A slot wider than the mill is cut along both walls.
    An unbound slot runs out past the oversize edge so that it is full width at the board's edge; between bindings the
    mill's round ends stay inside. The mill goes to and fro in a slot without rising; the last frets come first, where
    a first cut costs least, the nut's cut last.
    """
    problems = machine_problems(spec, plan, view)
    steps = machine_steps(spec, plan, view)
    if step is not None and step not in steps:
        problems["school"] = f"The chosen way of slotting has no such program; it has: {', '.join(steps)}."
    if problems:
        raise MachineError(problems)
    step = step or steps[0]
    datum, datum_words = datum_of(spec, plan, view)
    depth = (spec.tang_depth_um + plan.under_tang_gap_um) / 1000
    guide = plan.guide_um / 1000
    start, final = {"guide": (0.0, guide), "deepen": (min(guide, depth), depth)}.get(step, (0.0, depth))
    sections = {at.fret: at for at in arch(spec, view.layout)}
    passes: list[SlotPass] = []
    for fret, ends in [*_slots(spec, plan, view), (0, _nut(view.lines[0], plan, over_mm(spec, plan)))]:
        at = sections[fret]
        level = step in ON_THE_FLAT
        down = final + (at.fall_mm if level else 0.0)
        walls = _walls(*ends, plan)
        floors = [_guide_floor(wall, at.radius_mm, at.fall_mm + guide) for wall in walls if step == "deepen"]
        begin = min([*floors, down]) if floors else 0.0
        count = max(1, math.ceil((down - begin) / (plan.pass_um / 1000) - 1e-9))
        forward = True
        for k in range(1, count + 1):
            depth_now = begin + (down - begin) * k / count
            for one, other in walls:
                points = _along(one, other, depth_now, at.radius_mm, curved=not level)
                ordered = points if forward else points[::-1]
                passes.append(SlotPass(fret, tuple((x - datum, y, z) for x, y, z in ordered)))
                forward = not forward
            walls = walls[::-1]
    deepest = max(-z for run in passes for _, _, z in run.points)
    return SlotProgram(step, tuple(passes), datum, datum_words, start, final, deepest)


def _guide_floor(ends: tuple[Point, Point], radius: float | None, floor: float) -> float:
    """How deep, mm, a level guide reaches below the arch at the ends of the mill's way, where it reaches least."""
    falls = [0.0 if radius is None else sagitta(radius, 2 * abs(y)) for _, y in ends]
    return max(0.0, floor - max(falls))


def _slots(spec: Spec, plan: BoardPlan, view: PlanView) -> list[tuple[int, tuple[Point, Point]]]:
    """Every slot with the ends of the mill's way, the last fret first."""
    return [
        (shape.fret, _ends(shape.bass_end, shape.treble_end, plan, bound=spec.bound))
        for shape in sorted(view.slots, key=lambda shape: -shape.fret)
    ]


def _nut(line: FretLine, plan: BoardPlan, over_mm: float) -> tuple[Point, Point]:
    """The ends of the nut cut, wholly on the waste side of its line, from edge to edge of the board as it is cut."""
    (xb, yb), (xt, yt) = line.bass_edge, line.treble_edge
    off = plan.kerf_um / 2000
    nx, ny = (yt - yb) / line.length_mm * off, -(xt - xb) / line.length_mm * off
    over = over_mm / line.length_mm
    dx, dy = (xt - xb) * over, (yt - yb) * over
    return _ends((xb - nx - dx, yb - ny - dy), (xt - nx + dx, yt - ny + dy), plan, bound=False)


def _ends(bass: Point, treble: Point, plan: BoardPlan, *, bound: bool) -> tuple[Point, Point]:
    length = math.dist(bass, treble)
    radius = plan.bit_um / 2000
    run = -radius if bound else radius
    dx, dy = (treble[0] - bass[0]) / length * run, (treble[1] - bass[1]) / length * run
    return (bass[0] - dx, bass[1] - dy), (treble[0] + dx, treble[1] + dy)


def _walls(bass: Point, treble: Point, plan: BoardPlan) -> list[tuple[Point, Point]]:
    """The middle line, or one line along each wall when the slot is wider than the mill; more where they would not
    overlap. All run from the bass side to the treble side.
    """
    spare = (plan.kerf_um - plan.bit_um) / 1000
    if spare < ONE_RUN_MM:
        return [(bass, treble)]
    length = math.dist(bass, treble)
    nx, ny = (treble[1] - bass[1]) / length, -(treble[0] - bass[0]) / length
    count = max(2, math.ceil(spare / (plan.bit_um / 1000 * 0.8)) + 1)
    walls = []
    for i in range(count):
        off = -spare / 2 + spare * i / (count - 1)
        walls.append(((bass[0] + nx * off, bass[1] + ny * off), (treble[0] + nx * off, treble[1] + ny * off)))
    return walls


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
