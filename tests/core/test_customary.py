"""A medium hand solves to customary settings, whatever is strung; and what changes when strings, tuning or hand do."""

from dataclasses import replace

import pytest

from deft_bench.core.calls import Call, in_mm
from deft_bench.core.instrument import STARTING, Spec
from deft_bench.core.strings.assembled import as_set, assemble, forward, solve
from deft_bench.core.strings.clearance import OverString
from deft_bench.core.strings.customary import (
    CUSTOMS,
    StringKind,
    customary_action,
    customary_pluck,
    string_kind,
    usual_range,
)
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.presets import PRESETS
from deft_bench.core.strings.setup_call import setup_call
from deft_bench.core.strings.setup_check import checked, checked_words
from deft_bench.core.strings.setup_job import SetupReadings
from deft_bench.core.strings.setup_plan import plucks, starting_setup
from deft_bench.core.strings.setup_solve import Solved, one_fret_costs, setup_solve
from deft_bench.core.strings.string_set import TUNINGS
from deft_bench.core.strings.stroke import Stroke

# tensions as packets give them, N, treble first; slots as they are before they are filed
CONTRACT: list[tuple[StringKind, float, int, tuple[float, ...], float, float, float]] = [
    ("electric", 648, 22, (73, 69, 74, 80, 86, 78), 0.26, 1.57, 1.86),
    ("acoustic", 645, 20, (104, 103, 132, 132, 127, 117), 0.16, 1.77, 2.06),
    ("nylon", 650, 19, (68, 54, 55, 68, 67, 64), 0.24, 2.95, 3.38),
    ("bass", 864, 20, (188, 219, 186, 160), 0.25, 1.77, 2.40),
]


@pytest.mark.parametrize(("kind", "scale", "frets", "pulls", "relief", "treble", "bass"), CONTRACT)
def test_a_medium_hand_solves_to_customary_settings(
    kind: StringKind, scale: float, frets: int, pulls: tuple[float, ...], relief: float, treble: float, bass: float
) -> None:
    strings = [OverString(i, pull, 0.35, customary_pluck(kind, i, len(pulls))) for i, pull in enumerate(pulls, start=1)]
    stroke = Stroke(CUSTOMS[kind].from_saddle_mm)
    found = setup_solve(StringFrame(scale, frets, 0.1), strings, (0, 0.5), 0.02, stroke=stroke)
    assert found.relief_mm == pytest.approx(relief, abs=0.03)
    assert found.strung[0].action_12_mm == pytest.approx(treble, abs=0.03)
    assert found.strung[-1].action_12_mm == pytest.approx(bass, abs=0.03)


def strung(kind: str, string_set: str, tuning: str, scale_mm: int, hand: str = "medium") -> Spec:
    um = scale_mm * 1000
    base = replace(STARTING[kind], name="x", bass_scale_um=um, treble_scale_um=um, string_set=string_set, hand=hand)
    return replace(base, tuning=TUNINGS[tuning], rod="dual", bridge="one_piece" if kind == "acoustic" else "individual")


NICKEL, BRONZE = "nickel-plated steel", "phosphor bronze"
# no slack low string under 50 N: a light set's dropped a tone wants more room than is customary, and the trade says so
OTHERS = [
    *[
        ("electric", f"{s} {NICKEL}", t, 648)
        for s in ("9–42", "10–46", "11–49")
        for t in ("standard", "half a step down")
    ],
    *[("electric", f"{s} {NICKEL}", "standard", 628) for s in ("9–42", "10–46", "11–49")],
    *[("electric", f"{s} {NICKEL}", "low string dropped", 648) for s in ("10–46", "11–49")],
    *[
        ("electric", "12–52 pure nickel, wound third", t, s)
        for t in ("standard", "half a step down")
        for s in (628, 648)
    ],
    ("electric", "11–50 flat-wound", "standard", 648),
    ("electric", "11–49 nickel-plated steel", "a whole step down", 648),
    ("electric", "13–62 nickel-plated steel", "baritone in B", 686),
    *[
        ("acoustic", f"{s} {BRONZE}", t, 645)
        for s in ("11–52", "12–53")
        for t in ("standard", "open G", "half a step down")
    ],
    ("acoustic", "13–56 bronze", "standard", 645),
    ("acoustic", "13–56 bronze", "half a step down", 645),
    *[("classical", f"{s}-tension nylon", "standard", scale) for s in ("normal", "high") for scale in (640, 650)],
    ("long_bass", "45–105 nickel-plated steel", "bass", 864),
    ("long_bass", "45–105 nickel-plated steel", "bass, low string dropped", 864),
    ("short_bass", "45–100 short-scale flat-wound", "bass", 762),
]


@pytest.mark.parametrize(("kind", "string_set", "tuning", "scale"), OTHERS)
def test_other_sets_tunings_and_scales_stay_in_the_usual_range(
    kind: str, string_set: str, tuning: str, scale: int
) -> None:
    spec = strung(kind, string_set, tuning, scale)
    plan = starting_setup(spec)
    found = solve(plan, spec, assemble(plan, spec, SetupReadings()))
    for one in (found.strung[0], found.strung[-1]):
        least, most = usual_range(customary_action(string_kind(spec), one.string, spec.strings))
        assert least <= one.action_12_mm <= most, (one.string, one.action_12_mm)


def test_gauge_tuning_and_hand_change_the_answer_but_not_the_force() -> None:
    def treble(spec: Spec) -> float:
        plan = starting_setup(spec)
        return solve(plan, spec, assemble(plan, spec, SetupReadings(relief_mm=0.2))).strung[0].action_12_mm

    light, heavy = (strung("electric", f"{s} {NICKEL}", "standard", 648) for s in ("9–42", "11–49"))
    assert plucks(starting_setup(light), light) == plucks(starting_setup(heavy), heavy)
    assert treble(light) > treble(heavy) + 0.1
    assert treble(replace(light, tuning=TUNINGS["half a step down"])) > treble(light) + 0.1
    assert treble(replace(light, hand="heavy")) > treble(light) > treble(replace(light, hand="light"))
    assert len(OTHERS) >= 30
    assert [string_kind(STARTING[kind]) for kind in ("electric", "acoustic", "classical", "short_bass")] == list(
        CUSTOMS
    )


def test_a_setup_far_from_custom_is_not_offered_and_says_what_forces_it() -> None:
    spec = replace(strung("electric", f"9–42 {NICKEL}", "standard", 648))
    plan = starting_setup(spec)

    def call(force: float, relief: float | None = None) -> Call:
        pressed = replace(plan, pluck_n=(force,) * 6)
        rod = "none" if relief is not None else spec.rod
        at = assemble(pressed, replace(spec, rod=rod), SetupReadings(relief_mm=relief))
        customary = [customary_action("electric", i, 6) for i in range(1, 7)]
        found = solve(pressed, replace(spec, rod=rod), at)
        return setup_call(found, 0.02, customary_mm=customary, fixed_relief=relief is not None)

    assert call(1.0).do == "set"
    for said, word in ((call(4.0), "The force does"), (call(0.1), "too light"), (call(1.2, 1.4), "The relief forces")):
        assert (said.do, said.sure) == ("preset", "unsure")
        assert word in said.say


def test_a_preset_is_checked_and_says_what_would_have_to_change() -> None:
    spec = strung("electric", f"10–46 {NICKEL}", "standard", 648)
    plan, preset = starting_setup(spec), PRESETS["electric"]
    at = assemble(plan, spec, SetupReadings(relief_mm=0.2))
    actions = {i: preset.action_for(i, 6, "medium") for i in range(1, 7)}
    assert checked(as_set(plan, spec, at, 0.2, actions), at.frame, at.stroke).touching == 0
    low = checked(as_set(plan, spec, at, 0.2, {i: mm - 0.9 for i, mm in actions.items()}), at.frame, at.stroke)
    assert low.touching > 0
    assert "would touch" in checked_words(low, dict.fromkeys(range(1, 7), "E"), in_mm)
    # the rise that it names clears every string, and so does the lighter hand
    raised = as_set(plan, spec, at, 0.2, {i: actions[i] - 0.9 + low.more_mm.get(i, 0.0) + 1e-6 for i in actions})
    assert checked(raised, at.frame, at.stroke).touching == 0
    lighter = replace(plan, pluck_n=tuple(one.pluck_n * low.hand_share * 0.999 for one in at.strings))
    at = assemble(lighter, spec, SetupReadings(relief_mm=0.2))
    assert (
        checked(
            as_set(lighter, spec, at, 0.2, {i: mm - 0.9 for i, mm in actions.items()}), at.frame, at.stroke
        ).touching
        == 0
    )
    assert preset.action_for(1, 6, "light") < preset.action_for(1, 6, "heavy")


def test_one_fret_that_costs_is_named_with_what_it_costs() -> None:
    errors = [0.08 if n == 9 else 0.0 for n in range(1, 23)]
    strings = [OverString(i, 75, 0.12, 1.0) for i in (1, 2)]

    def again(frame: StringFrame) -> Solved:
        return setup_solve(frame, strings, (0.1, 0.3), 0.02)

    frame = StringFrame(648, 22, 0.1, errors={"treble": errors, "bass": errors})
    found = again(frame)
    (cost,) = one_fret_costs(frame, found, again)
    assert cost.fret == 9
    assert cost.mean_action_mm == pytest.approx(again(StringFrame(648, 22, 0.1)).mean_action_mm)
    assert one_fret_costs(StringFrame(648, 22, 0.1), again(StringFrame(648, 22, 0.1)), again) == []


def test_each_step_is_worked_out_on_what_the_ones_before_it_leave() -> None:
    spec = strung("electric", f"10–46 {NICKEL}", "standard", 648)
    plan = starting_setup(spec)
    read = SetupReadings(0.45, dict.fromkeys(range(1, 7), 2.2), dict.fromkeys(range(1, 7), 0.25))
    at = assemble(plan, spec, read)
    solved = solve(plan, spec, at)
    ahead = forward(plan, spec, at, solved.relief_mm)
    # less relief lets the strings down, and so do lower slots
    assert all(2.2 > ahead.after_rod[i] > ahead.after_nut[i] for i in range(1, 7))
    # done in that order, the saddles end where the setup was solved
    for one in solved.strung:
        rise = 2 * (one.action_12_mm - ahead.after_nut[one.string])
        was = next(string.saddle_height_mm for string in at.strung() if string.string == one.string)
        assert one.saddle_height_mm == pytest.approx(was + rise)
