"""What taking metal off the frets changes elsewhere: the work that follows a level."""

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class KnockOn:
    """Changes in mm that the metal taken makes, positive = more room: the gap over fret 1 and the action at fret 12."""

    first_gap_mm: float
    action_mm: float
    action_fret: int


def knock_on(positions_mm: Sequence[float], removed_mm: Sequence[float]) -> KnockOn:
    """The knock-on of metal taken off each fret (fret 1 first), with nut and saddle untouched.

    Pressed between frets 2 and 3 the string runs straight from the nut slot to fret 2, so the gap over fret 1 changes
    by δ1 − δ2·x1/x2. The open string does not move, so the action at fret 12 (the last fret on a shorter board) grows
    by what came off there. Plane geometry; the string's stiffness is left out.
    """
    fret = min(12, len(removed_mm))
    gap = removed_mm[0] - removed_mm[1] * positions_mm[0] / positions_mm[1] if len(removed_mm) > 1 else removed_mm[0]
    return KnockOn(gap, removed_mm[fret - 1], fret)
