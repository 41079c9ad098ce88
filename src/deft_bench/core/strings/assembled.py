"""An instrument's strings over its frets as last read: what the setup is calculated from, and what is taken as usual
where nothing is read.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.heights import Heights, deviations
from deft_bench.core.instrument import Spec
from deft_bench.core.neck.rod_call import relief_target
from deft_bench.core.strings.clearance import OverString, Strung, clearance, held, open_nut_height
from deft_bench.core.strings.customary import customary_action, string_kind
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.setup_job import SetupReadings, SetupTarget
from deft_bench.core.strings.setup_plan import SetupPlan, bridge_kind, bridge_shape, plucks, pulls, stroke_of
from deft_bench.core.strings.setup_solve import Solved, setup_solve
from deft_bench.core.strings.stroke import Stroke
from deft_bench.core.survey_figures import bow_of_tops

ENOUGH = 0.5
"""A lane counts when at least this share of its frets is read; the gaps are filled along straight lines."""
WORTH_REPAIRING_MM = 0.15
"""A fret is named before the action is set when putting it right lets the strings down by this much on average."""


@dataclass(frozen=True, slots=True)
class Trial:
    """What is tried in place of what was read, mm: relief, action by string, height added to every nut slot, and a
    factor on the hand.
    """

    relief_mm: float
    action_mm: Mapping[int, float]
    nut_mm: float = 0.0
    hand: float = 1.0


@dataclass(frozen=True, slots=True)
class Assembled:
    """Neck and strings for the clearance, and what of them was not read."""

    frame: StringFrame
    strings: tuple[OverString, ...]
    stroke: Stroke
    unread: tuple[str, ...]

    def strung(self) -> list[Strung]:
        """Every string over every fret."""
        return clearance(self.frame, self.strings, self.stroke)


def errors_of(heights: Mapping[str, Heights], scale_mm: float, frets: int) -> dict[str, list[float]]:
    """How far each fret top stands off its lane's own line and the neck's bow, proud positive, by lane; unread frets
    lie between their neighbours.
    """
    x = fret_positions(scale_mm, frets)
    bow = bow_of_tops(heights, x)
    relief = bow.relief_mm if bow is not None else 0.0
    span = (x[-1] - x[0]) ** 2 or 1.0
    found = {}
    for lane, read in heights.items():
        if sum(h is not None for h in read) < ENOUGH * frets:
            continue
        flat = [
            None if h is None else h + 4 * relief * (at - x[0]) * (x[-1] - at) / span
            for h, at in zip(read, x, strict=True)
        ]
        off = deviations(x, flat)
        known = [(at, d) for at, d in zip(x, off, strict=True) if d is not None]
        found[lane] = [float(v) for v in np.interp(x, [at for at, _ in known], [d for _, d in known])]
    return found


def usual_action(spec: Spec, string: int) -> float:
    """An action that stands in until it is read, mm."""
    return customary_action(string_kind(spec), string, spec.strings, spec.hand)


def assemble(
    plan: SetupPlan,
    spec: Spec,
    found: SetupReadings,
    errors: Mapping[str, Sequence[float]] | None = None,
    trial: Trial | None = None,
) -> Assembled:
    """Put neck and strings together as read, or as tried. Raises ValueError for a board of fewer than 12 frets."""
    count = spec.strings
    numbers = range(1, count + 1)
    unread = []
    relief = found.relief_mm
    if relief is None:
        relief = relief_target(spec.hand, spec.kind)
        unread.append("relief")
    read = StringFrame(spec.mean_scale_mm, spec.frets, relief, errors=dict(errors) if errors else None)
    if not errors:
        unread.append("fret heights")
    actions = {number: found.action_mm.get(number, usual_action(spec, number)) for number in numbers}
    if len(found.action_mm) < count:
        unread.append("action")
    if len(found.gap_mm) < count:
        unread.append("first-fret gap")
    middle = {number: (plan.gap_low_um[number - 1] + plan.gap_high_um[number - 1]) / 2000 for number in numbers}
    bearing = min(plan.bearing_fret, spec.frets)
    nuts = {
        number: open_nut_height(found.gap_mm.get(number, middle[number]), bearing, read, number, count)
        for number in numbers
    }
    frame = read
    hand = 1.0
    if trial is not None:
        frame = replace(read, relief_mm=trial.relief_mm)
        actions = {**actions, **trial.action_mm}
        nuts = {number: height + trial.nut_mm for number, height in nuts.items()}
        hand = trial.hand
    tension = pulls(plan, spec)
    pluck = plucks(plan, spec)
    strings = tuple(
        OverString(number, tension[number - 1], nuts[number], pluck[number - 1] * hand, actions[number])
        for number in numbers
    )
    return Assembled(frame, strings, stroke_of(plan), tuple(unread))


def solve(plan: SetupPlan, spec: Spec, at: Assembled, capo: int = 0) -> Solved:
    """The lowest setup of an instrument as assembled, its nut slots brought to what is wanted; a neck without a rod
    keeps its relief. With a `capo` it is only played from there. Raises ValueError where it cannot be solved.
    """
    lowered = [
        replace(string, nut_height_mm=_wanted_nut(plan, spec, at, string), action_12_mm=None, saddle_height_mm=None)
        for string in at.strings
    ]
    free = (plan.relief_low_um / 1000, plan.relief_high_um / 1000)
    return setup_solve(
        at.frame,
        lowered,
        free if spec.rod != "none" else (at.frame.relief_mm, at.frame.relief_mm),
        plan.margin_um / 1000,
        bridge_kind(spec),
        bridge_shape(plan, spec),
        at.stroke,
        capo,
    )


@dataclass(frozen=True, slots=True)
class Forward:
    """Action over fret 12 of each string, mm, as it will read after the rod, and then after the nut, with the saddles
    left where they are.
    """

    after_rod: Mapping[int, float]
    after_nut: Mapping[int, float]


def forward(plan: SetupPlan, spec: Spec, at: Assembled, relief_mm: float) -> Forward:
    """What each step toward a setup leaves for the next: the relief moves the action, and so do the slots."""
    placed = held(at.strings, at.strung())
    frame = replace(at.frame, relief_mm=relief_mm)
    filed = [replace(one, nut_height_mm=_wanted_nut(plan, spec, at, one)) for one in placed]
    rod, nut = (
        {one.string: one.action_12_mm for one in clearance(frame, strings, at.stroke)} for strings in (placed, filed)
    )
    return Forward(rod, nut)


def as_set(
    plan: SetupPlan, spec: Spec, at: Assembled, relief_mm: float, actions: Mapping[int, float], force: float = 1.0
) -> list[Strung]:
    """The strings as they would lie at a relief and actions, mm, with the nut slots brought to what is wanted, plucked
    with a `force` against the hand's.
    """
    frame = replace(at.frame, relief_mm=relief_mm)
    placed = [
        replace(
            one,
            nut_height_mm=_wanted_nut(plan, spec, at, one),
            action_12_mm=actions[one.string],
            pluck_n=one.pluck_n * force,
        )
        for one in at.strings
    ]
    return clearance(frame, placed, at.stroke)


@dataclass(frozen=True, slots=True)
class FretFirst:
    """One fret that keeps the action up: how far it stands off its neighbours (proud positive), and the lowest setup
    with it put right, mm.
    """

    fret: int
    off_mm: float
    solved: Solved
    lower_by_mm: float


def fret_first(plan: SetupPlan, spec: Spec, at: Assembled, solved: Solved, rock_mm: float) -> FretFirst | None:
    """The single fret whose repair lowers the setup most, if that is worth the work; None without heights or such a
    fret.

    Tried are the frets that the strings are stopped by: each is put on the line between its neighbours.
    """
    errors = at.frame.errors
    if not isinstance(errors, Mapping) or not errors:
        return None
    tight = {
        fret for limit in solved.limited_by if limit for fret in (limit.fretted, limit.over) if 0 < fret <= spec.frets
    }
    best: FretFirst | None = None
    for fret in sorted(tight):
        off, repaired = _on_the_line(errors, fret, fret_positions(spec.mean_scale_mm, spec.frets))
        if abs(off) < rock_mm:
            continue
        after = solve(plan, spec, replace(at, frame=replace(at.frame, errors=repaired)))
        gain = solved.mean_action_mm - after.mean_action_mm
        if gain >= WORTH_REPAIRING_MM and (best is None or gain > best.lower_by_mm):
            best = FretFirst(fret, off, after, gain)
    return best


def _on_the_line(
    errors: Mapping[str, Sequence[float]], fret: int, x: Sequence[float]
) -> tuple[float, dict[str, list[float]]]:
    """How far a fret stands off the line between its neighbours on average, mm, and the errors with it on that line."""
    others = [n for n in range(len(x)) if n != fret - 1]
    off, repaired = 0.0, {}
    for lane, values in errors.items():
        fair = float(np.interp(x[fret - 1], [x[n] for n in others], [values[n] for n in others]))
        off += (values[fret - 1] - fair) / len(errors)
        repaired[lane] = [fair if n == fret - 1 else mm for n, mm in enumerate(values)]
    return off, repaired


def _wanted_nut(plan: SetupPlan, spec: Spec, at: Assembled, one: OverString) -> float:
    """A slot as it will be: where it is if its gap is as wanted, else brought to the nearer end of what is wanted."""
    bearing = min(plan.bearing_fret, spec.frets)
    low, high = plan.gap_low_um[one.string - 1] / 1000, plan.gap_high_um[one.string - 1] / 1000
    least, most = (open_nut_height(gap, bearing, at.frame, one.string, spec.strings) for gap in (low, high))
    return min(most, max(least, one.nut_height_mm))


def target_of(plan: SetupPlan, relief_mm: float, actions: Mapping[int, float]) -> SetupTarget:
    """A setup to work to."""
    gaps = {
        i: (low / 1000, high / 1000)
        for i, (low, high) in enumerate(zip(plan.gap_low_um, plan.gap_high_um, strict=True), start=1)
    }
    return SetupTarget(relief_mm, dict(actions), gaps)


def target_record(target: SetupTarget) -> dict[str, object]:
    """A target as it is stored: whole micrometres, by string number."""
    return {
        "relief_um": round(target.relief_mm * 1000),
        "action_um": {str(number): round(mm * 1000) for number, mm in target.action_mm.items()},
        "gap_um": {
            str(number): [round(low * 1000), round(high * 1000)] for number, (low, high) in target.gap_mm.items()
        },
    }


def target_from(stored: Mapping[str, object]) -> SetupTarget:
    """A stored target."""
    actions, gaps = stored["action_um"], stored["gap_um"]
    assert isinstance(actions, Mapping)
    assert isinstance(gaps, Mapping)
    relief = stored["relief_um"]
    assert isinstance(relief, int)
    return SetupTarget(
        relief / 1000,
        {int(number): um / 1000 for number, um in actions.items()},
        {int(number): (low / 1000, high / 1000) for number, (low, high) in gaps.items()},
    )
