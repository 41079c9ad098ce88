"""Where each fret line runs on the board: straight and fanned alike.

Frame: x along the centreline from the nut toward the saddle, y across, bass negative; millimetres. The two outer
strings are straight; fret n joins the points at fraction 1 − 2^(−n/divisions) of each and runs on to the board's
edges. The nut points of a fanned board are offset in x so that the perpendicular fret is square to the centreline.
The derivation is in docs/methods/fret-lines.md.
"""

import math
from dataclasses import dataclass

Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Outline:
    """What a board's plan is drawn from; lengths in mm.

    The margins, (at the nut, at the last fret), run from an outer string's centre to the board's edge, measured across.
    A straight board's scale is measured along the centreline, a fanned one's along its outer strings, unless
    `along_strings` says otherwise.
    """

    bass_scale_mm: float
    treble_scale_mm: float
    perpendicular_fret: float
    frets: int
    spread_nut_mm: float
    spread_saddle_mm: float
    bass_margin_mm: tuple[float, float]
    treble_margin_mm: tuple[float, float]
    divisions: int = 12
    along_strings: bool | None = None


@dataclass(frozen=True, slots=True)
class FretLine:
    """One fret from edge to edge, and where it crosses the outer strings; fret 0 is the nut line."""

    fret: int
    bass_edge: Point
    treble_edge: Point
    bass_string: Point
    treble_string: Point

    def at(self, share: float) -> Point:
        """The point at `share` of the way from the bass edge (0) to the treble edge (1)."""
        (xb, yb), (xt, yt) = self.bass_edge, self.treble_edge
        return xb + (xt - xb) * share, yb + (yt - yb) * share

    @property
    def centre_x_mm(self) -> float:
        """x where the fret line crosses the centreline."""
        (xb, yb), (xt, yt) = self.bass_edge, self.treble_edge
        return xb - yb * (xt - xb) / (yt - yb)

    @property
    def length_mm(self) -> float:
        """Length of the slot from edge to edge."""
        return math.dist(self.bass_edge, self.treble_edge)

    @property
    def angle_deg(self) -> float:
        """Angle from square; positive when the treble end lies nearer to the saddle."""
        return math.degrees(
            math.atan2(self.treble_edge[0] - self.bass_edge[0], self.treble_edge[1] - self.bass_edge[1])
        )


def string_extent(scale_mm: float, outline: Outline) -> float:
    """The x-extent of an outer string: its scale, or the projection of it where the scale is measured along the
    string.
    """
    along = outline.along_strings
    if along is None:
        along = outline.bass_scale_mm != outline.treble_scale_mm
    if not along:
        return scale_mm
    return math.sqrt(scale_mm**2 - ((outline.spread_saddle_mm - outline.spread_nut_mm) / 2) ** 2)


def nut_offsets(outline: Outline) -> tuple[float, float]:
    """x of the bass and treble nut points, with x = 0 where the nut line crosses the centreline."""
    share = 1 - 2 ** (-outline.perpendicular_fret / outline.divisions)
    behind = share * (string_extent(outline.bass_scale_mm, outline) - string_extent(outline.treble_scale_mm, outline))
    # bass_x + share·bass_extent = treble_x + share·treble_extent, and the two nut points average to zero
    return -behind / 2, behind / 2


def fret_lines(outline: Outline) -> list[FretLine]:
    """Frets 0..N from edge to edge. Each edge is straight, from its margin at the nut to its margin at the last
    fret.
    """
    bass_x, treble_x = nut_offsets(outline)
    bass_extent = string_extent(outline.bass_scale_mm, outline)
    treble_extent = string_extent(outline.treble_scale_mm, outline)
    half_nut, half_saddle = outline.spread_nut_mm / 2, outline.spread_saddle_mm / 2

    def on_strings(fret: int) -> tuple[Point, Point]:
        share = 1 - 2 ** (-fret / outline.divisions)
        y = half_nut + (half_saddle - half_nut) * share
        return (bass_x + share * bass_extent, -y), (treble_x + share * treble_extent, y)

    crossings = [on_strings(fret) for fret in range(outline.frets + 1)]
    nut, last = crossings[0], crossings[-1]

    def edge(side: int) -> tuple[Point, Point]:
        string, margin = (0, outline.bass_margin_mm) if side < 0 else (1, outline.treble_margin_mm)
        (x0, y0), (x1, y1) = nut[string], last[string]
        return (x0, y0 + side * margin[0]), (x1, y1 + side * margin[1])

    bass_edge, treble_edge = edge(-1), edge(1)
    return [
        FretLine(fret, crossing((bass, treble), bass_edge), crossing((bass, treble), treble_edge), bass, treble)
        for fret, (bass, treble) in enumerate(crossings)
    ]


def crossing(one: tuple[Point, Point], other: tuple[Point, Point]) -> Point:
    """Where the lines through two pairs of points cross; the lines must not be parallel."""
    (x1, y1), (x2, y2) = one
    (x3, y3), (x4, y4) = other
    across = (x2 - x1) * (y4 - y3) - (y2 - y1) * (x4 - x3)
    share = ((x3 - x1) * (y4 - y3) - (y3 - y1) * (x4 - x3)) / across
    return x1 + share * (x2 - x1), y1 + share * (y2 - y1)
