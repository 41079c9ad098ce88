"""Refrets: the wire's call, the gates, the steps, and what a seating survey says to a level."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.described import from_fields, to_fields
from deft_bench.core.frets.level_call import level_call
from deft_bench.core.frets.levelling import LevelRequest, plan_level
from deft_bench.core.frets.notch import Obstruction
from deft_bench.core.frets.wire import wire_call
from deft_bench.core.instrument import STARTING
from deft_bench.core.refret import (
    SIDES,
    RefretFacts,
    RefretPlan,
    depth_gate,
    ends_ready,
    notches_of,
    refret_now,
    refret_problems,
    refret_steps,
    rest_advice,
    seat_gate,
    starting_refret,
)

SPEC = replace(STARTING["electric"], name="Any")
BOUND = replace(SPEC, bound=True, nibs=True)
PLAN = starting_refret(SPEC, 600, 300, 500)
LANES = ("bass", "middle", "treble")
DEEP: dict[tuple[str, int], int | None] = {(lane, fret): 1_900 for lane in LANES for fret in range(1, 23)}


@pytest.mark.parametrize(
    ("slot", "tang", "barb", "fit", "words"),
    [
        (0.60, 0.50, 0.62, "loose", "Too loose"),
        (0.60, 0.50, 0.70, "glue", "Glue it"),
        (0.60, 0.50, 0.80, "press", "Press or hammer"),
        (0.60, 0.50, 0.91, "tight", "Too tight"),
        (0.60, 0.61, 0.80, "tight", "Too tight"),
    ],
)
def test_the_wires_call(slot: float, tang: float, barb: float, fit: str, words: str) -> None:
    found, call = wire_call(slot, tang, barb, 250, 305)
    assert (found.fit, call.do) == (fit, fit)
    assert call.say.startswith(words)
    assert found.overbend_ok
    assert bool(call.instead) == (fit != "press")
    straight, why = wire_call(slot, tang, barb, 400, 305)
    assert not straight.overbend_ok
    assert "213.5 mm" in " ".join(why.because)


def test_slot_depth_gate() -> None:
    deep = DEEP
    assert depth_gate(deep, PLAN, SPEC).passes
    found = depth_gate(deep | {("bass", 4): 1_690, ("middle", 9): None}, PLAN, SPEC)
    assert found.shallow == ((("bass", 4), 1.69),)
    assert found.unread == (9,)
    assert not found.passes
    assert depth_gate(deep | {("treble", 2): 4_100}, PLAN, SPEC).thin == (2,)
    # only the frets that are replaced are asked for
    partial = replace(PLAN, frets=(4, 5))
    assert depth_gate({place: um for place, um in deep.items() if place[1] in (4, 5)}, partial, SPEC).passes


def test_a_slot_is_never_deepened_onto_what_is_in_it() -> None:
    depths: dict[tuple[str, int], int | None] = {(lane, fret): 1_900 for lane in LANES for fret in range(1, 23)}
    depths |= {("middle", 9): 700, ("bass", 4): 1_690}
    plan = replace(PLAN, obstructions=(Obstruction(9, "a pin of metal"),))
    found = depth_gate(depths, plan, SPEC)
    assert found.shallow == ((("bass", 4), 1.69),)
    assert found.relieve == (9,)
    facts = RefretFacts(saved=True, fit="press", frets=22, depth=found, notches=notches_of(plan, SPEC, depths))
    assert "Deepen the slot of fret 4" in refret_now(facts)[1]
    found = depth_gate(depths | {("bass", 4): 1_900}, plan, SPEC)
    assert found.passes
    for cut, code in ((3, "cut"), (22, "seat")):
        at, say = refret_now(replace(facts, depth=found, cut=cut))
        assert at == code
        assert "Deepen" not in say
        assert "Notch the tang of fret 9, 1.00 mm; do not deepen onto it." in say


def test_a_notch_is_where_and_as_high_as_what_is_in_the_slot() -> None:
    depths: dict[tuple[str, int], int | None] = {(lane, fret): 1_900 for lane in LANES for fret in range(1, 23)}
    plan = replace(PLAN, tang_depth_um=1_500, obstructions=(Obstruction(9, "screw", "middle", None, 900),))
    (notch,) = notches_of(plan, SPEC, depths)
    half = SPEC.lines()[9].length_mm / 2
    assert notch.at_mm == pytest.approx(half)
    assert notch.height_mm == pytest.approx(0.7)
    # only its own place may be shallow, and a tang that clears it needs no notch
    shallow = depth_gate(depths | {("middle", 9): 900, ("bass", 9): 900}, plan, SPEC)
    assert [place for place, _ in shallow.shallow] == [("bass", 9)]
    assert depth_gate(depths | {("middle", 9): 900}, plan, SPEC).relieve == (9,)
    assert notches_of(replace(plan, tang_depth_um=700), SPEC, depths) == ()
    at = replace(plan, obstructions=(Obstruction(9, "pin", "", round(half * 1000), None),))
    (by_gauge,) = notches_of(at, SPEC, depths | {("middle", 9): 1_200})
    assert by_gauge.lane == "middle"
    assert by_gauge.height_mm == pytest.approx(0.4)


@given(st.dictionaries(st.tuples(st.sampled_from(LANES), st.integers(1, 6)), st.integers(0, 90)))
def test_a_fret_is_home_when_no_lane_shows_daylight(gaps: dict[tuple[str, int], int]) -> None:
    found = seat_gate(gaps, range(1, 7))
    for fret in range(1, 7):
        read = [gaps[lane, fret] for lane in LANES if (lane, fret) in gaps]
        assert (fret in found.daylight) == any(um >= 30 for um in read)
        assert (fret in found.unread) == (len(read) < 3)
    assert found.passes == (len(gaps) == 18 and max(gaps.values()) < 30)


def test_the_steps_in_their_order() -> None:
    ends = ends_ready(f"{step} {side}" for step in ("flush", "bevel") for side in SIDES)
    good = depth_gate({(lane, fret): 1_900 for lane in LANES for fret in range(1, 23)}, PLAN, SPEC)
    home = seat_gate({(lane, fret): 0 for lane in LANES for fret in range(1, 23)}, PLAN.frets)
    off = seat_gate({("bass", 3): 60}, PLAN.frets)
    facts = RefretFacts(frets=22, fit="press")
    ladder = [
        ({}, "wire", "Choose the wire"),
        ({"saved": True, "fit": "tight"}, "wire", "too tight"),
        ({"fit": "press", "has_nibs": True}, "wire", "nibs"),
        ({"nibs_said": True}, "slots", "Clean the slots"),
        ({"depth": depth_gate({("bass", 4): 1_500}, PLAN, SPEC)}, "slots", "Deepen the slot of fret 4"),
        ({"depth": good}, "cut", "0 of 22"),
        ({"cut": 22}, "seat", "ends first"),
        ({"fitted": True, "seat": off}, "seat", "Reseat fret 3: 0.06 mm"),
        ({"seat": home}, "straight", "push the neck backward"),
        ({"bow_before_mm": 0.01, "bow_after_mm": -0.06}, "ends", "0 of 4"),
        ({"ends_done": ends}, "level", "bowed it 0.07 mm backward"),
        ({"bow_after_mm": 0.02}, "level", "survey their heights"),
        ({"closed": True}, "closed", "record is kept"),
    ]
    for more, code, words in ladder:
        facts = replace(facts, **more)  # type: ignore[arg-type]
        at, say = refret_now(facts)
        assert at == code
        assert words in say
        states = {step.code: step.state for step in refret_steps(facts)}
        assert states.get(at, "now") == "now"
        assert list(states.values()).count("now") == (0 if code == "closed" else 1)


@pytest.mark.parametrize(
    ("changed", "field"),
    [
        ({"frets": ()}, "frets"),
        ({"frets": (1, 40)}, "frets"),
        ({"slot_um": 0}, "slot_um"),
        ({"crown_width_um": 4_600}, "crown_width_um"),
        ({"tang_depth_um": 3_400, "slot_um": 600}, ""),
        ({"fret_height_um": 2_400}, "fret_height_um"),
        ({"nibs": "kept"}, "nibs"),
        ({"bevel_deg": 80}, "bevel_deg"),
        ({"pieces_um": (5_000,)}, "pieces_um"),
        ({"obstructions": (Obstruction(40, "knot"),)}, "obstructions"),
        ({"seat": "wished"}, "seat"),
        ({"tool": "x" * 81}, "tool"),
    ],
)
def test_what_cannot_be_fitted_is_refused(changed: dict[str, object], field: str) -> None:
    found = refret_problems(replace(PLAN, **changed), SPEC)  # type: ignore[arg-type]
    assert field in found if field else found == {}


def test_nibs_are_said_before_starting() -> None:
    plan = starting_refret(BOUND, 600, 300, 500)
    assert (plan.nibs, plan.nibs_said, plan.ends) == ("lost", False, "nipped")
    assert refret_problems(plan, BOUND) == {}
    assert "nibs" in refret_problems(replace(plan, nibs="none"), BOUND)
    # once they are gone the record of the refret still stands
    assert refret_problems(plan, replace(BOUND, nibs=False)) == {}
    assert rest_advice(38.0) is not None
    assert rest_advice(48.0) is None
    stored: RefretPlan = replace(plan, obstructions=(Obstruction(3, "knot"),), pieces_um=(305_000, 220_000), cut=(1, 2))
    assert from_fields(RefretPlan, to_fields(stored)) == stored


def test_daylight_is_called_before_any_metal() -> None:
    heights = {lane: [0.0, 0.02, 0.0, 0.06, 0.01, 0.0, -0.02, 0.0, 0.01, 0.0, 0.0, 0.02] for lane in LANES}
    request = LevelRequest(
        tuple(fret_positions(648, 12)), heights, (0.0,) * 12, frozenset(), "least_metal", (1.2,) * 12, 0.8, 0.01, 0.02
    )
    plan = plan_level(request)
    call = level_call(plan, daylight_mm={4: 0.05}, seated_with="soft-faced hammer")
    assert call.do == "reseat"
    assert call.say.startswith("Reseat fret 4 before any metal comes off: 0.05 mm")
    assert any("soft-faced hammer" in line for line in call.because)
    assert call.instead[0].cost == "no metal"
    assert level_call(plan, daylight_mm={}).do != "reseat"


def test_frets_that_are_in_are_past_what_stood_before_and_daylight_counts_at_once() -> None:
    tight = RefretFacts(saved=True, fit="tight", frets=22)
    assert refret_now(tight)[0] == "wire"
    assert refret_now(replace(tight, fitted=True))[0] == "seat"
    ready = RefretFacts(saved=True, fit="press", depth=depth_gate(DEEP, PLAN, SPEC), cut=22, frets=22)
    gaps: dict[tuple[str, int], int | None] = {(lane, fret): 0 for lane in LANES for fret in range(1, 23)}
    read = replace(ready, seat=seat_gate({**gaps, ("bass", 7): 50}, range(1, 23)))
    assert refret_now(read) == ("seat", "Reseat fret 7: 0.05 mm of daylight under fret 7.")
    home = replace(read, seat=seat_gate(gaps, range(1, 23)))
    assert refret_now(home) == ("seat", "No daylight under any crown: say that the frets are in.")
    assert refret_now(replace(home, fitted=True))[0] == "straight"
