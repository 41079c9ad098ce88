"""The gate after levelling, for the screens that show it."""

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.level_gate import LevelGate, level_gate
from deft_bench.core.survey import heights_from
from deft_bench.store import jobs
from deft_bench.web.support import rock_mm
from deft_bench.web.surveyed import Surveyed, planned_drops


def shown_band(gate: LevelGate, after: Surveyed) -> float:
    """How close to the planned shape the frets were seen to be, mm: never closer than the tool can tell."""
    return max([after.survey.head.resolution_um / 1000, *gate.band_mm.values()])


def after_gate(plan: jobs.AcceptedPlan, after: Surveyed) -> LevelGate:
    """Judge a survey against the plan that was carried out before it, in every lane that was planned."""
    frets = after.survey.frets
    lanes = heights_from(after.values, after.survey.head.method, frets)
    wanted = {lane: lanes.get(lane, [None] * frets) for lane in plan.outcome["removal_um"]}
    positions = fret_positions(plan.inputs["scale_um"] / 1000, frets)
    left_out = frozenset(plan.inputs["left_out"])
    return level_gate(positions, wanted, planned_drops(plan) or [0.0] * frets, left_out, rock_mm())
