"""Finding the culprit: the rocker against brute force, rod, tape, ladder, and the whole loop on necks with a hidden
truth.
"""

import itertools
import math
import random
from dataclasses import replace

import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy.optimize import linprog

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.crown import crown_gate, land, removed_of, wander_cents
from deft_bench.core.frets.fall_away_tape import fall_by_first_fret, fall_by_last_drop
from deft_bench.core.frets.grit_ladder import FINISH_UM, SIZES_UM, Abrasive, grit_ladder
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.level_call import level_call, option_to_call
from deft_bench.core.frets.levelling import LevelPlan, LevelRequest, band_width, plan_level
from deft_bench.core.frets.rocker import (
    Explanation,
    Observation,
    rock_of,
    rocker_edges,
    rocker_lane,
    triples,
    weights_of,
)
from deft_bench.core.frets.rocker_call import disagreements, rocker_call
from deft_bench.core.frets.small_lp import least_sum, least_worst
from deft_bench.core.neck.straightness import straightness
from deft_bench.core.neck.truss_rod import Turn, response, truss_rod
from deft_bench.core.neck.twist import twist
from deft_bench.core.simulated_neck import SimulatedNeck, Tool
from deft_bench.core.survey_figures import bow_of_tops

XS = fret_positions(628, 21)
FELT_MM = 0.02


def seen(frets: int, rocking: set[int], skip: set[int] = frozenset()) -> list[Observation]:  # type: ignore[assignment]
    return [Observation(t, t[1] in rocking) for t in triples(frets) if t[1] not in skip]


def test_one_low_fret_makes_both_neighbours_rock() -> None:
    found = rocker_lane(XS, seen(21, {8, 10}), FELT_MM)
    assert (found.kind, found.more, found.next_test) == ("local", False, None)
    (only,) = found.explanations
    assert (dict(only.proud), list(only.low)) == ({}, [9])
    assert found.sure == {(9, -1)}
    call = rocker_call(dict.fromkeys(LANES, found), dict.fromkeys(LANES, 19), 21)
    assert (call.do, call.sure) == ("lift", "likely")
    assert call.say.startswith("Lift fret 9")
    # the heights of the same neck say otherwise: that is shown
    level = {"middle": [0.0] * 21}
    assert disagreements({"middle": found}, XS, level, 0.02) == [
        ("middle", 9, "the rocker says low, the heights do not")
    ]
    assert disagreements({"middle": found}, XS, {"middle": [0.0] * 8 + [-0.08] + [0.0] * 12}, 0.02) == []


def test_the_rockers_sentence_names_the_worst_fret_and_what_is_proud() -> None:
    def say(rocking: set[int]) -> str:
        return rocker_call({"bass": rocker_lane(XS, seen(21, rocking), FELT_MM)}, {"bass": 19}, 21).say

    assert "Lift fret 9: low in the bass." in say({8, 10, 15})
    assert say({8, 10, 15}).endswith("Then check the seating of fret 15: proud.")
    assert "the most" not in say({8, 10})
    best = {"bass": Explanation({4: 0.02, 12: 0.05}, {})}
    lane = replace(rocker_lane(XS, seen(21, {4, 12}), FELT_MM), explanations=(best["bass"],))
    said = rocker_call({"bass": lane}, {"bass": 19}, 21).say
    assert said == "Check the seating of frets 4 and 12, fret 12 the most, then take only what stands proud."


def test_what_else_a_rocker_survey_says() -> None:
    assert rocker_lane(XS, seen(21, set()), FELT_MM).kind == "flat"
    proud = rocker_lane(XS, seen(21, {8}), FELT_MM)
    assert proud.explanations[0].proud.keys() == {8}
    assert rocker_lane(XS, seen(21, set(range(2, 20, 2))), FELT_MM).kind == "not_local"
    twice = [*seen(21, {8}), Observation((3, 4, 5), True)]
    assert rocker_lane(XS, twice, FELT_MM).contradictions == ((3, 4, 5),)
    # with a test missing two stories fit; the missing test tells them apart
    doubtful = rocker_lane(XS, seen(21, {8}, skip={7, 9, 10, 6}), FELT_MM)
    assert len(doubtful.explanations) > 1
    assert doubtful.next_test is not None
    assert doubtful.next_test[1] in {6, 7, 9, 10}
    # a planned fall-away's knee rocks and is no fault
    drop = [max(0.0, 0.05 * (n - 16)) for n in range(1, 22)]
    knee = {t[1] for t in triples(21) if rock_of(XS, [-mm for mm in drop], t) >= 0.02}
    assert knee
    assert rocker_lane(XS, seen(21, knee), FELT_MM, planned_drop_mm=drop).explanations[0].signed == frozenset()
    # flat at the knee: the plan is not there, and the frets that are off it explain that
    flat_knee = rocker_lane(XS, seen(21, set()), FELT_MM, planned_drop_mm=drop)
    assert {t[1] for t in flat_knee.against_plan} == knee
    assert flat_knee.explanations
    assert rocker_call({"bass": flat_knee}, {"bass": 19}, 21).say.startswith("The planned fall-away is not there")
    retake = rocker_call({"bass": rocker_lane(XS, twice, FELT_MM)}, {"bass": 19}, 21)
    assert (retake.do, "3–4–5 bass" in retake.say) == ("retake", True)
    assert (
        rocker_call({"bass": rocker_lane(XS, seen(21, set(range(2, 20, 2))), FELT_MM)}, {"bass": 19}, 21).do
        == "check_seating"
    )


def fits(xs: list[float], observations: list[Observation], signed: frozenset[tuple[int, int]]) -> bool:
    """Whether some sizes of these frets give every answer, by a general solver."""
    signs = sorted(signed)
    rows, bounds = [], []
    for one in observations:
        weight = dict(zip(one.frets, weights_of(xs, one.frets), strict=True))
        row = [sign * weight.get(fret, 0.0) for fret, sign in signs]
        rows.append([-v for v in row] if one.rocks else row)
        bounds.append(-0.02 if one.rocks else 0.01)
    if not signs:
        return all(bound >= 0 for bound in bounds)
    sizes = [(1e-9, 0.5)] * len(signs)
    return bool(linprog([1.0] * len(signs), A_ub=rows, b_ub=bounds, bounds=sizes, method="highs").status == 0)


def brute_force(
    xs: list[float], observations: list[Observation], most: int
) -> tuple[int, set[frozenset[tuple[int, int]]]]:
    """Every smallest signed set, by a general solver over all sets."""
    for size in range(most + 1):
        found = set()
        for frets in itertools.combinations(range(1, len(xs) + 1), size):
            for signs in itertools.product((1, -1), repeat=size):
                signed = frozenset(zip(frets, signs, strict=True))
                if fits(xs, observations, signed):
                    found.add(signed)
        if found:
            return size, found
    return most + 1, set()


@settings(max_examples=25)
@given(
    st.lists(
        st.tuples(st.integers(1, 8), st.floats(0.03, 0.2), st.booleans()),
        min_size=1,
        max_size=2,
        unique_by=lambda d: d[0],
    ),
    st.sets(st.integers(2, 7), max_size=2),
)
def test_explanations_are_all_the_smallest_there_are(displaced: list[tuple[int, float, bool]], skip: set[int]) -> None:
    xs = fret_positions(648, 8)
    heights = [0.0] * 8
    for fret, mm, up in displaced:
        heights[fret - 1] = mm if up else -mm
    rocks = {t: rock_of(xs, heights, t) for t in triples(8)}
    observations = [Observation(t, r >= 0.02) for t, r in rocks.items() if not 0.01 < r < 0.02 and t[1] not in skip]
    assume(sum(one.rocks for one in observations) <= 2)
    found = rocker_lane(xs, observations, FELT_MM)
    size, every = brute_force(xs, observations, 3)
    assert {one.signed for one in found.explanations} == (
        every if len(every) <= 20 else {one.signed for one in found.explanations} & every
    )
    assert all(len(one.signed) == size for one in found.explanations)
    for one in found.explanations:
        after = [0.0] * 8
        for fret, mm in one.proud.items():
            after[fret - 1] = mm
        for fret, mm in one.low.items():
            after[fret - 1] = -mm
        assert all(
            (rock_of(xs, after, o.frets) >= 0.02 - 1e-7) if o.rocks else (rock_of(xs, after, o.frets) <= 0.01 + 1e-7)
            for o in observations
        )


@settings(max_examples=30)
@given(st.sets(st.integers(2, 7), min_size=1, max_size=2), st.sets(st.integers(2, 7), min_size=1, max_size=4))
def test_the_next_test_rules_something_out_whenever_one_can(rocking: set[int], skip: set[int]) -> None:
    xs = fret_positions(648, 8)
    found = rocker_lane(xs, seen(8, rocking - skip, skip=skip), FELT_MM)
    assume(1 < len(found.explanations) <= 20 and not found.more)
    given_here = seen(8, rocking - skip, skip=skip)

    def left(fret: int, rocks: bool) -> int:
        after = [*given_here, Observation((fret - 1, fret, fret + 1), rocks)]
        return sum(fits(xs, after, one.signed) for one in found.explanations)

    count = len(found.explanations)
    can = {fret: any(0 < left(fret, rocks) < count for rocks in (True, False)) for fret in skip}
    assert (found.next_test is not None) == any(can.values())
    if found.next_test is not None:
        assert can[found.next_test[1]]


@given(st.integers(1, 4), st.data())
def test_the_small_solver_agrees_with_a_general_one(count: int, data: st.DataObject) -> None:
    numbers = st.integers(-8, 8).map(lambda n: n / 4)
    rows = data.draw(
        st.lists(st.tuples(st.lists(numbers, min_size=count, max_size=count), numbers), min_size=1, max_size=8)
    )
    found = least_sum(count, rows)
    general = linprog(
        [1.0] * count, A_ub=[[-v for v in row] for row, _ in rows], b_ub=[-b for _, b in rows], method="highs"
    )
    assert (found is None) == (general.status == 2)
    if found is not None:
        assert sum(found) == pytest.approx(general.fun, abs=1e-7)
        even = least_worst(count, rows, sum(found))
        assert even is not None
        assert sum(even) <= sum(found) + 1e-6
        assert max(even) <= max(found) + 1e-6


def test_edges_reach_three_and_no_fourth() -> None:
    x = [0.0, *XS]
    for edge in rocker_edges(XS, [20, 30, 45, 60, 80]):
        n = edge.fret
        assert edge.least_mm == pytest.approx(x[n + 1] - x[n - 1])
        assert edge.least_mm < edge.most_mm <= x[n + 1] - x[n - 2] + 1e-9
        if edge.pick_mm is not None:
            assert edge.least_mm <= edge.pick_mm < edge.most_mm
    assert [edge.fret for edge in rocker_edges(XS)] == list(range(2, 21))


def test_the_rods_own_answer() -> None:
    turns = [Turn(0.25, 0.30, 0.22), Turn(0.125, 0.22, 0.17)]
    assert response(turns) == pytest.approx((0.3503, 0.0946), abs=5e-5)
    found = truss_rod(0.17, 0.10, "dual", turns)
    assert (found.turn, found.next_turn) == ("tighten", 0.125)
    assert truss_rod(0.30, 0.10, "dual").next_turn == 0.25  # never past the limit
    assert truss_rod(0.12, 0.10, "dual").turn == "none"
    assert truss_rod(0.14, 0.10, "dual").turn == "none"  # under an eighth
    assert truss_rod(-0.2, 0.10, "single").next_turn == -0.25
    assert truss_rod(-0.2, 0.10, "single", slack=True).turn == "stop"
    assert truss_rod(-0.2, 0.10, "dual", slack=True).turn == "loosen"
    assert any("whole further turn" in words for words in truss_rod(0.7, 0.1, "dual").warnings)
    dead = [Turn(0.25, 0.30, 0.29), Turn(0.25, 0.29, 0.285), Turn(0.25, 0.285, 0.285)]
    doubtful = truss_rod(0.285, 0.1, "single", dead[:2])
    assert (doubtful.turn, doubtful.next_turn) == ("tighten", 0.125)
    assert "read more finely" in doubtful.warnings[0]
    stopped = truss_rod(0.285, 0.1, "single", dead)
    assert (stopped.turn, stopped.next_turn, stopped.total_turns) == ("stop", 0.0, None)
    assert "do not force" in stopped.warnings[0]
    assert truss_rod(0.28, 0.1, "none").turn == "stop"
    reversed_thread = truss_rod(0.4, 0.1, "dual", [Turn(0.25, 0.30, 0.40)])
    assert (reversed_thread.turn, reversed_thread.next_turn) == ("stop", 0.0)
    assert "wrong way" in reversed_thread.warnings[0]


@pytest.mark.parametrize(
    ("gives", "turned", "least", "most"), [(0.2, 0.125, 0, 6), (0.15, 0.125, 0, 6), (0.0, 0.25, 65, 100)]
)
def test_a_rod_is_stopped_when_it_does_nothing_and_not_before(
    gives: float, turned: float, least: int, most: int
) -> None:
    """Of 400 rods turned twice by an eighth, or four times by a quarter, and read with 0.02 of spread."""
    chance, stopped = random.Random(int(gives * 100)), 0
    for _ in range(400):
        bow, turns = 0.5, []
        for _ in range(2 if turned == 0.125 else 4):
            before, bow = bow, bow - gives * turned
            turns.append(Turn(turned, before + chance.gauss(0, 0.02), bow + chance.gauss(0, 0.02)))
        stopped += truss_rod(bow, 0.1, "dual", turns).turn == "stop"
    assert least * 4 <= stopped <= most * 4


@given(
    st.floats(-0.5, 0.8),
    st.floats(0, 0.4),
    st.lists(st.tuples(st.sampled_from([0.125, 0.25, -0.25]), st.floats(-0.05, 0.2)), max_size=6),
)
def test_a_rod_is_never_asked_for_more_than_its_step(
    now: float, target: float, past: list[tuple[float, float]]
) -> None:
    turns = [Turn(t, 0.3, 0.3 - math.copysign(d, t)) for t, d in past]
    found = truss_rod(now, target, "dual", turns)
    assert abs(found.next_turn) <= 0.25
    assert found.next_turn * 8 == round(found.next_turn * 8)
    assert found.next_turn * (now - target) >= 0
    assert (found.turn in ("none", "stop")) == (found.next_turn == 0)
    assert found.mm_per_turn_sd <= 0.2


@given(st.integers(1, 15), st.floats(0.05, 0.4), st.integers(0, 20))
def test_tape_cuts_from_the_fret_that_is_asked_for(tape: int, height: float, more: int) -> None:
    first = min(21, tape + 2 + more)
    found = fall_by_first_fret(XS, tape, height, first)
    assert [fret for fret, drop in enumerate(found.drops_mm, 1) if drop > 0] == list(range(first, 22))
    assert found.crossing_mm == pytest.approx(XS[first - 2])
    assert found.drops_mm[-1] == pytest.approx(found.last_drop_mm)
    again = fall_by_last_drop(XS, tape, height, found.last_drop_mm)
    assert again.drops_mm == pytest.approx(found.drops_mm, abs=1e-9)
    with pytest.raises(ValueError, match="first fret"):
        fall_by_first_fret(XS, tape, height, tape + 1)


@given(st.floats(1.5, 3.5), st.floats(0.5, 1.0), st.floats(0.01, 0.3))
def test_land_and_what_was_removed_are_inverse(width: float, share: float, removed: float) -> None:
    height = share * width / 2
    assume(removed < height * 0.9)
    flat = land(width, height, removed)
    assume(flat < width * 0.999)
    assert removed_of(width, height, flat) == pytest.approx(removed, rel=1e-6)
    flat_cents, sharp_cents = wander_cents(628, 314, flat)
    assert flat_cents < 0 < sharp_cents
    assert [miss.fret for miss in crown_gate({1: 0.2, 2: 0.4, 3: 0.1}, {3: -0.2})] == [2, 3]


def test_reference_land() -> None:
    assert land(2.7, 1.2, 0.05) == pytest.approx(0.7306, abs=5e-5)


@given(
    st.sampled_from(sorted(FINISH_UM)),
    st.floats(5, 120),
    st.lists(
        st.sampled_from([(kind, grit) for kind, table in SIZES_UM.items() for grit in table]),
        min_size=1,
        max_size=14,
        unique=True,
    ),
    st.floats(1.3, 3),
)
def test_the_ladder_is_the_shortest_without_a_jump(
    finish: str, start: float, shelf: list[tuple[str, int]], ratio: float
) -> None:
    on_hand = [Abrasive(kind, grit) for kind, grit in shelf]
    found = grit_ladder(start, finish, on_hand, ratio)
    sizes = [start, *(rung.size_um for rung in found.steps)]
    assert all(finer < coarser or coarser == start for coarser, finer in itertools.pairwise(sizes))
    jumps = [(a, b) for a, b in itertools.pairwise(sizes) if a / b > ratio * (1 + 1e-9)]
    if found.steps:
        assert [(gap.from_um, gap.to_um) for gap in found.gaps] == jumps
    if found.steps and not found.gaps:
        end = sizes[-1]
        usable = sorted({a.size_um for a in on_hand if end <= a.size_um <= start}, reverse=True)
        for shorter in range(1, len(found.steps)):
            for subset in itertools.combinations(usable[:12], shorter):
                ladder = [start, *subset]
                assert ladder[-1] != end or any(a / b > ratio * (1 + 1e-9) for a, b in itertools.pairwise(ladder))
        assert len(found.advice) == (1 if end > 1.5 * FINISH_UM[finish] else 0)
    with pytest.raises(ValueError, match="no grade"):
        grit_ladder(50, finish, [Abrasive("fepa_p", 601)])


def work_through(neck: SimulatedNeck, chance: random.Random) -> tuple[SimulatedNeck, float, list[str], frozenset[int]]:
    """Survey, do what the call says, survey again, until nothing is called for; the neck, the metal taken, the calls
    and the last frets that were left low.
    """
    tool, fine = Tool(0.001, 0.0003), Tool(0.005, 0.001)
    said: list[str] = []
    turns: list[Turn] = []
    xs = neck.positions
    for _ in range(14):
        gaps = neck.gaps_on_board(fine, chance)
        bow = straightness(list(zip(xs, gaps, strict=True)), xs, 1, neck.frets, "board").relief_mm
        if turns and math.isnan(turns[-1].after_mm):
            turns[-1] = replace(turns[-1], after_mm=bow)
        advice = truss_rod(bow, 0.0, "dual", turns)
        if advice.next_turn == 0:
            break
        said.append(advice.turn)
        turns.append(Turn(advice.next_turn, bow, math.nan))
        neck = neck.turn_rod(advice.next_turn)
    home, taken, left = range(0), 0.0, frozenset[int]()
    for _ in range(8):
        heights = neck.survey(tool, chance)
        plan = plan_level(
            LevelRequest(
                tuple(xs),
                heights,
                (0.0,) * neck.frets,
                left,
                "least_metal",
                (1.2,) * neck.frets,
                0.7,
                0.01,
                0.02,
            )
        )
        call = level_call(plan, home=home, resolution_mm=0.002)
        said.append(call.do)
        if call.do == "check_seating":
            neck = neck.reseat([fret for fret in range(1, neck.frets + 1) if neck.daylight(fret) >= 0.03])
            home = range(1, neck.frets + 1)
        elif call.do == "lift":
            option = option_to_call(plan)
            for fret in option.lift:
                neck = neck.lift(fret, option.raise_mm[fret])
        elif call.do == "level":
            lines, left = option_to_call(plan).lanes, left | set(option_to_call(plan).leave)
            neck, metal = neck.level(
                {lane: [lines[lane].offset_mm + lines[lane].slope * x for x in xs] for lane in LANES}
            )
            taken += metal
        else:
            break
    return neck, taken, said, left


def known(neck: SimulatedNeck) -> LevelPlan:
    """The plan of somebody who sees the true heights."""
    flat = (0.0,) * neck.frets
    return plan_level(
        LevelRequest(
            tuple(neck.positions),
            neck.heights(),
            flat,
            frozenset(),
            "least_metal",
            (1.2,) * neck.frets,
            0.7,
            0.01,
            0.02,
        )
    )


@settings(max_examples=60)
@given(st.integers(0, 10**6))
def test_the_calls_lead_any_neck_to_level_with_the_least_metal(seed: int) -> None:
    chance = random.Random(seed)
    frets = chance.choice([20, 21, 22, 24])
    lane_wear = {lane: [chance.uniform(-0.03, 0.0) for _ in range(frets)] for lane in LANES}
    low = chance.choice([None, chance.randint(3, frets - 2)])
    if low is not None:
        depth = chance.uniform(0.12, 0.25)
        for lane in LANES:
            lane_wear[lane][low - 1] -= depth
    unseated = {
        fret: chance.uniform(0.09, 0.15)
        for fret in chance.sample(range(2, frets), chance.choice([0, 0, 1]))
        if fret != low
    }
    neck = SimulatedNeck(
        chance.uniform(600, 680),
        {lane: tuple(wear) for lane, wear in lane_wear.items()},
        unseated,
        bow_mm=chance.uniform(-0.15, 0.3),
        twist_mm=chance.uniform(-0.1, 0.1),
        rod_mm=chance.uniform(0.2, 0.4),
        rod_left=3.0,
    )
    done, taken, said, left = work_through(neck, chance)
    assert said[-1] == "none", said
    assert abs(done.bow_mm) <= 0.06
    xs = neck.positions
    for lane in LANES:
        tops = list(zip(xs, done.heights()[lane], strict=True))
        assert band_width([top for fret, top in enumerate(tops, 1) if fret not in left]) <= 0.03
    # the least that could be taken with the truth known: everything seated, the low fret raised to the line that the
    # others allow
    ideal = replace(neck, unseated={}, bow_mm=done.bow_mm)
    least = best = known(ideal).level_all.total_mm
    for option in known(ideal).options:
        if not set(option.lift) <= {low}:
            continue  # the others are worn, not low
        lifted = ideal
        for fret in option.lift:
            lifted = lifted.lift(fret, option.raise_mm[fret])
        least = min(least, known(lifted).level_all.total_mm)
    assert least <= best
    # a twentieth more, or a micrometre a place: a tenth of what the gauge resolves
    assert taken <= max(1.05 * least, least + 0.001 * 3 * frets), (taken, least, said)
    if low is not None and low not in left:
        assert "lift" in said
        assert said.index("lift") < said.index("level") if "level" in said else True


def test_twist_is_no_bow_although_a_lane_is_half_read() -> None:
    neck = SimulatedNeck(648, dict.fromkeys(LANES, (0.0,) * 22), {}, twist_mm=0.5)
    heights: dict[str, list[float | None]] = {lane: list(found) for lane, found in neck.heights().items()}
    xs = neck.positions
    assert abs(bow_of_tops(heights, xs).relief_mm) < 1e-9
    heights["middle"][:15] = [None] * 15
    del heights["treble"]
    assert abs(bow_of_tops(heights, xs).relief_mm) < 1e-9
    found = twist(xs, neck.heights(), 648, 50)
    assert found is not None
    assert found.rise_mm == pytest.approx(0.5)
    assert found.action_mm == pytest.approx(0.5 * 648 / (xs[-1] - xs[0]) / 4)
    assert twist(xs, {"bass": [0.0] * 22}, 648, 50) is None
