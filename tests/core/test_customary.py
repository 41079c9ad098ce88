"""A medium hand solves to customary settings, whatever is strung; and what changes when strings, tuning or hand do."""

from dataclasses import replace

import pytest

from deft_bench.core.instrument import STARTING, Spec
from deft_bench.core.strings.assembled import assemble, solve
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
from deft_bench.core.strings.setup_job import SetupReadings
from deft_bench.core.strings.setup_plan import plucks, starting_setup
from deft_bench.core.strings.setup_solve import setup_solve
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
