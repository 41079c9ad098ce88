"""Fall-away by tape: the beam rides on tape at one fret and cuts the last frets on the slope that this makes.

With H = (layers on the fret + layers on the beam)·thickness, the beam's face runs from H above the tape fret down to
the last fret. Frets beyond where it crosses the tops are cut to it. Plane geometry, drawn in
docs/methods/fall-away-tape.md.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.field_checks import FieldError


@dataclass(frozen=True, slots=True)
class TapeFall:
    """What comes off below the tops, fret 1 first, mm; the first fret that is cut, where the line crosses, and the
    last drop.
    """

    drops_mm: tuple[float, ...]
    first_cut_fret: int
    crossing_mm: float
    last_drop_mm: float
    height_mm: float


def fall_by_last_drop(positions_mm: Sequence[float], tape_fret: int, height_mm: float, last_drop_mm: float) -> TapeFall:
    """The fall-away that ends `last_drop_mm` under the tops at the last fret. Raises FieldError naming what cannot
    be.
    """
    last = len(positions_mm)
    if not 1 <= tape_fret < last - 1:
        raise FieldError("tape_fret", f"the tape fret must leave a fret to cut beyond it: 1 to {last - 2}")
    if height_mm <= 0 or last_drop_mm <= 0:
        raise FieldError("tape_fret", "tape and drop must be more than zero")
    start, end = positions_mm[tape_fret - 1], positions_mm[-1]
    slope = (height_mm + last_drop_mm) / (end - start)
    crossing = start + height_mm / slope
    drops = tuple(max(0.0, slope * (x - start) - height_mm) if x > crossing + 1e-9 else 0.0 for x in positions_mm)
    first = next((fret for fret, x in enumerate(positions_mm, 1) if x > crossing + 1e-9), None)
    if first is None:
        raise FieldError("last_drop_mm", "is so little that no fret is cut")
    return TapeFall(drops, first, crossing, last_drop_mm, height_mm)


def fall_by_first_fret(
    positions_mm: Sequence[float], tape_fret: int, height_mm: float, first_cut_fret: int
) -> TapeFall:
    """The fall-away that stops when the crossing reaches the fret before `first_cut_fret`.

    Last drop = H·(x_N − x_{f−1})/(x_{f−1} − x_tape), which needs f − 1 beyond the tape fret. Raises ValueError.
    """
    last = len(positions_mm)
    if not tape_fret + 2 <= first_cut_fret <= last:
        raise FieldError(
            "first_cut_fret",
            f"the first fret cut must lie from {tape_fret + 2} to {last}: the one before it beyond the tape",
        )
    before = positions_mm[first_cut_fret - 2]
    drop = height_mm * (positions_mm[-1] - before) / (before - positions_mm[tape_fret - 1])
    found = fall_by_last_drop(positions_mm, tape_fret, height_mm, drop)
    return TapeFall(found.drops_mm, first_cut_fret, before, drop, height_mm)
