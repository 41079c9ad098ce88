"""The arch of a board along its length: the fall at every fret, the hump that strings see, and which radius suits
whom.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.layout import Layout
from deft_bench.core.board.section import Cone, rises_over_chord, sagitta, string_heights
from deft_bench.core.calls import Length, in_mm, long_in_mm
from deft_bench.core.instrument import Spec

BEND_MM = 12.0
"""How far a whole-tone bend pushes a plain string sideways at the 12th fret, that the suggestion takes."""
HUMP_THAT_COUNTS_MM = 0.02
"""As much as a rock that counts: less is neither felt nor heard."""
BLOCKS_UM = (184_000, 241_000, 254_000, 305_000, 356_000, 406_000, 508_000)
"""Radius blocks in common use, 7 1/4 to 20 in."""


@dataclass(frozen=True, slots=True)
class ArchAt:
    """The arch at one fret, mm; the radius is None on a flat board. `bench_width_mm` and `bench_edge_mm` are those of
    the board as it is cut on the bench, the others those of the finished board.
    """

    fret: int
    x_mm: float
    width_mm: float
    radius_mm: float | None
    fall_mm: float
    edge_mm: float
    bench_width_mm: float
    bench_edge_mm: float


def arch(spec: Spec, layout: Layout, oversize_mm: float = 0.0) -> list[ArchAt]:
    """Radius, fall to the edge and edge thickness at every fret, nut first. Widths are square across the board;
    `oversize_mm` is what stands over at each side until it is trimmed (the arch falls further there), or, negative,
    what the binding adds later.

    Raises ValueError where the board is wider than its circle or the cone has closed.
    """
    sections = []
    for line in layout.frets:
        x = max(0.0, line.centre_x_mm)
        width = line.treble_edge[1] - line.bass_edge[1]
        radius = spec.radius_at(x)
        fall, thick = sagitta(radius, width), spec.board_thickness_um / 1000
        bench = width + 2 * oversize_mm
        edge_now = thick - sagitta(radius, bench)
        sections.append(ArchAt(line.fret, x, width, radius, fall, thick - fall, bench, edge_now))
    return sections


def cone_of(spec: Spec) -> Cone | None:
    """The board's surface as a cone (a cylinder is one with equal radii); None when flat."""
    if spec.nut_radius_um is None or spec.end_radius_um is None:
        return None
    return Cone(spec.nut_radius_um / 1000, spec.end_radius_um / 1000, spec.mean_scale_mm * spec.share(spec.frets))


def saddle_radius(spec: Spec) -> float | None:
    """The radius that the saddles want: the board's own surface run on to the saddle, mm; None when flat.

    Raises ValueError when a narrowing cone closes before it gets there.
    """
    cone = cone_of(spec)
    return None if cone is None else cone.at(spec.mean_scale_mm)


@dataclass(frozen=True, slots=True)
class Hump:
    """What one string sees of the arch from fret 1 to the last: greatest rise above its chord, mm, and where.

    `total_mm` is what the rises add up to over all frets: the metal that levelling along its path takes more.
    """

    string: int
    hump_mm: float
    at_fret: int
    total_mm: float = 0.0


def humps(spec: Spec, layout: Layout) -> list[Hump]:
    """The hump under every string, string 1 first; raises ValueError where a string runs off the arc."""
    cone = cone_of(spec)
    if cone is None or spec.frets < 3:
        return [Hump(string.string, 0.0, 0) for string in layout.strings]
    places = spec.positions_mm()
    found = []
    for string in layout.strings:
        rises = rises_over_chord(
            places, string_heights(cone, string.nut[1], string.saddle[1], spec.mean_scale_mm, places)
        )
        hump = max(rises)
        total = sum(max(0.0, rise) for rise in rises)
        found.append(Hump(string.string, max(0.0, hump), rises.index(hump) + 1 if hump > 1e-9 else 0, total))
    return found


def sharing_cone(spec: Spec, layout: Layout) -> Cone | None:
    """The cone whose apex the outer strings share: with the board's radius at the nut, no string sees a hump on it.

    None on a flat board or when the strings run parallel.
    """
    cone = cone_of(spec)
    outer = layout.strings[0]
    y_nut, y_saddle = abs(outer.nut[1]), abs(outer.saddle[1])
    if cone is None or y_saddle - y_nut < 1e-9:
        return None
    # radii grow from the nut as the strings' distance from the centreline does
    end_x = cone.end_x_mm
    grown = 1 + (y_saddle / y_nut - 1) * end_x / spec.mean_scale_mm
    return Cone(cone.nut_radius_mm, cone.nut_radius_mm * grown, end_x)


def bend_cost(spec: Spec, layout: Layout, cone: Cone, bend_mm: float = BEND_MM) -> float:
    """Clearance that a bend of string 1 at the octave loses over the frets beyond it, mm: how far the arch rises above
    the bent string's chord.

    The bent string runs straight in plan from its pushed place there to its saddle. 0 on boards with fewer than two
    frets beyond the octave.
    """
    octave = spec.divisions
    if spec.frets < octave + 2:
        return 0.0
    scale = spec.mean_scale_mm
    string = layout.strings[0]
    x12 = scale * spec.share(octave)
    y12 = string.nut[1] + (string.saddle[1] - string.nut[1]) * 0.5 - bend_mm
    places = [scale * spec.share(fret) for fret in range(octave, spec.frets + 1)] + [scale]
    heights = []
    for x in places:
        y = y12 + (string.saddle[1] - y12) * (x - x12) / (scale - x12)
        heights.append(-sagitta(cone.at(min(x, scale)), 2 * abs(y)))
    return max(0.0, max(rises_over_chord(places, heights)))


@dataclass(frozen=True, slots=True)
class RadiusWay:
    """One radius that could be chosen: what it takes off the edges at the last fret and what a bend costs, mm."""

    radius_um: int | None
    fall_mm: float
    bend_mm: float
    hump_mm: float


@dataclass(frozen=True, slots=True)
class RadiusAdvice:
    """The radius suggested (µm; None is flat; two for a compound board), why, and the neighbouring ways with what
    each costs.
    """

    nut_um: int | None
    end_um: int | None
    because: tuple[str, ...]
    ways: tuple[RadiusWay, ...]


_USUAL: dict[str, tuple[int | None, str]] = {
    "electric": (305_000, "chords and bends in equal measure"),
    "acoustic": (406_000, "a pinned saddle wants little arch, and chords are mostly open ones"),
    "classical": (None, "four fingers of the plucking hand want the strings in one plane"),
    "twelve_string": (406_000, "courses must lie side by side at one height"),
    "baritone": (356_000, "thick strings swing wide over a long board"),
    "seven_string": (406_000, "a wide board of small radius loses much of its edge"),
    "tenor": (305_000, "a narrow board under chords"),
    "short_bass": (254_000, "four strings far apart, and the thumb comes down at an angle"),
    "long_bass": (254_000, "four strings far apart, and the thumb comes down at an angle"),
}


def advise_radius(spec: Spec, layout: Layout, length: Length = in_mm, radius_of: Length = long_in_mm) -> RadiusAdvice:
    """A radius for this kind of instrument and this player's hand, with what its neighbours cost.

    A light hand plays low and bends: one block flatter. A heavy hand plays higher, so that the arch can follow the
    fingers: one block rounder. A board whose outer strings would see a hump that counts is advised as a cone.
    """
    usual, why = _USUAL.get(spec.kind, _USUAL["electric"])
    because = [f"Usual here is {radius_of(usual / 1000)}: {why}." if usual else f"Usual here is flat: {why}."]
    width = spec.last_fret_width_um / 1000
    if usual is None:
        return RadiusAdvice(
            None, None, tuple(because), (RadiusWay(None, 0.0, 0.0, 0.0), *_ways(spec, layout, (508_000,)))
        )
    at = BLOCKS_UM.index(usual)
    if spec.hand == "light" and at + 1 < len(BLOCKS_UM):
        at += 1
        because.append(
            "A light hand plays low and bends: one block flatter keeps bent strings clear of the frets beyond."
        )
    elif spec.hand == "heavy" and at > 0 and spec.kind not in ("acoustic", "twelve_string"):
        at -= 1
        because.append(
            "A heavy hand plays at a higher action, which clears bends by itself: one block rounder lies easier under a"
            " barré."
        )
    radius = BLOCKS_UM[at]
    ways = _ways(spec, layout, BLOCKS_UM[max(0, at - 2) : at + 3])
    here = next(way for way in ways if way.radius_um == radius)
    because.append(
        f"It takes {length(here.fall_mm)} off the edges of a board {length(width)} wide; "
        f"a whole-tone bend at fret 12 costs {length(here.bend_mm)} of clearance."
    )
    end = radius
    if here.hump_mm > HUMP_THAT_COUNTS_MM:
        outer = layout.strings[0]
        grown = 1 + (abs(outer.saddle[1]) / abs(outer.nut[1]) - 1) * spec.share(spec.frets)
        end = int(round(radius * grown, -3))
        because.append(
            f"As a cylinder its outer strings would see a hump of {length(here.hump_mm)}: a cone opening to"
            f" {radius_of(end / 1000)} at the last fret has none."
        )
    return RadiusAdvice(radius, end, tuple(because), ways)


def _ways(spec: Spec, layout: Layout, blocks_um: Sequence[int]) -> tuple[RadiusWay, ...]:
    radius_ways = []
    width = spec.last_fret_width_um / 1000
    end_x = spec.mean_scale_mm * spec.share(spec.frets)
    places = spec.positions_mm()
    outer = layout.strings[0]
    for block in blocks_um:
        if 2 * block / 1000 < max(width, 2 * abs(outer.saddle[1]) + 2 * BEND_MM):
            continue
        cone = Cone(block / 1000, block / 1000, end_x)
        rises = [0.0]
        if len(places) > 2:
            rises = rises_over_chord(
                places, string_heights(cone, outer.nut[1], outer.saddle[1], spec.mean_scale_mm, places)
            )
        radius_ways.append(
            RadiusWay(block, sagitta(block / 1000, width), bend_cost(spec, layout, cone), max(0.0, *rises))
        )
    return tuple(radius_ways)
