"""A capo: the strings begin at its fret, as if a finger never left it.

Held down behind fret c a string is straight from that fret's top to the saddle, which is what it is fretted at c; so
everything with a capo is what it is without, from that fret on. Derived in docs/methods/clearance.md.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.board.positions import fret_position
from deft_bench.core.strings.clearance import ACTION_FRET, Strung


def capo_problem(capo: int, frets: int, joint_fret: int | None = None) -> str:
    """Why a capo cannot be put on a fret; empty where it can."""
    most = (joint_fret or frets) - 1
    if 0 <= capo <= most:
        return ""
    where = f"the neck joins the body at fret {joint_fret}" if joint_fret else f"this board has {frets} frets"
    return f"a capo goes on frets 1 to {most}, 0 is none: {where}"


def with_capo(found: Strung, capo: int) -> Strung:
    """A string with the frets behind the capo out of play: there it has room without end."""
    played = np.arange(len(found.margin))[:, None] >= capo
    return replace(
        found,
        margin=np.where(played | np.isnan(found.margin), found.margin, np.inf),
        static=np.where(played | np.isnan(found.static), found.static, np.inf),
    )


@dataclass(frozen=True, slots=True)
class CapoHeights:
    """Open strings over a capo: their length, mm, the fret an octave up the board (the last where there is none), and
    each string's height over it, mm.
    """

    length_mm: float
    over_fret: int
    heights_mm: tuple[float, ...]


def capo_heights(found: Sequence[Strung], scale_mm: float, frets: int, capo: int) -> CapoHeights:
    """How the open strings lie with a capo on."""
    over = min(capo + ACTION_FRET, frets)
    length = scale_mm - (fret_position(scale_mm, capo) if capo else 0.0)
    return CapoHeights(length, over, tuple(float(one.static[capo][over - 1]) for one in found))
