"""What an act on a setup will change beside what it is for: how far an action worked out ahead may be off, and the
pitch.

Derived in docs/methods/setup-solve.md.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

from deft_bench.core.instrument import Spec
from deft_bench.core.limits import ACTION_GATE_MM
from deft_bench.core.strings.assembled import Assembled
from deft_bench.core.strings.clearance import ACTION_FRET
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.intonation import pressing_of
from deft_bench.core.strings.reachable import Reach
from deft_bench.core.strings.setup_job import SetupReadings
from deft_bench.core.strings.setup_plan import SetupPlan, scales

NINE_IN_TEN = 1.645
"""So many standard deviations hold nine of ten of a normal spread."""


def action_spread(frame: StringFrame, reach: Reach) -> float:
    """Within what an action that was worked out ahead will read nine times in ten, mm: it was read within its tool, and
    the rod is left anywhere inside its gate (a uniform spread's deviation is its half width over √3).
    """
    rod = 0.0 if math.isinf(reach.relief_mm) else reach.relief_mm * float(frame.unit_bow()[ACTION_FRET - 1])
    return NINE_IN_TEN * math.hypot(ACTION_GATE_MM, abs(rod)) / math.sqrt(3)


@dataclass(frozen=True, slots=True)
class KnockOn:
    """What cut slots do to fret 1, and set saddles to fret 12, cents by string: sharper positive."""

    nut_cents: dict[int, float]
    saddle_cents: dict[int, float]


def knock_on(plan: SetupPlan, spec: Spec, at: Assembled, read: SetupReadings, actions: Mapping[int, float]) -> KnockOn:
    """How pressing changes with the slots as wanted, and then with the actions wanted, mm; of strings read."""
    nut, saddle = {}, {}
    for one, scale, make in zip(at.strings, scales(spec), plan.strings, strict=True):
        number = one.string
        if number not in read.gap_mm or number not in read.action_mm:
            continue
        low, high = plan.gap_low_um[number - 1] / 1000, plan.gap_high_um[number - 1] / 1000
        gap = read.gap_mm[number]
        now, cut, set_so = (
            pressing_of(make, scale, one.tension_n, action, over, plan.bearing_fret)
            for action, over in (
                (read.action_mm[number], gap),
                (read.action_mm[number], min(high, max(low, gap))),
                (actions[number], min(high, max(low, gap))),
            )
        )
        nut[number] = cut.cents(scale, 1) - now.cents(scale, 1)
        saddle[number] = set_so.cents(scale, ACTION_FRET) - cut.cents(scale, ACTION_FRET)
    return KnockOn(nut, saddle)
