"""A setup's gates can always be met: by the rod's own steps, by a bridge's straight line, by the best a saddle does."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.board.positions import fret_position
from deft_bench.core.calls import in_mm
from deft_bench.core.limits import ACTION_GATE_MM
from deft_bench.core.neck.truss_rod import Turn, response, truss_rod
from deft_bench.core.strings.intonation import (
    CentsReading,
    intonation,
    intonation_call,
    reachable_cents,
    with_one_saddle,
)
from deft_bench.core.strings.notes import K_CENTS
from deft_bench.core.strings.reachable import Reach, action_within, cents_within, relief_within
from deft_bench.core.strings.saddle_height import SaddleRead, one_piece, raise_for, saddle_call
from deft_bench.core.strings.setup_job import SetupFacts, SetupReadings, SetupTarget, setup_steps

READ = st.lists(st.tuples(st.integers(1, 19), st.floats(-30, 30)), min_size=1, max_size=4)


@given(READ, READ, st.floats(-3, 3))
def test_strings_on_one_saddle_share_the_shift_that_leaves_the_least_worst(
    one: list[tuple[int, float]], other: list[tuple[int, float]], tried: float
) -> None:
    scales = [628.0, 636.0]
    readings = [[CentsReading(*pair) for pair in read] for read in (one, other)]
    fits = [intonation(scale, read) for scale, read in zip(scales, readings, strict=True)]
    shared = with_one_saddle(scales, readings, fits)
    assert shared[0].saddle_shift_mm == shared[1].saddle_shift_mm
    worst = max(fit.reachable_cents for fit in shared)
    assert [fit.reachable_cents for fit in shared] == reachable_cents(scales, readings)
    for alone, fit in zip(fits, shared, strict=True):
        assert fit.reachable_cents >= alone.reachable_cents - 1e-9
    elsewhere = max(
        abs(read.cents - tried * K_CENTS * (1 / (scale - fret_position(scale, read.fret)) - 1 / scale))
        for scale, reads in zip(scales, readings, strict=True)
        for read in reads
    )
    assert worst <= elsewhere + 1e-6


def test_a_gate_is_no_nearer_than_a_screw_or_a_saddle_of_three_strings() -> None:
    assert action_within("individual", [0.1] * 6, thread_mm=1.0) == pytest.approx(1 / 16)
    assert action_within("tail_mounted", [0.1] * 6, thread_mm=1.0) == ACTION_GATE_MM
    # the middle string of three stands 0.2 off the line of its neighbours: half of it is left at either
    assert action_within("threes", [0.0, 0.2, 0.0, 0, 0, 0]) == pytest.approx(ACTION_GATE_MM + 0.1)
    assert action_within("pairs", [0.0, 0.2, 0.0, 0, 0, 0]) == ACTION_GATE_MM


@given(st.floats(0.1, 0.8), st.floats(0.0, 0.6), st.floats(0.05, 0.3))
def test_where_the_rod_is_left_the_relief_passes(per_turn: float, relief: float, wanted: float) -> None:
    turns: list[Turn] = []
    for _ in range(40):
        advice = truss_rod(relief, wanted, "dual", turns)
        if not advice.next_turn:
            break
        after = relief - per_turn * advice.next_turn
        turns.append(Turn(advice.next_turn, relief, after))
        relief = after
    assert advice.turn == "none"
    assert abs(relief - wanted) <= relief_within("dual", response(turns)[0]) + 1e-9


def test_a_neck_without_a_rod_or_a_coarse_gauge_is_not_asked_for_more() -> None:
    target = SetupTarget(0.10, {1: 1.6}, {1: (0.03, 0.08)})
    read = SetupReadings(0.42, {1: 1.6}, {1: 0.05})

    def relief(reach: Reach) -> tuple[str, str]:
        step = next(s for s in setup_steps(SetupFacts(1, read, read, target, reach=reach)) if s.code == "relief")
        return step.state, step.say

    assert relief(Reach())[0] == "now"
    assert relief(Reach(relief_within("none", 0.0))) == ("done", "Relief 0.42 mm; there is no rod to change it.")
    assert relief_within("dual", 0.2, 0.05) == 0.05
    assert action_within("individual", [0.0] * 6, 0.25) == 0.25


@given(st.lists(st.floats(-0.4, 0.4), min_size=6, max_size=6))
def test_a_straight_cut_at_its_best_passes(off: list[float]) -> None:
    """Takes off the best straight line, each end cut to a tenth of a millimetre at the saddle: 0.05 over fret 12."""
    within = action_within("one_piece", off)
    across = np.arange(6.0)
    ends = np.linspace(-1.2, 1.2, 97)
    bass, treble = np.meshgrid(ends, ends)
    lines = treble[..., None] + (bass - treble)[..., None] * across / 5
    brute = np.abs(np.asarray(off) - lines).max(axis=-1).min()
    assert within - ACTION_GATE_MM <= brute + 1e-9
    assert brute <= within - ACTION_GATE_MM + 0.025
    reads = [SaddleRead(i, 1.6 + by, 1.6, raise_for(645, 2, 1.6 + by, 1.6), within) for i, by in enumerate(off)]
    said = saddle_call(
        reads, one_piece([r.move for r in reads if r.move], 55, 5), None, dict.fromkeys(range(6), "E"), in_mm
    )
    assert (said.do == "none") == all(abs(by) <= within + 1e-9 for by in off)


@given(st.lists(st.tuples(st.integers(1, 20), st.floats(-15, 15)), min_size=1, max_size=6))
def test_the_best_place_of_a_saddle_passes(pairs: list[tuple[int, float]]) -> None:
    scale = 648.0
    found = intonation(scale, [CentsReading(*pair) for pair in pairs])
    shifts = np.linspace(-100, 100, 40_001)
    gain = np.array([K_CENTS * (1 / (scale - fret_position(scale, n)) - 1 / scale) for n, _ in pairs])
    worst = np.abs(np.array([cents for _, cents in pairs]) - shifts[:, None] * gain).max(axis=1)
    assert found.reachable_cents <= worst.min() + 1e-9
    assert found.reachable_cents == pytest.approx(min(worst.min(), max(abs(c) for _, c in pairs)), abs=0.03)
    assert cents_within(2.0, found.reachable_cents) >= min(worst.min(), 30.0)


def test_a_string_at_its_best_is_left_and_its_gate_agrees() -> None:
    readings = [CentsReading(fret, cents) for fret, cents in ((5, 2.6), (7, -2.4), (12, 0.2), (15, -2.5))]
    found = intonation(648, readings)
    call = intonation_call(found, readings)
    assert (call.do, "as good as this bridge gets" in call.say) == ("none", True)
    read = SetupReadings(cents={1: {one.fret: one.cents for one in readings}})
    reach = Reach(cents={1: cents_within(2.0, found.reachable_cents)})
    for facts, state in ((SetupFacts(1, read, read, reach=reach), True), (SetupFacts(1, read, read), False)):
        step = next(step for step in setup_steps(facts) if step.code == "intonation")
        assert ("As good as this bridge gets" in step.say) is state
