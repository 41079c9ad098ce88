"""Slot depths fret by fret: every step of the chosen school, what stays hollow under the wire, and one stop for all.

The formulas are those of `section.slot` (docs/methods/slot.md) at each fret's own width; a stop set once cuts every
slot as deep as the fret that needs most, and what it cuts too deep elsewhere stays hollow there.
"""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.arch import ArchAt, arch
from deft_bench.core.board.layout import Layout
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.board.section import School, slot
from deft_bench.core.instrument import Spec

LEAST_GUIDE_MM = 0.3
"""Less of a guide does not lead a saw."""


@dataclass(frozen=True, slots=True)
class SlotRow:
    """One slot, mm: `first_mm` from the flat face before the radius (None: the school cuts nothing there), `final_mm`
    below the radiused face, what is hollow under the tang at the centre with its own depth and with one stop for all.
    """

    fret: int
    fall_mm: float
    first_mm: float | None
    final_mm: float
    hollow_mm: float
    hollow_by_stop_mm: float
    wood_mm: float


@dataclass(frozen=True, slots=True)
class SlotTable:
    """Every slot by one school. `stop_mm` is the one depth from the flat face that serves all of them (None: nothing is
    cut from the flat face); `guide_without_hollow_mm` the greatest guide that leaves no more hollow than asked anywhere
    (None: another school, or none leads a saw).
    """

    school: School
    rows: tuple[SlotRow, ...]
    stop_mm: float | None
    gap_mm: float
    guide_without_hollow_mm: float | None

    @property
    def leaves_hollow(self) -> bool:
        """Whether any slot is hollow under the tang beyond the gap that is asked."""
        return any(row.hollow_mm > self.gap_mm + 1e-6 for row in self.rows)

    @property
    def least_first_mm(self) -> float | None:
        """The shallowest of the first cuts."""
        firsts = [row.first_mm for row in self.rows if row.first_mm is not None]
        return min(firsts, default=None)

    def row(self, fret: int) -> SlotRow:
        """The row of a fret."""
        return self.rows[fret - 1]


def slot_table(spec: Spec, plan: BoardPlan, layout: Layout) -> SlotTable:
    """The table of the plan's school; raises ValueError where a slot comes through the board."""
    sections = arch(spec, layout)[1:]
    tang, gap, guide = spec.tang_depth_um / 1000, plan.under_tang_gap_um / 1000, plan.guide_um / 1000
    thick = spec.board_thickness_um / 1000
    made = [slot(tang, gap, at.radius_mm, at.width_mm, thick, plan.school, guide) for at in sections]
    firsts = [one.first_cut_mm for one in made if one.first_cut_mm is not None]
    stop = max(firsts, default=None)
    rows = tuple(
        SlotRow(
            at.fret,
            at.fall_mm,
            found.first_cut_mm,
            found.final_depth_mm,
            found.void_at_centre_mm,
            found.void_at_centre_mm if stop is None else max(found.void_at_centre_mm, stop - tang),
            found.wood_under_slot_mm,
        )
        for at, found in zip(sections, made, strict=True)
    )
    return SlotTable(plan.school, rows, stop, gap, _guide_without_hollow(sections, tang + gap, plan.school))


def _guide_without_hollow(sections: Sequence[ArchAt], deepest_mm: float, school: School) -> float | None:
    """The guide cut reaches fall + guide below the crown at mid-fret: no deeper than the slot is meant to be there."""
    if school != "two_stage":
        return None
    guide = deepest_mm - max(at.fall_mm for at in sections)
    return guide if guide >= LEAST_GUIDE_MM else None
