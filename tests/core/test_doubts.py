"""Readings that can hardly be are questioned where they are entered, and named by the call; true necks are not."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.calls import Call, in_mm
from deft_bench.core.doubts import doubt_of, doubted_call, doubts
from deft_bench.core.survey import SurveyHead
from deft_bench.core.survey_kinds import Place

HEAD = SurveyHead("fret_heights", "before", "gap", "fret_tops", "straightedge", 20, "off", None, None, "lane_by_lane")
FLAT: dict[Place, int | None] = {("middle", fret): 130 for fret in range(1, 23)}


@given(st.integers(1, 22), st.integers(600, 1900))
def test_a_slip_stands_alone(fret: int, slip: int) -> None:
    """One wrong value among good ones is questioned by itself, its neighbours are not."""
    values = {**FLAT, ("middle", fret): slip}
    assert [doubt.place for doubt in doubts(HEAD, values, in_mm)] == [("middle", fret)]


@given(st.floats(-0.6, 0.6), st.integers(-250, 250), st.integers(1, 22))
def test_a_bowed_neck_with_a_bad_fret_is_not_questioned(bow: float, off: int, bad: int) -> None:
    values: dict[Place, int | None] = {
        ("middle", fret): 900 + round(1000 * bow * (1 - ((fret - 11.5) / 10.5) ** 2)) + (off if fret == bad else 0)
        for fret in range(1, 23)
    }
    assert doubts(HEAD, values, in_mm) == []


@pytest.mark.parametrize(("typed", "meant"), [(1300, "0.13 mm"), (13, "0.13 mm"), (-130, "0.13 mm"), (5, "0.13 mm")])
def test_a_slip_of_the_point_the_sign_or_the_unit_says_what_was_meant(typed: int, meant: str) -> None:
    head = replace(HEAD, method="height")
    asked = doubt_of(head, ("middle", 9), typed, FLAT, in_mm)
    assert asked
    assert asked.why.endswith(f"{meant} was perhaps meant")
    assert doubt_of(head, ("middle", 9), 210, FLAT, in_mm) is None
    near_nothing: dict[Place, int | None] = {("middle", fret): 10 for fret in range(1, 23)}
    assert doubt_of(head, ("middle", 9), 130, near_nothing, in_mm) is None


def test_inches_typed_as_millimetres_are_questioned_once_all_are_too_fine() -> None:
    values: dict[Place, int | None] = {("bass", 22): 4, ("bass", 21): 0, ("bass", 20): 6}
    assert doubt_of(HEAD, ("bass", 20), 6, {("bass", 22): 4, ("bass", 21): 0}, in_mm) is None
    asked = doubt_of(HEAD, ("bass", 19), 8, values, in_mm)
    assert asked
    assert "finer than the tool reads (0.02 mm)" in asked.why
    assert len(doubts(HEAD, {**values, ("bass", 19): 8}, in_mm)) == 1
    assert doubts(HEAD, {**values, ("bass", 19): 20}, in_mm) == []


@pytest.mark.parametrize(
    ("kind", "method", "place", "value", "words"),
    [
        ("fret_heights", "gap", ("bass", 3), -50, "never less than nothing"),
        ("slot_depth", "depth", ("bass", 3), 60, "not between 0.50 mm and 4.00 mm"),
        ("strings", "under_string", ("6", 12), 80, "not between 0.40 mm and 6.00 mm"),
        ("strings", "under_string", ("6", 1), 80, ""),
        ("straightness", "gap", ("middle", 3), -50, ""),
    ],
)
def test_what_each_kind_questions(kind: str, method: str, place: Place, value: int, words: str) -> None:
    asked = doubt_of(replace(HEAD, kind=kind, method=method), place, value, {}, in_mm)
    assert (asked.why if asked else "").endswith(words)
    assert bool(asked) is bool(words)


def test_a_call_from_a_questioned_reading_is_never_sure() -> None:
    call = doubted_call(Call("Level all.", "level", sure="certain"), doubts(HEAD, {**FLAT, ("middle", 9): 1400}, in_mm))
    assert call.sure == "unsure"
    assert call.settle == "Read again fret 9 middle, 1.40 mm beside 0.13 mm at fret 7; 0.14 mm was perhaps meant."
