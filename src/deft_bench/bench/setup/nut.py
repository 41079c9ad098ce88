"""Nut: how far to file each slot, with which file, when to stop; the blank, and both spacings of a new nut."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.bench.setup.readings import SetupSurveys
from deft_bench.core.board.layout import Spacing
from deft_bench.core.board.strings_on_board import NutSpacing, nut_spacing
from deft_bench.core.calls import Call
from deft_bench.core.instrument import Spec
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.nut_depth import BlankFit, NutSlot, SlotRead, blank_fit, feeler_stack, nut_call, nut_slot
from deft_bench.core.strings.setup_plan import SetupPlan, gap_range, scales, string_names


@dataclass(frozen=True, slots=True)
class NutRow:
    """One slot, mm: its first-fret gap and the range wanted, what to file, and the blades that stop the file."""

    number: int
    gap: float | None
    low: float
    high: float
    slot: NutSlot
    too_low: bool
    file: float
    stop: float
    stack: Sequence[float] | None


@dataclass(frozen=True, slots=True)
class NutFindings:
    """Every slot, the call, the blank, and both spacings (empty, with the reason, where strings would touch)."""

    rows: list[NutRow]
    call: Call
    fit: BlankFit
    spacings: Mapping[str, NutSpacing]
    spacing_problem: str


def spacings(spec: Spec, plan: SetupPlan) -> dict[str, NutSpacing]:
    """Both schools of nut spacing; raises ValueError where the strings would touch."""
    gauges = [string.gauge_mm for string in plan.strings]
    schools: tuple[tuple[Spacing, str], ...] = (("equal_gaps", "Equal gaps"), ("equal_centres", "Equal centres"))
    width, bass, treble = spec.nut_width_um / 1000, plan.edge_bass_um / 1000, plan.edge_treble_um / 1000
    return {words: nut_spacing(width, bass, treble, gauges, school) for school, words in schools}


def nut_findings(
    settings: ShopSettings,
    spec: Spec,
    plan: SetupPlan,
    found: SetupSurveys,
    first_fret_mm: float,
    wanted: Mapping[int, tuple[float, float]],
) -> NutFindings:
    """The nut by the first-fret gaps as last read and the shop's files and blades; `first_fret_mm` is the height of
    fret 1 over the board now, on which the blades' stack is built. `wanted` gaps are those that a job accepted, mm, by
    string; the plan's where there are none.
    """
    files = [um / 1000 for um in settings.nut_files_um]
    blades = [um / 1000 for um in settings.feelers_um]
    rows, reads = [], []
    for number, (string, scale) in enumerate(zip(plan.strings, scales(spec), strict=True), start=1):
        low, high = wanted.get(number) or gap_range(plan, number)
        gap = found.found.gap_mm.get(number)
        slot = nut_slot(scale, high if gap is None else gap, high, plan.bearing_fret, string.gauge_mm, files)
        read = SlotRead(number, gap, low, high, slot)
        stop = first_fret_mm + slot.target_height_mm
        reads.append(read)
        rows.append(
            NutRow(number, gap, low, high, slot, read.side == "low", read.file_mm, stop, feeler_stack(stop, blades))
        )
    try:
        both, why = spacings(spec, plan), ""
    except ValueError as error:
        both, why = {}, f"{str(error)[:1].upper()}{str(error)[1:]}."
    fit = blank_fit(
        (plan.blank_length_um / 1000, plan.blank_thickness_um / 1000, plan.blank_height_um / 1000),
        plan.blank_base,
        (spec.nut_width_um / 1000, plan.nut_thickness_um / 1000),
        plan.seat_base,
        plan.nut_height_um / 1000,
    )
    return NutFindings(rows, nut_call(reads, string_names(plan), settings.display.fine_mm), fit, both, why)
