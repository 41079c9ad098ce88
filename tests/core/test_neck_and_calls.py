"""Straightness and its kinds, the order of the level calls, the steps of a job, the survey's walk."""

import math
import re
from random import Random
from typing import Literal

import pytest
from hypothesis import assume, example, given
from hypothesis import strategies as st

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.calls import frets_named, listed
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.level_call import (
    level_call,
    metal_budget,
    option_said,
    option_to_call,
    seating_signs,
)
from deft_bench.core.frets.levelling import LevelRequest, plan_level
from deft_bench.core.level_job import Facts, level_now, level_steps
from deft_bench.core.neck.straightness import Straightness, relief_under_string, straightness, straightness_call
from deft_bench.core.survey import SurveyHead, head_problems, heights_from
from deft_bench.core.survey_figures import figures
from deft_bench.core.survey_kinds import SURVEY_KINDS

XS = fret_positions(628, 21)


def bow(fret: int, depth: float) -> float:
    u = (XS[fret - 1] - XS[0]) / (XS[-1] - XS[0])
    return 4 * depth * u * (1 - u)


def read(gaps: dict[int, float], surface: str = "board") -> Straightness:
    readings = [(XS[fret - 1], gap) for fret, gap in gaps.items()]
    return straightness(readings, XS, 1, 21, surface)  # type: ignore[arg-type]


@given(st.floats(-0.6, 0.6), st.floats(-0.5, 0.5), st.floats(-0.002, 0.002), st.sets(st.integers(1, 21), min_size=5))
def test_a_bow_is_found_however_the_straightedge_lies(depth: float, a: float, b: float, frets: set[int]) -> None:
    assume(abs(abs(depth) - 0.03) > 1e-6)
    found = read({fret: a + b * XS[fret - 1] + bow(fret, depth) for fret in sorted(frets)})
    assert found.relief_mm == pytest.approx(depth, abs=1e-6)
    assert found.kind == ("relief" if depth > 0.03 else "back-bow" if depth < -0.03 else "straight")
    assert max(map(abs, found.residual_mm)) < 1e-6


@given(st.floats(-0.3, 0.3), st.integers(2, 20), st.floats(0.06, 0.3), st.booleans())
def test_one_odd_fret_does_not_bend_the_neck(depth: float, fret: int, size: float, proud: bool) -> None:
    gaps = {n: bow(n, depth) - (size if proud else -size) * (n == fret) for n in range(1, 22)}
    found = read(gaps, "fret_tops")
    assert found.relief_mm == pytest.approx(depth, abs=1e-6)
    assert (found.humps, found.dips) == (((fret,), ()) if proud else ((), (fret,)))
    assert found.kind in ("relief", "back-bow", "local")


def test_how_sure_a_bow_is_follows_from_how_far_it_is_from_straight_and_how_well_it_was_read() -> None:
    shake = Random(3)

    def sure(depth: float, surface: str = "board", sd: float = 0.006) -> tuple[str, float]:
        gaps = {n: bow(n, depth) + shake.gauss(0, sd) for n in range(1, 22)}
        call = straightness_call(read(gaps, surface))
        return call.sure, call.figures["chance"]

    assert sure(0.3)[0] == "certain"
    assert sure(0.3, "fret_tops")[0] == "likely"
    assert sure(0.031)[1] < 0.75
    assert sure(0.05, sd=0.03)[1] < sure(0.05, sd=0.003)[1]
    one = relief_under_string({7: 0.031}, XS, 21, 0.02)
    assert one
    assert straightness_call(one).sure == "unsure"


def test_kinds_that_no_rod_cures() -> None:
    hump = {n: -0.08 if 15 <= n <= 20 else 0.0 for n in range(1, 22)}
    assert (read(hump).kind, read(hump).humps) == ("upper-register-hump", (15, 16, 17, 18, 19, 20))
    assert abs(read(hump).relief_mm) < 0.03
    drop = {n: 0.1 if n >= 18 else 0.0 for n in range(1, 22)}
    assert read(drop).kind == "upper-register-drop"
    bend = {n: 0.15 * (1 if XS[n - 1] < 200 else -1) * (3 <= n <= 5 or 11 <= n <= 15) for n in range(1, 22)}
    assert read(bend).kind == "s-bend"
    assert not read(bend).frets_can_be_judged
    assert read(hump).frets_can_be_judged


@example(20, 0.109375, -1, 0.1875)
@given(st.sampled_from([20, 22, 24]), st.floats(0.1, 0.3), st.sampled_from([1, -1]), st.floats(-0.1, 0.2))
def test_half_of_an_s_bend_never_passes_for_a_bow(frets: int, size: float, way: int, relief: float) -> None:
    xs = fret_positions(628, frets)
    shares = [(x - xs[0]) / (xs[-1] - xs[0]) for x in xs]
    gaps = [way * size * math.sin(2 * math.pi * u) + 4 * relief * u * (1 - u) for u in shares]
    found = straightness(list(zip(xs, gaps, strict=True)), xs, 1, frets, "board")
    assert found.kind == "s-bend"
    assert not found.frets_can_be_judged


@given(st.floats(-0.2, 0.2))
def test_the_bow_that_is_said_is_the_bow_that_is_judged(relief: float) -> None:
    found = read({n: bow(n, relief) for n in range(1, 22)})
    call = straightness_call(found)
    assert (call.do == "straighten") == (not found.frets_can_be_judged)
    said = re.findall(r"\d\.\d\d", call.say)
    assert not said or (call.do == "straighten") == (float(said[0]) > 0.03)


def test_the_first_fit_that_a_hump_draws_off_is_not_taken() -> None:
    """Least squares from all readings alone settles on 0.06 mm of bow here; the neck is straight with six frets up."""
    xs = fret_positions(635, 22)
    gaps = [-0.08 if 15 <= n <= 20 else 0.0 for n in range(1, 23)]
    found = straightness(list(zip(xs, gaps, strict=True)), xs, 1, 22, "fret_tops")
    assert abs(found.relief_mm) < 0.02
    assert found.kind == "upper-register-hump"


def test_too_few_places_are_refused() -> None:
    with pytest.raises(ValueError, match="5 places"):
        read({1: 0, 5: 0, 9: 0, 12: 0})


@pytest.mark.parametrize(
    ("depth", "rod", "words"),
    [
        (0.14, "dual", "tighten the rod"),
        (-0.1, "dual", "loosen the rod"),
        (-0.1, "single", "already slack"),
        (0.1, "none", "no rod"),
    ],
)
def test_a_bow_is_called_before_levelling(depth: float, rod: str, words: str) -> None:
    call = straightness_call(read({n: bow(n, depth) for n in range(1, 22)}), rod)
    assert call.do == "straighten"
    assert f"{abs(depth):.2f} mm" in call.say
    assert any(words in way.say for way in call.instead)
    assert straightness_call(read(dict.fromkeys(range(1, 22), 0.0)), rod).do == "go_on"


@pytest.mark.parametrize("surface", ["board", "fret_tops"])
@pytest.mark.parametrize("lanes", [1, 3])
def test_one_high_place_is_never_the_upper_register(surface: Literal["board", "fret_tops"], lanes: int) -> None:
    def kind(high: set[int]) -> str:
        readings = [(x, 0.1 - 0.06 * (fret in high)) for fret, x in enumerate(XS, 1) for _ in range(lanes)]
        return straightness(readings, XS, 1, 21, surface).kind

    assert kind({17}) == "local"
    assert kind({16, 17, 18}) == "upper-register-hump"


def planned(lanes: dict[str, list[float | None]], height: float = 1.2, least: float = 0.78):  # type: ignore[no-untyped-def]
    n = len(next(iter(lanes.values())))
    return plan_level(
        LevelRequest(
            tuple(fret_positions(628, n)),
            lanes,
            (0.0,) * n,
            frozenset(),
            "least_metal",
            (height,) * n,
            least,
            0.01,
            0.02,
        )
    )


def three(changes: dict[int, float], n: int = 21) -> dict[str, list[float | None]]:
    lane = [changes.get(fret, 0.0) for fret in range(1, n + 1)]
    return {"bass": list(lane), "middle": list(lane), "treble": list(lane)}


def test_the_order_of_the_calls() -> None:
    low = three({9: -0.09})
    assert level_call(planned(low)).do == "lift"
    assert level_call(planned(low)).sure == "likely"
    proud = three({7: 0.06})
    assert level_call(planned(proud)).do == "check_seating"
    assert level_call(planned(proud)).instead[0].cost == "no metal"
    home = level_call(planned(proud), home=range(1, 22))
    assert (home.do, home.figures["worst_fret"]) == ("level", 7)
    assert level_call(planned(three({}))).do == "none"
    worn = {fret: 0.05 if fret % 2 else 0.0 for fret in range(1, 22)}
    assert level_call(planned(three(worn)), home=range(1, 22)).do == "level"
    short = three(dict.fromkeys(range(2, 20, 2), -0.3))
    assert level_call(planned(short, 1.0, 0.8), home=range(1, 22)).do == "refret"
    some = three({5: 0.25, 6: 0.25})
    replace = level_call(planned(some, 1.0, 0.8), home=range(1, 22))
    assert (replace.do, replace.say) == ("partial_refret", "Replace frets 5 and 6, then level.")


def test_low_last_frets_stay_and_how_far_a_fret_comes_up_is_said() -> None:
    left = planned(three({20: -0.08, 21: -0.12}))
    call = level_call(left)
    assert (call.do, option_to_call(left).leave) == ("none", (20, 21))
    assert call.say.endswith("and frets 20 and 21 low as fall-away.")
    uneven = level_call(planned(three({21: -0.12, 7: 0.02, 12: 0.03})), home=range(1, 22))
    assert uneven.say.startswith("Level, and leave fret 21 low: 0.03 mm at the most")
    tongue = [-0.03 * max(0, fret - 14) for fret in range(1, 22)]
    beyond: list[float | None] = [*tongue]
    falls = planned(dict.fromkeys(LANES, beyond))
    assert option_to_call(falls).leave == tuple(range(15, 22))
    assert level_call(falls).do == "none"
    # a low fret with level ones behind it is lifted, however near the end it stands
    for fret, last in ((9, 12), (17, 21), (20, 21)):
        near = planned(three({fret: -0.09}, last))
        assert (level_call(near).do, option_to_call(near).lift) == ("lift", (fret,)), fret
    three_low = planned(three({5: -0.1, 6: -0.1, 7: -0.1}))
    assert option_to_call(three_low).lift == (5, 6, 7)
    assert "Little enough to be reseated: fret 9." in level_call(planned(three({9: -0.12}))).because
    assert "Too far to reseat, a shim lifts it: fret 9." in level_call(planned(three({9: -0.25}))).because
    new = level_call(planned(three({9: -0.45})))
    assert (new.do, new.say) == ("partial_refret", "Replace fret 9, then level.")
    both = planned(three({9: -0.45, 5: -0.25}))
    assert option_said(option_to_call(both)) == "Lift 5 and replace 9, then level"
    for down, offered in ((-0.58, True), (-0.62, False)):  # the crown is 1.2 high
        assert ((9,) in [option.lift for option in planned(three({9: down})).offered]) is offered


def test_a_call_is_no_surer_than_its_tool() -> None:
    slight = planned(three({9: -0.04}))
    assert level_call(slight, resolution_mm=0.005).sure == "likely"
    assert level_call(slight, resolution_mm=0.02).sure == "unsure"
    assert level_call(planned(three({9: -0.01}))).do == "none"


def test_rocking_nearly_everywhere_is_answered_with_the_seating_check() -> None:
    rough = three(dict.fromkeys(range(1, 22, 2), 0.03))
    call = level_call(planned(rough))
    assert call.do == "check_seating"
    assert "rocks nearly everywhere" in call.say


def test_a_call_says_what_was_not_read() -> None:
    lanes = {"middle": three({9: -0.09})["middle"]}
    call = level_call(planned(lanes))
    assert (call.do, call.sure) == ("lift", "unsure")
    lanes = three({5: 0.05})
    lanes["bass"][2] = None
    call = level_call(planned(lanes), home=range(1, 22))
    assert (call.sure, call.settle) == ("likely", "Fret 3 in the bass lane.")
    assert "Not read: bass 3." in call.because


def test_a_few_readings_are_no_survey() -> None:
    few = three({})
    for lane in few.values():
        lane[3:] = [None] * 18
    call = level_call(planned(few))
    assert call.do == "read_on"
    assert "bass 3 of 21, middle 3 of 21 and treble 3 of 21" in call.say
    # one whole lane may be planned from, but does not show that there is nothing to level
    flat = level_call(planned({"middle": three({})["middle"]}))
    assert (flat.do, "bass 0 of 21" in flat.say, "middle" in flat.say) == ("read_on", True, False)
    assert level_call(planned({"middle": three({9: 0.06})["middle"]})).do == "level"


@example(6, 0.0546875, -0.125)
@given(st.integers(2, 20), st.floats(0.05, 0.14), st.floats(-0.6, 0.6))
def test_a_fret_over_both_neighbours_is_suspect_wherever_the_line_runs(fret: int, over: float, bow: float) -> None:
    x = fret_positions(628, 21)
    span = x[-1] - x[0]
    tops = [-4 * bow * (at - x[0]) * (x[-1] - at) / span**2 for at in x]
    tops[fret - 1] = max(tops[fret - 2], tops[fret]) + over
    lane: list[float | None] = [*tops]
    plan = planned(dict.fromkeys(("bass", "middle", "treble"), lane))
    signs = seating_signs(plan)
    assert fret in (*signs.every_lane, *signs.over_both)
    assert fret in seating_signs(plan).frets
    assert fret not in seating_signs(plan, home=[fret]).frets
    # a low neighbour does not make a fret stand over both
    assert not seating_signs(planned(three({fret: -0.2}))).over_both


def test_the_metal_budget_counts_at_the_necks_own_rate() -> None:
    plan = planned(three({5: 0.05}))
    assert metal_budget(plan, plan.level_all).further_levels == 6  # 0.36 mm over the least, 0.06 a time
    assert metal_budget(plan, plan.level_all, [0.1, 0.14]).further_levels == 2
    assert metal_budget(plan, plan.level_all).shortest_fret == 5


def test_frets_are_named_as_a_person_would() -> None:
    assert frets_named([9]) == "fret 9"
    assert listed([11, 5, 6, 7, 9]) == "5 to 7, 9 and 11"
    assert listed([]) == ""


@pytest.mark.parametrize(
    ("facts", "code"),
    [
        (Facts(), "survey"),
        (Facts(surveyed=True, read=40, places=63), "survey"),
        (Facts(surveyed=True, read=63, places=63), "plan"),
        (Facts(True, 63, 63, plan_kind="level"), "work"),
        (Facts(True, 63, 63, plan_kind="level", plan_done=True), "after"),
        (Facts(True, 63, 63, plan_kind="lift", plan_done=True), "survey"),
        (Facts(True, 30, 63, "after", "level", True, True), "after"),
        (Facts(True, 63, 63, "after", "level", True, True, gate_passes=False), "plan"),
        (Facts(True, 63, 63, "after", "level", True, True, gate_passes=True), "close"),
        (Facts(True, 63, 63, closed=True), "closed"),
    ],
)
def test_the_next_step_of_a_job(facts: Facts, code: str) -> None:
    assert level_now(facts)[0] == code
    states = [step.state for step in level_steps(facts)]
    assert states.count("now") == (0 if code == "closed" else 1)
    assert sorted(states, key=["done", "now", "later"].index) == states


def test_the_cursor_walks_heel_to_nut() -> None:
    assert SURVEY_KINDS["fret_heights"].places(3, "lane_by_lane")[:4] == [
        ("bass", 3),
        ("bass", 2),
        ("bass", 1),
        ("middle", 3),
    ]
    assert SURVEY_KINDS["fret_heights"].places(3, "fret_by_fret")[:4] == [
        ("bass", 3),
        ("middle", 3),
        ("treble", 3),
        ("bass", 2),
    ]
    assert SURVEY_KINDS["straightness"].places(2, "lane_by_lane") == [("middle", 2), ("middle", 1)]


def test_a_gap_counts_down_and_a_height_counts_up() -> None:
    readings = {("bass", 1): 30, ("bass", 2): None}
    assert heights_from(readings, "gap", 2) == {"bass": [-0.03, None]}
    assert heights_from(readings, "height", 2) == {"bass": [0.03, None]}
    assert SURVEY_KINDS["fret_heights"].problem(2000) is None
    assert SURVEY_KINDS["slot_depth"].problem(5000) is None
    assert "3 thou" in str(SURVEY_KINDS["fret_heights"].problem(5001))


def test_figures_of_a_survey_are_the_same_before_and_after() -> None:
    head = SurveyHead("fret_heights", "before", "gap", "fret_tops", "gauge", 20, "off", 21.0, 45.0, "lane_by_lane")
    readings = {("middle", fret): 90 if fret == 9 else 0 for fret in range(1, 22)}
    found = figures(head, readings, fret_positions(628, 21), None, 0.02)
    assert found.low is not None
    assert found.low[0] == ("middle", 9)
    assert found.low[1] == pytest.approx(-0.09)
    assert (found.proud, found.complete) == (None, False)
    assert found.band_mm == pytest.approx(0.09, abs=0.04)
    assert found.straight is not None
    assert found.straight.kind == "local"
    assert head_problems(head) == {}
    bad = SurveyHead("straightness", "x", "height", "board", "", 0, "off", 99.0, 120.0, "zigzag")  # type: ignore[arg-type]
    assert head_problems(bad).keys() == {
        "when",
        "order",
        "tool",
        "resolution_um",
        "temperature_c",
        "humidity",
        "method",
    }


@given(st.lists(st.sampled_from([5, 6, 7, 8, 9, 11]), min_size=1, max_size=4, unique=True), st.floats(0.0, 0.6))
def test_any_number_of_gaps_under_a_string_tells_the_relief(frets: list[int], relief: float) -> None:
    x = fret_positions(648, 22)
    shares = {n: (x[n - 1] - x[0]) / (x[21] - x[0]) for n in frets}
    gaps = {n: 4 * relief * s * (1 - s) for n, s in shares.items()}
    found = relief_under_string(gaps, x, 22, 0.02)
    assert found is not None
    assert found.relief_mm == pytest.approx(relief)
    assert found.sd_mm is not None
    assert 0.02 / math.sqrt(len(frets)) - 1e-9 <= found.sd_mm < 0.04
    assert relief_under_string({22: 0.1}, x, 22, 0.02) is None
