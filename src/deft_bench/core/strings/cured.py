"""The setup that a buzz asks for: what was diagnosed, turned into a target that the gates follow.

A target that differs from what is read by no more than its gate would ask for nothing; so each part that has to move is
asked for at least a step past its gate. Where the strings of a bridge move together, the rise is the lowest line over
what each needs. Derived in docs/methods/setup-gates.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from math import isinf

import numpy as np

from deft_bench.core.strings.customary import offered
from deft_bench.core.strings.diagnose import Cause, Diagnosis, Heard
from deft_bench.core.strings.reachable import TOGETHER, Reach
from deft_bench.core.strings.saddle_height import SaddleMove, beneath
from deft_bench.core.strings.setup_job import SetupReadings, SetupTarget

PAST_GATE_MM = 0.01
"""How far past its gate a part is asked to move at least."""
RAISED = ("hand", "saddle_low", "relief_low", "relief_high")
"""Causes that are cured by a higher action, where there is no rod for the relief."""


def cured_target(
    target: SetupTarget,
    read: SetupReadings,
    heard: Sequence[Heard],
    found: Diagnosis,
    reach: Reach,
    bridge: str,
    relief_range: tuple[float, float],
) -> SetupTarget | None:
    """The target by which the cure to try is done: None where it is no matter of relief, slots or saddles, nothing
    buzzes, or too little is read. Where the relief would leave its range, mm, the action is raised.
    """
    cure = found.cure
    if cure is None or (found.wrong and cure.code in RAISED):
        by_rod = _by_rod(target, read, cure, reach, relief_range) if cure is not None else None
        return by_rod or raised_target(target, read, heard, found, reach, bridge)
    if found.wrong == 0:
        return raised_target(target, read, heard, found, reach, bridge)
    return _by_nut(target, read, cure) if cure.code == "nut_low" else None


def raised_target(
    target: SetupTarget, read: SetupReadings, heard: Sequence[Heard], found: Diagnosis, reach: Reach, bridge: str
) -> SetupTarget | None:
    """The target with the action raised until nothing heard buzzes; None where nothing does, or the action is not
    read.
    """
    least = _gate(reach, bridge) + PAST_GATE_MM
    buzzing = {note.string for note in heard if note.buzz}
    needs = {n: max(mm, least) if n in buzzing else 0.0 for n, mm in found.action_raise_mm.items()}
    if not any(needs.values()) or not read.action_mm.keys() >= needs.keys():
        return None
    raises = _together(needs) if bridge in TOGETHER else needs
    actions = {n: max(mm, read.action_mm[n] + raises[n]) if raises.get(n) else mm for n, mm in target.action_mm.items()}
    return replace(target, action_mm=actions)


def within_custom(target: SetupTarget | None, usual_mm: Mapping[int, float]) -> SetupTarget | None:
    """A target whose every action is near enough to the customary one, mm by string, to be offered; else None."""
    if target is None or not all(offered(mm, usual_mm[n]) for n, mm in target.action_mm.items()):
        return None
    return target


def _gate(reach: Reach, bridge: str) -> float:
    """The tolerance of one string's action; where strings move together what their line leaves is no matter here."""
    return Reach().action_mm if bridge in TOGETHER else reach.action_mm


def _together(needs: Mapping[int, float]) -> dict[int, float]:
    """The lowest straight line across the bridge over what each string needs, by string."""
    numbers = sorted(needs)
    if len(numbers) < 2:
        return dict(needs)
    # what is missing is a take-off below nothing: the cut that leaves no string low is the rise over them all
    line = beneath([SaddleMove(needs[n], 0.0) for n in numbers], 1.0, 0.0)
    ends = np.linspace(-line.take_off_treble_mm, -line.take_off_bass_mm, len(numbers))
    return {n: max(0.0, float(mm)) for n, mm in zip(numbers, ends, strict=True)}


def _by_rod(
    target: SetupTarget, read: SetupReadings, cure: Cause, reach: Reach, relief_range: tuple[float, float]
) -> SetupTarget | None:
    """The rod's share of a cure, with the action that goes with it; None without a rod or its reading, or where the
    relief would leave its range.
    """
    if cure.kind != "relief" or isinf(reach.relief_mm) or read.relief_mm is None:
        return None
    step = max(abs(cure.size), reach.relief_mm + PAST_GATE_MM)
    off = step if cure.code == "relief_low" else -step
    if not relief_range[0] <= read.relief_mm + off <= relief_range[1]:
        return None
    by_action = max(0.0, cure.cost_action_mm)
    actions = {n: max(mm, read.action_mm.get(n, mm) + by_action) for n, mm in target.action_mm.items()}
    return replace(target, relief_mm=read.relief_mm + off, action_mm=actions)


def _by_nut(target: SetupTarget, read: SetupReadings, cure: Cause) -> SetupTarget | None:
    """Higher slots: what each has and lacks, at least."""
    gaps = dict(target.gap_mm)
    for number, (low, high) in target.gap_mm.items():
        if cure.string in (None, number) and number in read.gap_mm:
            # the gap over fret 1 is half of what the slot rises
            least = read.gap_mm[number] + max(abs(cure.size) / 2, PAST_GATE_MM)
            gaps[number] = (max(low, least), max(high, least + (high - low)))
    return replace(target, gap_mm=gaps)
