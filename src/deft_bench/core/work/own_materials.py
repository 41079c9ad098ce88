"""Which of a general material an instrument takes: its string set, a nut or saddle blank of its size.

The catalogue's operations name materials in general; the shelf keeps each set and each size of blank as an item of its
own, so that it answers for this job.
"""

import math

from deft_bench.core.instrument import Spec
from deft_bench.core.strings.setup_plan import SetupPlan
from deft_bench.core.strings.string_set import SETS
from deft_bench.core.units import MM_PER_INCH

STRINGS, NUT_BLANK, SADDLE_BLANK = "strings", "nut blank", "saddle blank"
BLANK_STEP_MM = 5
"""Saddle blanks are kept by lengths in steps of this."""


def set_on(plan: SetupPlan, spec: Spec) -> str:
    """The string set an instrument takes: the usual set of its gauges, else what its specification says."""
    gauges = [round(string.gauge_mm, 3) for string in plan.strings]
    for name, data in SETS.items():
        if gauges == [round(thou * MM_PER_INCH / 1000, 3) for thou in data.thou]:
            made = {string.construction for string in plan.strings if string.wound}
            if made <= {data.construction}:
                return name
    return spec.string_set


def own_materials(plan: SetupPlan, spec: Spec) -> tuple[tuple[str, str], ...]:
    """(General name, the instrument's own) of what it takes in a kind or size of its own."""
    length, thick, high = (um / 1000 for um in (plan.blank_length_um, plan.blank_thickness_um, plan.blank_height_um))
    curved = ", curved base" if plan.blank_base == "curved" else ""
    over = spec.spread_saddle_um / 1000 + 2 * plan.saddle_overhang_um / 1000
    saddle = BLANK_STEP_MM * math.ceil(over / BLANK_STEP_MM)
    found = [(NUT_BLANK, f"{NUT_BLANK} {length:g} × {thick:g} × {high:g} mm{curved}")]
    if spec.bridge == "one_piece":
        found.append((SADDLE_BLANK, f"{SADDLE_BLANK} {saddle} mm"))
    if string_set := set_on(plan, spec).strip():
        found.append((STRINGS, f"{STRINGS} {string_set}"))
    return tuple(found)
