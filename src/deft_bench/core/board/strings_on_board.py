"""Strings over the board and behind the nut: room to the edge at every fret, and the path to the tuner posts.

Spacing: docs/methods/nut-spacing.md; the rest is plane geometry, written at each function.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.fret_lines import Point, crossing
from deft_bench.core.board.layout import Layout, Spacing, across

LEAST_EDGE_MM = 2.0
"""Less than this between a string's side and the board's edge and a pulled string slips over the bevelled fret end."""
SIDE_ANGLE_DEG = 12.0
"""Past this the string presses sideways in its slot and ties up there; a straight pull is the aim."""


@dataclass(frozen=True, slots=True)
class EdgeRoom:
    """Clear board between the outer strings' sides and the edges at one fret, measured across, mm; negative is off
    the board.
    """

    fret: int
    bass_mm: float
    treble_mm: float


def edge_room(layout: Layout, gauges_mm: Sequence[float]) -> list[EdgeRoom]:
    """Room at every fret, the nut (0) included. Gauges list string 1 (treble) first."""
    bass, treble = layout.strings[-1], layout.strings[0]
    rooms = []
    for line in layout.frets:
        here = (line.bass_edge, line.treble_edge)
        bass_y = crossing((bass.nut, bass.saddle), here)[1]
        treble_y = crossing((treble.nut, treble.saddle), here)[1]
        rooms.append(
            EdgeRoom(
                line.fret,
                bass_y - line.bass_edge[1] - gauges_mm[-1] / 2,
                line.treble_edge[1] - treble_y - gauges_mm[0] / 2,
            )
        )
    return rooms


@dataclass(frozen=True, slots=True)
class NutSpacing:
    """Where strings sit at a nut: centres from the bass edge and clear gaps between neighbours, string 1 first, mm."""

    centres_mm: tuple[float, ...]
    gaps_mm: tuple[float, ...]


def nut_spacing(
    nut_width_mm: float, edge_bass_mm: float, edge_treble_mm: float, gauges_mm: Sequence[float], school: Spacing
) -> NutSpacing:
    """Space the strings with a given clear margin from each edge to the near side of the outer string.

    Raises ValueError when the strings would touch.
    """
    first = nut_width_mm - edge_treble_mm - gauges_mm[0] / 2
    last = edge_bass_mm + gauges_mm[-1] / 2
    if first <= last:
        raise ValueError("the strings would touch: margins and gauges fill the nut")
    places = [first - place for place in across(len(gauges_mm), first - last, gauges_mm, school)]
    gaps = tuple(places[i] - places[i + 1] - (gauges_mm[i] + gauges_mm[i + 1]) / 2 for i in range(len(gauges_mm) - 1))
    if min(gaps, default=1.0) <= 0:
        raise ValueError("the strings would touch: their gauges fill the spread")
    return NutSpacing(tuple(places), gaps)


@dataclass(frozen=True, slots=True)
class HeadPath:
    """One string from the nut to its post. Angle in plan from its own line over the board, degrees; clearances mm.

    `fouls` is the string whose post it comes nearest to, `clearance_mm` the clear space there (negative: it touches);
    both None with a single post.
    """

    string: int
    nut: Point
    post: Point
    touch: Point
    angle_deg: float
    fouls: int | None
    clearance_mm: float | None


def head_paths(layout: Layout, posts_mm: Sequence[Point], post_mm: float, gauges_mm: Sequence[float]) -> list[HeadPath]:
    """Paths of all strings. A post is (behind the nut, off the centreline, treble positive); the string winds on its
    inner side.

    Raises ValueError when a post stands in front of the nut.
    """
    found = []
    places = [(-behind, off) for behind, off in posts_mm]
    for string, (x, y) in zip(layout.strings, places, strict=True):
        reach = math.dist(string.nut, (x, y))
        radius = post_mm / 2 + gauges_mm[string.string - 1] / 2
        if x >= string.nut[0] or reach <= radius:
            raise ValueError(f"the post of string {string.string} must stand behind the nut")
        touch = _tangent(string.nut, (x, y), radius)
        along = math.atan2(string.saddle[1] - string.nut[1], string.saddle[0] - string.nut[0])
        back = math.atan2(string.nut[1] - touch[1], string.nut[0] - touch[0])
        others = [
            (segment_distance(string.nut, touch, place) - post_mm / 2 - gauges_mm[string.string - 1] / 2, other)
            for other, place in enumerate(places, start=1)
            if other != string.string
        ]
        nearest = min(others, default=None)
        found.append(
            HeadPath(
                string.string,
                string.nut,
                (x, y),
                touch,
                math.degrees(along - back),
                nearest[1] if nearest else None,
                nearest[0] if nearest else None,
            )
        )
    return found


def _tangent(start: Point, centre: Point, radius: float) -> Point:
    """Where a string from `start` touches the post on the side toward the centreline."""
    dx, dy = centre[0] - start[0], centre[1] - start[1]
    reach = math.hypot(dx, dy)
    turn = math.asin(min(1.0, radius / reach))
    length = math.sqrt(max(0.0, reach**2 - radius**2))
    ends = []
    for sign in (1, -1):
        angle = math.atan2(dy, dx) + sign * turn
        ends.append((start[0] + length * math.cos(angle), start[1] + length * math.sin(angle)))
    return min(ends, key=lambda end: abs(end[1]))


def segment_distance(one: Point, other: Point, point: Point) -> float:
    """Distance of a point from the segment between two others, mm."""
    dx, dy = other[0] - one[0], other[1] - one[1]
    span = dx * dx + dy * dy
    share = 0.0 if span == 0 else max(0.0, min(1.0, ((point[0] - one[0]) * dx + (point[1] - one[1]) * dy) / span))
    return math.dist(point, (one[0] + share * dx, one[1] + share * dy))


def post_grid(
    strings: int, rows: int, first_mm: float, pitch_mm: float, off_mm: float, flare_mm: float = 0.0
) -> list[Point]:
    """A simple grid of posts as (behind the nut, off the centreline), string 1 first.

    One row puts all posts on a line that begins `off_mm` off the centreline and moves bassward by `flare_mm` a post,
    the bass string's post nearest the nut. Two rows put half on each side, the outer strings nearest the nut.
    """
    if rows == 1:
        return [
            (first_mm + pitch_mm * (strings - 1 - i), off_mm + flare_mm * (strings - 1 - i)) for i in range(strings)
        ]
    treble = strings // 2
    bass = strings - treble
    return [
        *((first_mm + pitch_mm * i, off_mm + flare_mm * i) for i in range(treble)),
        *((first_mm + pitch_mm * (bass - 1 - i), -(off_mm + flare_mm * (bass - 1 - i))) for i in range(bass)),
    ]
