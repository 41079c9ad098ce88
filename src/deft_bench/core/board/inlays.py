"""Inlays and side markers: where each piece lies, its true size and angles on a tapered or fanned board, and how near a
slot comes.

Frame and units as in fret_lines: x along the centreline, y across with bass negative, millimetres.

Plane geometry; the clear space to a slot is derived in docs/methods/board-plan.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.fret_lines import FretLine, Point

TWICE = (12, 24)
DOUBLE_SHARES = (0.27, 0.73)


@dataclass(frozen=True, slots=True)
class Inlay:
    """One piece before fret `fret`. A dot has a diameter and no corners; a block has corners and no diameter.

    Corners run bass nut side, bass body side, treble body side, treble nut side. `nut_angle_deg` and `body_angle_deg`
    are the ends' angles from square. `clearance_mm` is the wood left between the piece and the nearer slot's wall:
    negative when the piece breaks into it.
    """

    fret: int
    centre: Point
    diameter_mm: float
    corners: tuple[Point, ...]
    length_mm: float
    nut_width_mm: float
    body_width_mm: float
    nut_angle_deg: float
    body_angle_deg: float
    clearance_mm: float


@dataclass(frozen=True, slots=True)
class Strip:
    """The strip that all blocks are cut from, mm: as wide as the longest piece is along the board, and its length
    with saw cuts.
    """

    width_mm: float
    length_mm: float
    pieces: int


def distance_to_line(point: Point, line: FretLine) -> float:
    """How far a point lies from the line of a fret, mm."""
    (x1, y1), (x2, y2) = line.bass_edge, line.treble_edge
    return abs((x2 - x1) * (y1 - point[1]) - (x1 - point[0]) * (y2 - y1)) / line.length_mm


def dots(lines: Sequence[FretLine], frets: Sequence[int], diameter_mm: float, kerf_mm: float) -> list[Inlay]:
    """Round inlays half-way between their fret and the one before it; two at the octaves."""
    inlays = []
    for fret in frets:
        before, after = lines[fret - 1], lines[fret]
        for share in DOUBLE_SHARES if fret in TWICE else (0.5,):
            centre = _between(before.at(share), after.at(share), 0.5)
            gap = min(distance_to_line(centre, before), distance_to_line(centre, after))
            clear = gap - diameter_mm / 2 - kerf_mm / 2
            inlays.append(Inlay(fret, centre, diameter_mm, (), diameter_mm, diameter_mm, diameter_mm, 0.0, 0.0, clear))
    return inlays


def blocks(
    lines: Sequence[FretLine], frets: Sequence[int], share: float, side_mm: float, kerf_mm: float
) -> list[Inlay]:
    """Blocks that follow the taper and the fan: each end lies on its own line between the two frets.

    `share` of the space between the frets is filled, about its middle; `side_mm` is left to each edge, measured along
    the end. Raises ValueError naming the fret where nothing would be left of the piece.
    """
    inlays = []
    for fret in frets:
        before, after = lines[fret - 1], lines[fret]
        ends = []
        for at in ((1 - share) / 2, (1 + share) / 2):
            bass, treble = (_between(before.at(side), after.at(side), at) for side in (0.0, 1.0))
            width = math.dist(bass, treble)
            if width <= 2 * side_mm:
                raise ValueError(
                    f"at fret {fret} the board is too narrow for a block with {side_mm:g} mm left each side"
                )
            inset = side_mm / width
            ends.append((_between(bass, treble, inset), _between(bass, treble, 1 - inset)))
        (nb, nt), (bb, bt) = ends
        corners = (nb, bb, bt, nt)
        clear = min(min(distance_to_line(c, before), distance_to_line(c, after)) for c in corners) - kerf_mm / 2
        centre = _between(_between(nb, nt, 0.5), _between(bb, bt, 0.5), 0.5)
        length = math.dist(_between(nb, nt, 0.5), _between(bb, bt, 0.5))
        inlays.append(
            Inlay(
                fret,
                centre,
                0.0,
                corners,
                length,
                math.dist(nb, nt),
                math.dist(bb, bt),
                _angle(nb, nt),
                _angle(bb, bt),
                clear,
            )
        )
    return inlays


def strip_needed(pieces: Sequence[Inlay], saw_mm: float) -> Strip | None:
    """The strip for all blocks, laid side by side across it with a saw cut between; None when there are none."""
    cut = [piece for piece in pieces if piece.corners]
    if not cut:
        return None
    # a slanted piece takes its whole extent along the board, and its wider end across
    extents = [max(x for x, _ in piece.corners) - min(x for x, _ in piece.corners) for piece in cut]
    widths = [max(y for _, y in piece.corners) - min(y for _, y in piece.corners) for piece in cut]
    return Strip(max(extents), sum(widths) + saw_mm * (len(cut) - 1), len(cut))


def side_markers(lines: Sequence[FretLine], frets: Sequence[int]) -> list[tuple[int, Point]]:
    """(fret, place) of each marker on the bass edge, which faces the player: half-way between frets, two at the
    octaves.
    """
    found = []
    for fret in frets:
        before, after = lines[fret - 1].bass_edge, lines[fret].bass_edge
        for share in (0.38, 0.62) if fret in TWICE else (0.5,):
            found.append((fret, _between(before, after, share)))
    return found


def _between(one: Point, other: Point, share: float) -> Point:
    return one[0] + (other[0] - one[0]) * share, one[1] + (other[1] - one[1]) * share


def _angle(bass: Point, treble: Point) -> float:
    return math.degrees(math.atan2(treble[0] - bass[0], treble[1] - bass[1]))
