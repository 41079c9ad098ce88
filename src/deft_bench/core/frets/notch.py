"""Something that is in a slot and stays there (a rod's screw, a pin, a glued knot), and the notch that lets the tang
over it: nothing is ever deepened onto it.

A notch is as high as the tang reaches below what is in the way, and a little more: tang + clearance − depth to it.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from deft_bench.core.board.fret_lines import FretLine
from deft_bench.core.calls import Length, frets_named
from deft_bench.core.frets.heights import LANES
from deft_bench.core.limits import LEAST_UNDER_TANG_MM
from deft_bench.core.survey_kinds import Place


class Obstruction(NamedTuple):
    """What is in a fret's slot: in which lane, or so far along it from the bass edge; `depth_um` from the board's face
    to it, None not measured.
    """

    fret: int
    what: str
    lane: str = ""
    place_um: int | None = None
    depth_um: int | None = None


@dataclass(frozen=True, slots=True)
class Notch:
    """A notch in one tang: its middle from the slot's bass end, mm (None: the place is not known); its height, mm
    (None: neither measured nor read).
    """

    fret: int
    lane: str
    at_mm: float | None
    height_mm: float | None
    what: str

    def say(self, length: Length) -> str:
        """`fret 9 over the middle, 0.70 mm`."""
        over = f" over the {self.lane}" if self.lane else ""
        return f"fret {self.fret}{over}, {'measure how high' if self.height_mm is None else length(self.height_mm)}"


def lane_along(line: FretLine, lane: str) -> float:
    """How far from the bass end of a slot a lane runs, mm: the outer strings' way, or the middle."""
    if lane == "middle":
        return line.length_mm / 2
    return math.dist(line.bass_edge, line.bass_string if lane == "bass" else line.treble_string)


def lanes_of(one: Obstruction, lines: Sequence[FretLine]) -> tuple[str, ...]:
    """The lanes in which something lies: its own, the one nearest to its place, or any where neither is said. `lines`
    are from fret 1 on.
    """
    if one.lane:
        return (one.lane,)
    if one.place_um is None or one.fret > len(lines):
        return LANES
    along = one.place_um / 1000
    line = lines[one.fret - 1]
    return (min(LANES, key=lambda lane: abs(lane_along(line, lane) - along)),)


def notches(
    found: Sequence[Obstruction],
    frets: Sequence[int],
    lines: Sequence[FretLine],
    tang_depth_um: int,
    depths_um: Mapping[Place, int | None],
) -> tuple[Notch, ...]:
    """The notch for each obstruction in a slot that gets a fret. Its height is by the depth that was measured to it,
    else by the slot depths (µm) that were read there; none where the tang clears it. `lines` are from fret 1 on.
    """
    made = []
    for one in found:
        if one.fret not in frets or not 1 <= one.fret <= len(lines):
            continue
        lanes = lanes_of(one, lines)
        lane = lanes[0] if len(lanes) == 1 else ""
        at = one.place_um / 1000 if one.place_um is not None else None
        if at is None and lane:
            at = lane_along(lines[one.fret - 1], lane)
        read = [um for of in lanes if (um := depths_um.get((of, one.fret))) is not None]
        depth = one.depth_um if one.depth_um is not None else min(read, default=None)
        height = None if depth is None else (tang_depth_um - depth) / 1000 + LEAST_UNDER_TANG_MM
        if height is None or height > 0:
            made.append(Notch(one.fret, lane, at, height, one.what))
    return tuple(made)


def notches_said(found: Sequence[Notch], length: Length) -> str:
    """What is done about them, as one sentence; empty where there are none."""
    if not found:
        return ""
    if len(found) > 2:
        return (
            f"Notch the tangs of {frets_named(sorted({one.fret for one in found}))}; do not deepen onto what is there."
        )
    tangs = "; of ".join(one.say(length) for one in found)
    return f"Notch the tang of {tangs}; do not deepen onto it."
