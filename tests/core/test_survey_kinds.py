"""Every kind of survey is complete: its places, its limits, its words; what it writes it reads again."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.survey import METHODS, SURFACES, SurveyHead, cursor_places, head_problems, places
from deft_bench.core.survey_kinds import OFFERED, SURVEY_KINDS, SurveyKind
from deft_bench.core.units import MM, Display, LengthError

KINDS = pytest.mark.parametrize("kind", SURVEY_KINDS.values(), ids=list(SURVEY_KINDS))


def head_of(kind: SurveyKind) -> SurveyHead:
    return SurveyHead(
        kind.code,
        "before",
        kind.methods[0],
        kind.surfaces[0],
        kind.tool,
        kind.resolution_um,
        "tuned" if kind.per_string else "off",
        20.0,
        50.0,
        "lane_by_lane",
        "",
        6 if kind.per_string else 0,
        (5, 12) if kind.named_frets == "must" else (),
        3 if kind.asks_strokes else 0,
        (50, 100, 150) if kind.asks_blades else (),
    )


@KINDS
def test_a_kind_is_complete(kind: SurveyKind) -> None:
    assert all((kind.label, kind.legend, kind.tool, kind.limits.what))
    assert set(kind.methods) <= METHODS.keys()
    assert set(kind.surfaces) <= SURFACES.keys()
    assert head_problems(head_of(kind)) == {}
    assert any(kind.code in codes for codes in OFFERED.values())
    assert (kind.unit == "answer") == bool(kind.answers)
    assert kind.counts_mm is None or kind.counts_mm > 0
    assert kind.drawn == "off_line" or kind.counts_mm is not None
    assert not (kind.per_string and not kind.page)
    assert head_problems(replace(head_of(kind), strings=0 if kind.per_string else 6)).keys() == {"strings"}
    other_way = replace(head_of(kind), strokes=0 if kind.asks_strokes else 3)
    assert head_problems(other_way).keys() == {"strokes"}
    for blades in ((150, 100),) if kind.asks_blades else ((50,),):
        assert head_problems(replace(head_of(kind), blades_um=blades)).keys() == {"blades_um"}
    if len(kind.methods) == 1:
        other = next(method for method in METHODS if method not in kind.methods)
        assert "method" in head_problems(replace(head_of(kind), method=other))


@KINDS
@pytest.mark.parametrize("order", ["lane_by_lane", "fret_by_fret"])
def test_every_place_is_visited_once_in_its_own_lanes(kind: SurveyKind, order: str) -> None:
    head = replace(head_of(kind), order=order)  # type: ignore[arg-type]
    found = places(head, 22)
    assert len(found) == len(set(found)) > 0
    assert {lane for lane, _ in found} == set(kind.lanes_of(6))
    assert all((0 if kind.open_too else 1) <= fret <= 22 for _, fret in found)
    if kind.named_frets == "may":
        named = cursor_places(replace(head, at_frets=(5, 9)), 22)
        assert named == [place for place in found if place[1] in (5, 9)]


@KINDS
@given(data=st.data())
def test_what_is_in_its_limits_is_taken_and_comes_back_as_it_was_written(kind: SurveyKind, data: st.DataObject) -> None:
    fret = data.draw(st.sampled_from([1, 5, 12]))
    limits = kind.limits_at(fret)
    stored = data.draw(st.integers(limits.least, limits.most))
    assert kind.problem(stored, fret) is None
    for shown in (MM, Display("in", 64)):
        written = f"{kind.words(stored, shown)} {kind.unit_words(shown)}".strip()
        # hundredths of a millimetre, tenths of a mil or of a cent are what a cell shows
        assert kind.read(written, shown.system) == pytest.approx(stored, abs=0 if kind.unit == "answer" else 5)
    if kind.unit != "answer":
        for beyond in (limits.least - 1, limits.most + 1):
            assert kind.problem(beyond, fret)
    else:
        with pytest.raises(LengthError, match="is no answer"):
            kind.read("0.2")
    assert math.isinf(kind.least_shown_mm(0.05)) or kind.least_shown_mm(0.05) > 0
