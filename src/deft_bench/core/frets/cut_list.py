"""The cut list of a set of frets: crown and tang of each blank in holder order, and the pieces of wire to cut them
from.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.cutting import plan_cutting


class CutListError(ValueError):
    """The list cannot be made; `field` says which input is in the way."""

    def __init__(self, field: str, why: str) -> None:
        self.field = field
        super().__init__(why)


@dataclass(frozen=True, slots=True)
class Blank:
    """One fret's blank, mm. It stands in the numbered holder at its own fret number."""

    fret: int
    crown_mm: float
    tang_mm: float


@dataclass(frozen=True, slots=True)
class Piece:
    """One piece of wire and the frets cut from it, mm."""

    length_mm: float
    frets: tuple[int, ...]
    used_mm: float

    @property
    def left_mm(self) -> float:
        """What is left over."""
        return self.length_mm - self.used_mm


@dataclass(frozen=True, slots=True)
class CutList:
    """Blanks by fret, pieces by their first fret. `proven` says that no fewer pieces can do."""

    blanks: tuple[Blank, ...]
    pieces: tuple[Piece, ...]
    proven: bool

    @property
    def total_mm(self) -> float:
        """Wire in all blanks, mm."""
        return sum(blank.crown_mm for blank in self.blanks)


def cut_list(
    slots_mm: Sequence[float],
    frets: Sequence[int],
    overhang_mm: float,
    binding_mm: float,
    setback_mm: float,
    pieces_mm: Sequence[float],
    saw_mm: float,
) -> CutList:
    """Blanks for the named frets from slot lengths (fret 1..N, edge to edge), out of the fewest of the pieces on hand.

    Crown = slot + 2·overhang, tang = slot − 2·(binding + setback). Raises CutListError naming `frets_to_cut`,
    `tang_setback_mm` or `pieces_mm`.
    """
    wanted = sorted(set(frets))
    if wanted[-1] > len(slots_mm):
        raise CutListError("frets_to_cut", f"fret {wanted[-1]} is not on this board of {len(slots_mm)}")
    blanks = tuple(
        Blank(fret, slots_mm[fret - 1] + 2 * overhang_mm, slots_mm[fret - 1] - 2 * (binding_mm + setback_mm))
        for fret in wanted
    )
    short = [blank.fret for blank in blanks if blank.tang_mm <= 0]
    if short:
        raise CutListError("tang_setback_mm", f"with the binding it leaves fret {short[0]} no tang")
    try:
        plan = plan_cutting(
            [round(blank.crown_mm * 1000) for blank in blanks],
            [round(piece * 1000) for piece in pieces_mm],
            round(saw_mm * 1000),
        )
    except ValueError as error:
        raise CutListError("pieces_mm", str(error)) from None
    pieces = [
        Piece(
            um / 1000,
            tuple(blanks[i].fret for i in held),
            sum(blanks[i].crown_mm for i in held) + (len(held) - 1) * saw_mm,
        )
        for held, um in zip(plan.pieces, plan.piece_um, strict=True)
    ]
    return CutList(blanks, tuple(sorted(pieces, key=lambda piece: piece.frets)), plan.proven)
