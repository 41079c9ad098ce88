"""The trade's tolerances, each by the behaviour it stands for: a figure that is changed changes what a technician is
told.
"""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.level_call import level_call, option_to_call
from deft_bench.core.frets.level_gate import level_gate
from deft_bench.core.frets.levelling import LevelRequest, least_height, marked_option, plan_level
from deft_bench.core.instrument import STARTING
from deft_bench.core.limits import GATE_CENTS
from deft_bench.core.neck.rod_call import relief_target
from deft_bench.core.neck.truss_rod import truss_rod
from deft_bench.core.strings.intonation import CentsReading, intonation
from deft_bench.core.strings.setup_job import (
    SetupFacts,
    SetupReadings,
    SetupTarget,
    actions_off,
    cents_off,
    setup_steps,
)
from deft_bench.core.strings.setup_plan import pulls, starting_setup
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.core.work.catalogue import Operation
from deft_bench.core.work.pace import pace

XS = fret_positions(648, 12)


def plan(lanes: dict[str, list[float]], rock_mm: float, least_mm: float = 0.7, height_mm: float = 1.2):  # type: ignore[no-untyped-def]
    return plan_level(
        LevelRequest(
            tuple(XS), lanes, (0.0,) * 12, frozenset(), "least_metal", (height_mm,) * 12, least_mm, 0.01, rock_mm
        )
    )


@given(st.lists(st.integers(-40, 40), min_size=36, max_size=36), st.sampled_from([0.01, 0.02, 0.05, 0.08]))
def test_call_gate_and_marked_frets_go_by_the_shops_own_rock(heights: list[int], rock: float) -> None:
    lanes = {lane: [mm / 1000 for mm in heights[i::3]] for i, lane in enumerate(LANES)}
    made = plan(lanes, rock)
    gate = level_gate(XS, lanes, [0.0] * 12, frozenset(option_to_call(made).leave), rock_mm=rock)
    left = level_call(made, home=range(1, 22)).do == "none"
    # the gate's band is half as wide on either side: what is left alone passes it, whatever the shop calls a rock
    assert left == (2 * max(gate.band_mm.values()) <= rock + 1e-9)
    assert gate.passes == (max(gate.band_mm.values()) <= rock + 1e-9)
    taken = [off for lane in marked_option(made).lanes.values() for off in lane.removal_mm if off]
    assert all(off >= rock - 1e-9 for off in taken)


def test_relief_is_wanted_by_hand_and_kind() -> None:
    assert [relief_target(hand, "electric") for hand in ("light", "medium", "heavy")] == [0.10, 0.18, 0.25]
    assert {relief_target(hand, "long_bass") for hand in ("light", "medium", "heavy")} == {0.30}
    assert relief_target("unknown", "acoustic") == relief_target("medium", "acoustic")


@pytest.mark.parametrize(("off", "turn"), [(0.020, "none"), (0.021, "tighten"), (-0.020, "none"), (-0.021, "loosen")])
def test_the_rod_is_left_within_two_hundredths(off: float, turn: str) -> None:
    assert truss_rod(0.18 + off, 0.18, "dual", prior_mm=0.1).turn == turn


def test_a_setups_gates_at_their_edges() -> None:
    target = SetupTarget(0.18, {1: 1.6}, {1: (0.03, 0.08)})
    facts = SetupFacts(1, SetupReadings(), SetupReadings(0.18, {1: 1.65}, {1: 0.05}, {1: {12: 2.0}}), target)
    assert actions_off(facts) == {}
    assert actions_off(replace(facts, latest=replace(facts.latest, action_mm={1: 1.651}))) == {1: pytest.approx(0.051)}
    for off, state in ((0.03, "done"), (0.031, "now"), (-0.03, "done"), (-0.031, "now")):
        read = SetupReadings(0.18, {1: 1.6}, {1: 0.05})
        found = SetupFacts(1, read, replace(read, relief_mm=0.18 + off), target)
        assert next(step for step in setup_steps(found) if step.code == "relief").state == state, off
    for bridge, most in (("individual", 2.0), ("two_post", 2.0), ("tail_mounted", 2.0), ("one_piece", 4.0)):
        gate = replace(facts, cents_within=GATE_CENTS[bridge])
        assert cents_off(replace(gate, latest=replace(facts.latest, cents={1: {12: most}}))) == {}
        assert cents_off(replace(gate, latest=replace(facts.latest, cents={1: {12: -most - 0.1}}))) == {1: -most - 0.1}


def test_a_semitone_is_no_intonation() -> None:
    assert SURVEY_KINDS["intonation"].problem(10_000) is None
    assert "another note" in (SURVEY_KINDS["intonation"].problem(10_001) or "")


@pytest.mark.parametrize(("shift", "named"), [(0.24, False), (0.27, True)])
def test_a_nut_that_hardly_stands_off_is_not_named(shift: float, named: bool) -> None:
    scale, k = 648.0, 1731.2340490667562
    readings = [
        CentsReading(fret, -k * ((1.0 - shift) / scale - 1.0 / (scale * 2 ** (-fret / 12))))
        for fret in (1, 3, 5, 12, 15)
    ]
    found = intonation(scale, readings, 0.05, 0.05)
    assert (found.nut_shift_mm > 0) == named
    assert not named or found.nut_shift_mm == pytest.approx(shift, abs=0.01)


def test_a_string_without_a_note_pulls_as_strings_do() -> None:
    spec = STARTING["electric"]
    setup = starting_setup(spec)
    unnamed = replace(setup, strings=tuple(replace(one, note="", hz=None) for one in setup.strings))
    assert pulls(unnamed, spec) == [75.0] * 6
    assert all(45 <= pull <= 110 for pull in pulls(setup, spec))


@pytest.mark.parametrize(("gap", "counts"), [(12.0, True), (12.1, False)])
def test_a_longer_gap_between_ticks_is_a_break(gap: float, counts: bool) -> None:
    start = datetime(2026, 8, 24, 9, 0, tzinfo=UTC)
    ticks = [start, start + timedelta(minutes=gap), start + timedelta(minutes=2 * gap)]
    assert (pace(ticks, 10, ticks[-1]) is not None) == counts


def test_a_cure_is_never_shorter_than_at_twenty_degrees() -> None:
    glue = Operation("glue", "Glue", "neck", (1, 0, 0), wait=60, cold=True)
    assert [glue.waiting(warmth) for warmth in (35.0, 20.0, 10.0, 0.0)] == [60, 60, 120, 240]


def test_a_fret_at_the_least_height_is_kept() -> None:
    lanes = {lane: [0.0] * 5 + [0.19] + [0.0] * 6 for lane in LANES}
    assert least_height(1.2) == pytest.approx(0.78)
    assert least_height(0.8) == 0.60
    assert plan(lanes, 0.02, least_mm=1.0).below_least() == []  # 1.2 less 0.19 and 0.01 is the least itself
    assert plan(lanes, 0.02, least_mm=1.001).below_least() == [6]
