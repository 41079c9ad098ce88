"""Everything that stands on the drawing of a board, in millimetres, from which screens and exports are drawn alike.

Frame as in fret_lines: x along the centreline from the nut toward the saddle, y across, bass negative.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.fret_lines import FretLine, Point
from deft_bench.core.board.inlays import Inlay, blocks, dots, side_markers
from deft_bench.core.board.layout import Layout
from deft_bench.core.board.plan import BoardPlan, layout_of
from deft_bench.core.instrument import Spec

Corners = tuple[Point, Point, Point, Point]


@dataclass(frozen=True, slots=True)
class SlotShape:
    """One slot as cut: the ends of its middle line, and the four corners of its kerf."""

    fret: int
    bass_end: Point
    treble_end: Point
    kerf: Corners

    @property
    def length_mm(self) -> float:
        """Length in the wood, mm."""
        return math.dist(self.bass_end, self.treble_end)


@dataclass(frozen=True, slots=True)
class PlanView:
    """The board in plan. Pins are (fret, place); side markers (fret, place); lengths mm.

    `oversize` is the outline before flush trimming, None when cut to width at once. `nut_cut` is the saw's kerf wholly
    on the waste side of the nut line.
    """

    layout: Layout
    outline: Corners
    oversize: Corners | None
    inner: Corners | None
    nut_cut: Corners
    slots: tuple[SlotShape, ...]
    inlays: tuple[Inlay, ...]
    markers: tuple[tuple[int, Point], ...]
    marker_mm: float
    pins: tuple[tuple[int, Point], ...]
    pin_mm: float

    @property
    def lines(self) -> Sequence[FretLine]:
        """Fret lines, nut first."""
        return self.layout.frets

    @property
    def bounds(self) -> tuple[float, float, float, float]:
        """(least x, least y, most x, most y) of the board with its oversize and nut cut."""
        points = [*(self.oversize or self.outline), *self.nut_cut]
        xs, ys = [x for x, _ in points], [y for _, y in points]
        return min(xs), min(ys), max(xs), max(ys)


def plan_view(spec: Spec, plan: BoardPlan) -> PlanView:
    """Draw a sound specification and plan; raises ValueError where a piece cannot be drawn."""
    layout = layout_of(spec, plan)
    lines = layout.frets
    kerf = plan.kerf_um / 1000
    marked = [fret for fret in plan.inlay_frets if fret < len(lines)]
    inlays: list[Inlay] = []
    if plan.inlay_style == "dots":
        inlays = dots(lines, marked, plan.inlay_size_um / 1000, kerf)
    elif plan.inlay_style == "blocks":
        inlays = blocks(lines, marked, plan.inlay_share / 100, plan.inlay_side_um / 1000, kerf)
    binding = plan.binding_um / 1000 if spec.bound else 0.0
    return PlanView(
        layout=layout,
        outline=layout.outline,
        oversize=widened(layout.outline, over_mm(spec, plan)) if plan.oversize_um else None,
        inner=widened(layout.outline, -binding) if binding else None,
        nut_cut=_nut_cut(lines[0], kerf),
        slots=tuple(slot_shape(line, kerf, binding or -plan.oversize_um / 1000) for line in lines[1:]),
        inlays=tuple(inlays),
        markers=tuple(side_markers(lines, marked)) if plan.marker_um else (),
        marker_mm=plan.marker_um / 1000,
        pins=tuple(_pins(lines, plan)),
        pin_mm=plan.pin_um / 1000,
    )


def over_mm(spec: Spec, plan: BoardPlan) -> float:
    """How far the board on the bench stands over the finished one at each side, mm. A bound board is cut to the inside
    of its binding before it is bound, never flush with it: what stands over counts from there.
    """
    return plan.oversize_um / 1000 - (plan.binding_um / 1000 if spec.bound else 0.0)


def widened(outline: Corners, by_mm: float) -> Corners:
    """The outline with both long edges moved out (or in, when negative) by a distance measured across."""
    bass_nut, bass_end, treble_end, treble_nut = outline

    def moved(point: Point, along: tuple[Point, Point], side: int) -> Point:
        # along the end's own line, so that a slanted end stays one line
        (x1, y1), (x2, y2) = along
        slant = (x2 - x1) / (y2 - y1)
        return point[0] + side * by_mm * slant, point[1] + side * by_mm

    nut, end = (bass_nut, treble_nut), (bass_end, treble_end)
    return moved(bass_nut, nut, -1), moved(bass_end, end, -1), moved(treble_end, end, 1), moved(treble_nut, nut, 1)


def slot_shape(line: FretLine, kerf_mm: float, binding_mm: float) -> SlotShape:
    """A slot from edge to edge of the board as it is cut: shorter by the binding at each end, or longer by what stands
    over (negative), along the line.
    """
    share = binding_mm / line.length_mm
    bass, treble = line.at(share), line.at(1 - share)
    length = math.dist(bass, treble)
    nx, ny = (treble[1] - bass[1]) / length * kerf_mm / 2, -(treble[0] - bass[0]) / length * kerf_mm / 2
    corners = (
        (bass[0] - nx, bass[1] - ny),
        (bass[0] + nx, bass[1] + ny),
        (treble[0] + nx, treble[1] + ny),
        (treble[0] - nx, treble[1] - ny),
    )
    return SlotShape(line.fret, bass, treble, corners)


def _nut_cut(line: FretLine, kerf_mm: float) -> Corners:
    """The nut line's kerf lies wholly on the headstock side: the string leaves at the face that is left standing."""
    (xb, yb), (xt, yt) = line.bass_edge, line.treble_edge
    nx, ny = (yt - yb) / line.length_mm * kerf_mm, -(xt - xb) / line.length_mm * kerf_mm
    return (xb, yb), (xt, yt), (xt - nx, yt - ny), (xb - nx, yb - ny)


def _pins(lines: Sequence[FretLine], plan: BoardPlan) -> list[tuple[int, Point]]:
    """Index pins under frets, each near one edge and turn about, so that two of them fix the board."""
    found = []
    for i, fret in enumerate(sorted(plan.pin_frets)):
        if fret < len(lines):
            line = lines[fret]
            share = min(0.5, plan.pin_inset_um / 1000 / line.length_mm)
            found.append((fret, line.at(share if i % 2 == 0 else 1 - share)))
    return found
