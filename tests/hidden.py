"""Instruments with a hidden truth, drawn at random as they come to a setup."""

import random
from dataclasses import dataclass, replace

from deft_bench.core.frets.heights import LANES
from deft_bench.core.instrument import STARTING, Spec
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.core.simulated_setup import SimulatedSetup
from deft_bench.core.strings.assembled import assemble
from deft_bench.core.strings.setup_job import SetupReadings
from deft_bench.core.strings.setup_plan import SetupPlan, plucks, pulls, starting_setup, stroke_of


@dataclass(frozen=True, slots=True)
class Hidden:
    """The specification and plan that are known, the truth that is not, and how far each saddle stands off, mm."""

    spec: Spec
    plan: SetupPlan
    true: SimulatedSetup
    saddle_off: tuple[float, ...]


def hidden_setup(kind: str, chance: random.Random) -> Hidden:
    """One instrument: frets nearly level, a bow, slots mostly high, saddles anywhere."""
    spec = replace(STARTING[kind], name="x")
    plan = starting_setup(spec)
    tops = {lane: tuple(chance.gauss(0, 0.006) for _ in range(spec.frets)) for lane in LANES}
    neck = SimulatedNeck(spec.mean_scale_mm, tops, {}, bow_mm=chance.uniform(0.1, 0.5), rod_mm=chance.uniform(0.2, 0.6))
    at = assemble(plan, spec, SetupReadings())
    true = SimulatedSetup(
        neck,
        tuple(one.nut_height_mm + chance.uniform(-0.05, 0.3) for one in at.strings),
        tuple(one.saddle_height_mm + chance.uniform(-0.6, 1.2) for one in at.strung()),
        tuple(pulls(plan, spec)),
        tuple(plucks(plan, spec)),
        plan.strings,
        stroke_of(plan),
    )
    return Hidden(spec, plan, true, tuple(chance.uniform(-2.0, 1.0) for _ in range(spec.strings)))
