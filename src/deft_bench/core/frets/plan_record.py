"""What is kept of an accepted plan: the inputs it was made from and what it came to, in whole micrometres."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from deft_bench.core.calls import Call
from deft_bench.core.frets.heights import Heights
from deft_bench.core.frets.levelling import LevelOption, LevelPlan, most_removed

PlanKind = Literal["level", "lift", "refret"]


@dataclass(frozen=True, slots=True)
class Circumstances:
    """What stood around a plan when it was accepted; lengths micrometres."""

    survey_uid: str
    scale_um: int
    nut: str
    fall_from: int | None = None
    fall_drop_um: int = 0
    seated: bool = False
    override_note: str = ""
    school: str = "full"


def record_inputs(plan: LevelPlan, chosen: LevelOption, around: Circumstances) -> dict[str, Any]:
    """What the plan was made from."""
    request = plan.request
    fall = {"from_fret": around.fall_from, "drop_um": around.fall_drop_um} if around.fall_drop_um else None
    return {
        "survey": around.survey_uid,
        "scale_um": around.scale_um,
        "heights_um": {lane: whole_um(heights) for lane, heights in request.heights.items()},
        "objective": request.objective,
        "left_out": sorted({*request.left_out, *chosen.leave}),
        "lift": list(chosen.lift),
        "fall_away": fall,
        "fret_height_um": whole_um(request.fret_height_mm),
        "crown_height_um": {lane: whole_um(read) for lane, read in request.crown_heights_mm.items()},
        "least_height_um": round(request.least_height_mm * 1000),
        "nut": around.nut,
        "seated": around.seated,
        "override_note": around.override_note,
        "school": around.school,
    }


def record_outcome(
    plan: LevelPlan, chosen: LevelOption, kind: PlanKind, frets: Sequence[int], call: Call
) -> dict[str, Any]:
    """What the plan came to; `frets` are those to lift or replace."""
    return {
        "kind": kind,
        "say": call.say,
        "do": call.do,
        "frets": list(frets),
        "total_um": round(chosen.total_mm * 1000),
        "worst_um": round(chosen.worst_mm * 1000),
        "level_all_total_um": round(plan.level_all.total_mm * 1000),
        "drops_um": whole_um(plan.request.drops_mm),
        "removal_um": {lane: whole_um(found.removal_mm) for lane, found in chosen.lanes.items()},
        "lines": {
            lane: {"offset_um": round(found.offset_mm * 1000, 3), "slope_um_per_m": round(found.slope * 1e6, 3)}
            for lane, found in chosen.lanes.items()
        },
        "removed_um": whole_um(most_removed(chosen)),
        "raise_um": {str(fret): round(chosen.raise_mm[fret] * 1000) for fret in chosen.lift},
    }


@dataclass(frozen=True, slots=True)
class FallAway:
    """A drop that grows from a fret to the last, µm at the last."""

    from_fret: int
    drop_um: int


@dataclass(frozen=True, slots=True)
class AcceptedLevel:
    """A plan as it was accepted; lengths µm, lists by fret from fret 1 on, mappings by lane or by fret.

    `kind` is `level`, `lift` or `refret`, `say` and `do` the call that was accepted, `frets` are those to lift or
    replace, `removed_um` is the most that comes off a fret in any lane, `removal_um` what comes off in each, `raise_um`
    how far each lifted fret comes up; `fret_height_um` is what the frets held before it, `crown_height_um` what of that
    was read, by lane.
    """

    kind: PlanKind
    say: str
    do: str
    frets: tuple[int, ...]
    total_um: int
    worst_um: int
    level_all_total_um: int
    drops_um: tuple[int, ...]
    removed_um: tuple[int | None, ...]
    removal_um: Mapping[str, tuple[int | None, ...]]
    raise_um: Mapping[int, int]
    scale_um: int
    heights_um: Mapping[str, tuple[int | None, ...]]
    fret_height_um: tuple[int, ...]
    crown_height_um: Mapping[str, tuple[int | None, ...]]
    objective: str
    left_out: tuple[int, ...]
    lift: tuple[int, ...]
    fall_away: FallAway | None
    school: str
    override_note: str

    @property
    def lanes(self) -> tuple[str, ...]:
        """The lanes that were planned."""
        return tuple(self.removal_um)

    @property
    def drops_mm(self) -> list[float]:
        """The drop planned at every fret."""
        return [um / 1000 for um in self.drops_um]

    @property
    def heights_mm(self) -> dict[str, Heights]:
        """The heights that it was made from."""
        return _in_mm(self.heights_um)

    @property
    def fret_heights_mm(self) -> tuple[float, ...]:
        """What each fret held before it."""
        return tuple(um / 1000 for um in self.fret_height_um)

    @property
    def crown_heights_mm(self) -> dict[str, Heights]:
        """The crown heights that it was made from."""
        return _in_mm(self.crown_height_um)

    def touched(self) -> tuple[int, ...]:
        """The frets that carrying it out touches: those lifted or replaced, or all that were levelled."""
        if self.kind != "level":
            return self.frets
        every = range(1, len(self.drops_um) + 1)
        if self.school == "marked":
            return tuple(fret for fret in every if self.removed_um[fret - 1])
        return tuple(fret for fret in every if fret not in self.left_out)

    def metal_taken(self) -> dict[int, int]:
        """Micrometres that carrying it out takes off each fret: only levelling takes any."""
        return {fret: um for fret, um in enumerate(self.removed_um, 1) if um} if self.kind == "level" else {}


def accepted_level(inputs: Mapping[str, Any], outcome: Mapping[str, Any]) -> AcceptedLevel:
    """The plan from what `record_inputs` and `record_outcome` kept."""
    fall = inputs["fall_away"]
    return AcceptedLevel(
        outcome["kind"],
        outcome["say"],
        outcome["do"],
        tuple(outcome["frets"]),
        outcome["total_um"],
        outcome["worst_um"],
        outcome["level_all_total_um"],
        tuple(outcome["drops_um"]),
        tuple(outcome["removed_um"]),
        {lane: tuple(off) for lane, off in outcome["removal_um"].items()},
        {int(fret): um for fret, um in outcome["raise_um"].items()},
        inputs["scale_um"],
        {lane: tuple(heights) for lane, heights in inputs["heights_um"].items()},
        tuple(inputs["fret_height_um"]),
        {lane: tuple(read) for lane, read in inputs.get("crown_height_um", {}).items()},
        inputs["objective"],
        tuple(inputs["left_out"]),
        tuple(inputs["lift"]),
        FallAway(fall["from_fret"], fall["drop_um"]) if fall else None,
        inputs.get("school", "full"),
        inputs["override_note"],
    )


def _in_mm(lanes_um: Mapping[str, Sequence[int | None]]) -> dict[str, Heights]:
    return {lane: [None if um is None else um / 1000 for um in read] for lane, read in lanes_um.items()}


def whole_um(lengths_mm: Sequence[float | None]) -> list[int | None]:
    """Lengths in mm as a plan keeps them; None where nothing was read."""
    return [None if mm is None else round(mm * 1000) for mm in lengths_mm]
