"""A whole board in plan: fret lines, every string's path and how truly it is fretted, and the outline.

Fret lines, paths and the hump on a fanned board: docs/methods/board-layout.md, string-path-hump.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import accumulate, pairwise
from typing import Literal

from deft_bench.core.board.fret_lines import FretLine, Outline, Point, crossing, fret_lines, nut_offsets, string_extent
from deft_bench.core.field_checks import FieldError

Spacing = Literal["equal_centres", "equal_gaps"]

_NO_ERROR_CENTS = 1e-9


@dataclass(frozen=True, slots=True)
class StringPath:
    """One string from nut to saddle (mm) and its worst fretting error, cents sharp positive; string 1 is the treble."""

    string: int
    nut: Point
    saddle: Point
    effective_scale_mm: float
    worst_cents: float
    worst_fret: int | None


@dataclass(frozen=True, slots=True)
class Layout:
    """Fret lines 0..N, the strings, and the outline: bass nut corner, bass end, treble end, treble nut corner."""

    frets: tuple[FretLine, ...]
    strings: tuple[StringPath, ...]
    outline: tuple[Point, Point, Point, Point]


def across(count: int, spread_mm: float, gauges_mm: Sequence[float] | None, spacing: Spacing) -> list[float]:
    """Places of the strings between treble (0) and bass (`spread_mm`), string 1 first, in mm.

    Equal centres divide the spread evenly; equal gaps leave the same clear space between the sides of neighbours.
    Raises ValueError when the strings would touch.
    """
    if count == 1:
        return [spread_mm / 2]
    if spacing == "equal_centres" or gauges_mm is None:
        return [i * spread_mm / (count - 1) for i in range(count)]
    halves = [(one + other) / 2 for one, other in pairwise(gauges_mm)]
    gap = (spread_mm - sum(halves)) / (count - 1)
    if gap <= 0:
        raise FieldError("gauges", "the strings would touch: their gauges fill the spread")
    return list(accumulate((gap + half for half in halves), initial=0.0))


def board_layout(
    outline: Outline,
    strings: int,
    end_overhang_mm: float,
    gauges_mm: Sequence[float] | None = None,
    spacing: Spacing = "equal_centres",
) -> Layout:
    """Lay a board out. With equal gaps the inner strings are spaced so at the nut and at the saddle.

    Raises FieldError when fret lines would cross on the board (`perpendicular_fret`) or the strings would touch
    (`gauges`).
    """
    lines = fret_lines(outline)
    for before, after in pairwise(lines):
        if after.bass_edge[0] <= before.bass_edge[0] or after.treble_edge[0] <= before.treble_edge[0]:
            raise FieldError("perpendicular_fret", f"frets {before.fret} and {after.fret} would cross on the board")
    bass_x, treble_x = nut_offsets(outline)
    ends = (
        ((treble_x, outline.spread_nut_mm / 2), (bass_x, -outline.spread_nut_mm / 2), outline.spread_nut_mm),
        (
            (treble_x + string_extent(outline.treble_scale_mm, outline), outline.spread_saddle_mm / 2),
            (bass_x + string_extent(outline.bass_scale_mm, outline), -outline.spread_saddle_mm / 2),
            outline.spread_saddle_mm,
        ),
    )
    at_nut, at_saddle = (
        [_between(treble, bass, place / spread) for place in across(strings, spread, gauges_mm, spacing)]
        for treble, bass, spread in ends
    )
    paths = tuple(
        _path(number, nut, saddle, lines, outline.divisions)
        for number, (nut, saddle) in enumerate(zip(at_nut, at_saddle, strict=True), start=1)
    )
    last = lines[-1]
    moved = tuple((x + end_overhang_mm, y) for x, y in (last.bass_edge, last.treble_edge))
    end = (moved[0], moved[1])
    bass_end = crossing(end, (lines[0].bass_edge, last.bass_edge))
    treble_end = crossing(end, (lines[0].treble_edge, last.treble_edge))
    return Layout(tuple(lines), paths, (lines[0].bass_edge, bass_end, treble_end, lines[0].treble_edge))


def _between(one: Point, other: Point, share: float) -> Point:
    return one[0] + (other[0] - one[0]) * share, one[1] + (other[1] - one[1]) * share


def _path(number: int, nut: Point, saddle: Point, lines: Sequence[FretLine], divisions: int) -> StringPath:
    """A string's effective scale is its own length; at each fret the speaking length is compared with the ideal."""
    scale = math.dist(nut, saddle)
    worst, worst_fret = 0.0, None
    for line in lines[1:]:
        point = crossing((nut, saddle), (line.bass_edge, line.treble_edge))
        cents = 1200 * math.log2(scale * 2 ** (-line.fret / divisions) / math.dist(point, saddle))
        if abs(cents) > max(abs(worst), _NO_ERROR_CENTS):
            worst, worst_fret = cents, line.fret
    return StringPath(number, nut, saddle, scale, worst, worst_fret)
