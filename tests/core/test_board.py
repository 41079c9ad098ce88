"""Fret positions, marks on a rule, and fret lines, against the reference figures and as properties."""

import itertools
import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.board.fret_lines import Outline, fret_lines
from deft_bench.core.board.positions import RuleStep, fret_position, fret_positions, marks, nearest_mark

scales = st.floats(200, 1300)


def test_reference_positions() -> None:
    positions = fret_positions(628, 21)
    assert [round(positions[n - 1], 3) for n in (1, 5, 12, 21)] == [35.247, 157.532, 314.0, 441.294]


@given(scales, st.integers(1, 60), st.integers(5, 31))
def test_each_fret_shortens_the_string_by_the_same_ratio(scale: float, frets: int, divisions: int) -> None:
    speaking = [scale, *(scale - x for x in fret_positions(scale, frets, divisions))]
    for longer, shorter in itertools.pairwise(speaking):
        assert longer / shorter == pytest.approx(2 ** (1 / divisions))
    assert fret_position(scale, divisions, divisions) == pytest.approx(scale / 2)


@given(scales, st.integers(1, 24), st.floats(0.1, 2))
def test_a_mark_is_the_nearest_graduation(scale: float, fret: int, step: float) -> None:
    position = fret_position(scale, fret)
    mark, readable = nearest_mark(position, [RuleStep(scale, step)])
    assert readable == step
    assert abs(mark - position) <= step / 2 + 1e-9
    assert math.isclose(mark / step, round(mark / step), abs_tol=1e-6)


def test_marks_follow_a_rule_that_is_finer_near_its_end() -> None:
    steps = [RuleStep(100, 0.5), RuleStep(600, 1.0)]
    assert nearest_mark(35.247, steps) == (35.0, 0.5)
    assert nearest_mark(35.25, steps) == (35.5, 0.5)  # ties go up
    assert nearest_mark(157.532, steps) == (158.0, 1.0)
    assert nearest_mark(99.9, steps) == (100.0, 0.5)
    assert nearest_mark(35.247, steps, 0.5) == (35.25, 0.25)
    found = marks(628, [35.247], steps, 1.0)[0]
    assert found.error_cents == pytest.approx(1200 * math.log2((628 - 35.247) / (628 - 35.0)))
    with pytest.raises(ValueError, match="too coarse"):
        marks(628, [610.0], [RuleStep(628, 400)], 1.0)


def test_reference_fanned_board() -> None:
    lines = fret_lines(Outline(660, 628, 8, 22, 36, 52, (3.5, 3.5), (3.5, 3.5)))
    assert (round(lines[0].length_mm, 3), round(lines[0].angle_deg, 3)) == (45.268, 18.209)
    assert (round(lines[8].length_mm, 3), round(lines[8].angle_deg, 9) + 0.0) == (48.921, 0.0)
    assert [round(v, 3) for v in (*lines[12].bass_edge, *lines[12].treble_edge)] == [324.386, -25.504, 319.565, 25.496]
    assert round(lines[22].length_mm, 3) == 55.999


@given(
    st.floats(400, 900),
    st.floats(0, 0.06),
    st.floats(0, 24),
    st.integers(12, 24),
    st.floats(24, 60),
    st.floats(0, 25),
    st.floats(1, 6),
)
def test_fret_lines_never_cross_and_strings_have_their_scales(
    treble: float, fan: float, square: float, frets: int, nut: float, spread: float, margin: float
) -> None:
    bass = treble * (1 + fan)
    outline = Outline(bass, treble, min(square, frets), frets, nut, nut + spread, (margin, margin), (margin, margin))
    lines = fret_lines(outline)
    for before, after in itertools.pairwise(lines):
        assert after.bass_edge[0] > before.bass_edge[0]
        assert after.treble_edge[0] > before.treble_edge[0]
    # a string's length from nut to the octave is half its scale
    if bass != treble:
        assert math.dist(lines[0].bass_string, lines[12].bass_string) == pytest.approx(bass / 2)
        assert math.dist(lines[0].treble_string, lines[12].treble_string) == pytest.approx(treble / 2)
    else:
        assert all(abs(line.angle_deg) < 1e-9 for line in lines)
    crossing = [line.bass_string[0] + line.treble_string[0] for line in lines]
    assert crossing[0] == pytest.approx(0, abs=1e-9)
