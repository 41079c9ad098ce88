"""The likely neck: its intervals hold the truth as often as they say, its calls are right as often as they say, slips
are named, and what cannot be is refused.
"""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest
from scipy.stats import binom

from deft_bench.core.evidence.actions import Levelling, compare, rock_over
from deft_bench.core.evidence.judged import judge
from deft_bench.core.evidence.kinds import Act, Daylight, Evidence, Heights, Ink, Rocker
from deft_bench.core.evidence.likely_neck import likely_neck
from deft_bench.core.evidence.prior import loose_share
from deft_bench.core.evidence.random_neck import RandomNeck, ink, random_neck, read_heights, right, rock
from deft_bench.core.evidence.update import updated
from deft_bench.core.frets.crown import land
from deft_bench.formats.calc import RequestError, calculate


def evidence_of(kind: str, chance: np.random.Generator, true: RandomNeck) -> list[Evidence]:
    if kind == "eight":
        return read_heights(
            chance, true, 0.01, [int(f) for f in sorted(chance.choice(np.arange(1, 23), 8, replace=False))]
        )
    if kind == "mixed":
        return [*read_heights(chance, true, 0.02, range(1, 23, 3)), *rock(chance, true)]
    return {
        "full": lambda: read_heights(chance, true, 0.02),
        "rocker": lambda: rock(chance, true),
        "ink": lambda: ink(chance, true),
    }[kind]()


@pytest.mark.parametrize(("kind", "many"), [("full", 10), ("eight", 10), ("rocker", 10), ("mixed", 8), ("ink", 3)])
def test_nine_of_ten_intervals_hold_the_truth(kind: str, many: int) -> None:
    chance, inside = np.random.default_rng(11), []
    for seed in range(many):
        true = random_neck(chance)
        found = likely_neck(true.neck, evidence_of(kind, chance, true), seed).over_fair_line(true.neck.positions_mm)
        low, high = np.quantile(found, (0.05, 0.95), axis=0)
        inside.append(np.mean((true.over_fair_line() >= low) & (true.over_fair_line() <= high)))
    assert 0.8 <= np.mean(inside) <= 0.98, np.mean(inside)


def test_a_call_is_right_as_often_as_it_says() -> None:
    chance, certain, likely = np.random.default_rng(3), list[bool](), list[bool]()
    for seed in range(36):
        true = random_neck(chance, straight=seed % 2 == 0)
        found = judge(true.neck, read_heights(chance, true, 0.02), seed=seed)
        (certain if found.sure == "certain" else likely if found.sure == "likely" else []).append(right(true, found))
    assert len(certain) >= 12
    # no more wrong than one time in a hundred, were certain calls right 95 times in a hundred and likely ones 75
    assert certain.count(False) <= binom.ppf(0.99, len(certain), 0.05)
    assert likely.count(False) <= binom.ppf(0.99, len(likely), 0.25)


@pytest.mark.parametrize("up_mm", [0.06, 0.1, 0.4])
@pytest.mark.parametrize("every", [2, 3])
def test_frets_that_surely_rock_are_never_left(up_mm: float, every: int) -> None:
    """However many stand up: what it costs to level them without looking is no reason to leave them."""
    true = random_neck(np.random.default_rng(every), straight=True)
    proud = {n: round((up_mm if n % every == 0 else 0.0) + 0.1, 2) for n in range(1, 23)}
    found = judge(true.neck, [Heights(lane, proud, 0.01) for lane in range(3)], (1.2,) * 22, 0.7, 1, as_it_lies=True)
    leave = next(one for one in found.compared.actions if one.do == "leave")
    assert leave.passes < 0.05
    assert found.compared.actions[0].do != "leave"
    assert "nothing rocks" not in found.call.say


@pytest.mark.parametrize("how", ["times_ten", "inch", "sign", "neighbour"])
def test_a_slip_among_good_readings_is_named_and_nothing_else(how: str) -> None:
    chance, named, false = np.random.default_rng(5), 0, 0
    for seed in range(6):
        true = random_neck(chance, straight=True)
        read = read_heights(chance, true, 0.01)
        lane = read[1]
        assert isinstance(lane, Heights)
        fret = int(chance.integers(3, 20))
        good = {f: mm + 0.4 for f, mm in lane.readings.items()}
        wrong = {
            "times_ten": good[fret] * 10,
            "inch": good[fret] / 25.4,
            "sign": -good[fret],
            "neighbour": good[fret] + 0.31,
        }[how]
        read[1] = Heights(1, {**good, fret: wrong}, 0.01)
        slips = judge(true.neck, read, seed=seed).slips
        named += any((one.index, one.fret) == (1, fret) for one in slips)
        false += sum((one.index, one.fret) != (1, fret) for one in slips)
    assert named == 6
    assert false <= 1


def test_a_few_readings_call_nothing_and_the_same_request_answers_the_same() -> None:
    true = random_neck(np.random.default_rng(1))
    few = judge(true.neck, [Heights(1, {3: 0.0, 9: 0.1, 15: 0.0}, 0.01)], seed=1)
    assert (few.sure, few.call.do) == ("unsure", "read_more")
    nothing = judge(true.neck, [], seed=1)
    assert nothing.sure == "unsure"
    asked = {
        "scale_mm": 640,
        "frets": 22,
        "evidence": [{"kind": "rocker", "lane": "bass", "frets": [3, 4, 5], "rocks": True}],
    }
    assert calculate("neck-evidence", asked) == calculate("neck-evidence", asked)


def test_light_under_a_fret_comes_before_metal_and_an_act_makes_it_new() -> None:
    true = random_neck(np.random.default_rng(8), straight=True)
    h = np.zeros(22)
    h[8] = 0.12
    read: list[Evidence] = [
        Heights(lane, {n + 1: round(float(mm), 2) for n, mm in enumerate(h)}, 0.01) for lane in range(3)
    ]
    before = judge(true.neck, read, held_mm=1.1, seed=2)
    assert (before.call.do, before.compared.actions[0].frets) == ("check_seating", (9,))
    assert before.next is None or before.next.kind == "daylight"
    loose = judge(true.neck, [*read, Daylight(1, 9, 0.1)], held_mm=1.1, seed=2)
    assert (loose.call.do, loose.compared.loose[9]) == ("reseat", 1.0)
    # once it is driven home, what was seen under it before tells no more
    driven = judge(true.neck, [*read, Daylight(1, 9, 0.1), Act("reseated", (9,))], held_mm=1.1, seed=2)
    assert driven.compared.loose[9] < 0.5
    assert "reseat" not in [one.do for one in driven.compared.actions]
    home = judge(true.neck, [*read, Daylight(1, 9, 0.0)], held_mm=1.1, seed=2)
    assert home.call.do in ("spot", "marked")
    assert home.compared.actions[0].worst_mm.mean == pytest.approx(0.12, abs=0.03)
    reseated = judge(true.neck, [*read, Act("reseated", (9,))], held_mm=1.1, seed=2)
    assert abs(reseated.heights[1][8].mean) < 0.04
    assert reseated.sure != "certain"
    flat = [Rocker(lane, (8, 9, 10), False) for lane in range(3)]
    after = likely_neck(true.neck, [*read, Act("reseated", (9,)), *flat], 2).heights_mm
    assert np.quantile(rock_over(after, true.neck.positions_mm)[:, :, 7], 0.95) < 0.03


def test_a_lift_that_was_measured_says_where_its_fret_stands() -> None:
    true = random_neck(np.random.default_rng(8), straight=True)
    h = np.zeros(22)
    h[8] = -0.10
    read: list[Evidence] = [
        Heights(lane, {n + 1: round(float(mm), 2) for n, mm in enumerate(h)}, 0.01) for lane in range(3)
    ]
    stands = [
        float(likely_neck(true.neck, [*read, Act("lifted", (9,), by)], 2).even_mm[:, 8].mean())
        for by in (0.10, 0.15, 0.05)
    ]
    assert stands == pytest.approx([0.0, 0.05, -0.05], abs=0.025)


def test_a_level_with_a_fall_or_of_a_bench_that_takes_more_takes_so_much_more() -> None:
    true = random_neck(np.random.default_rng(8), straight=True)
    h = 0.03 * np.cos(np.arange(22) * 2.4)
    rows = [
        {
            "kind": "heights",
            "lane": lane,
            "reference": "height",
            "resolution_mm": 0.01,
            "readings": {str(n + 1): round(float(mm), 3) for n, mm in enumerate(h)},
        }
        for lane in ("bass", "middle", "treble")
    ]
    asked = {"scale_mm": 640, "frets": 22, "wire_height_mm": 1.2, "crown_width_mm": 2.4, "seed": 1, "evidence": rows}
    straight = _level_of(asked)
    falling = _level_of({**asked, "fall_away": {"from_fret": 14, "drop_mm": 0.1}})
    assert falling["worst_mm"]["mean"] == pytest.approx(straight["worst_mm"]["mean"] + 0.1, abs=0.04)
    assert falling["land_mm"] > straight["land_mm"] == pytest.approx(land(2.4, 1.2, straight["worst_mm"]["mean"]))
    draws = likely_neck(true.neck, [], 1)
    plain, more = (compare(true.neck, draws, levelling=Levelling(more_mm=mm)) for mm in (0.0, 0.05))
    metal = [next(one for one in of.actions if one.do == "level").worst_mm.mean for of in (plain, more)]
    assert metal[1] - metal[0] == pytest.approx(0.05, abs=1e-9)


def _level_of(asked: dict[str, object]) -> dict[str, Any]:
    actions: list[dict[str, Any]] = calculate("neck-evidence", asked)["actions"]
    return next(one for one in actions if one["do"] == "level")


def test_a_board_that_rises_past_the_joint_is_offered_a_fall_away() -> None:
    true = random_neck(np.random.default_rng(8), straight=True)
    rise = np.where(np.arange(1, 23) > 16, 0.15 * (np.arange(1, 23) - 16) / 6, 0.0)
    read: list[Evidence] = [
        Heights(lane, {n + 1: round(float(mm), 2) for n, mm in enumerate(rise)}, 0.01) for lane in range(3)
    ]
    found = judge(true.neck, read, held_mm=1.1, seed=2)
    fall_away = next(one for one in found.compared.actions if one.do == "fall_away")
    assert fall_away.worst_mm.mean == pytest.approx(0.15, abs=0.05)
    assert fall_away.passes > 0.8
    assert found.ramp.mean > 0.03


@pytest.mark.parametrize(
    ("one", "said"),
    [
        ({"kind": "rocker", "lane": "bass", "frets": [5, 4, 6], "rocks": True}, "in order"),
        ({"kind": "rocker", "lane": "bass", "frets": [21, 22, 23], "rocks": True}, "22 frets"),
        ({"kind": "ink", "lane": "bass", "from_fret": 3, "to_fret": 9, "strokes": 3, "gone": [11]}, "outside the beam"),
        (
            {"kind": "ink", "lane": "bass", "from_fret": 3, "to_fret": 9, "strokes": 3, "gone": [4], "left": [4]},
            "twice",
        ),
        ({"kind": "feeler", "lane": "bass", "fret": 4, "passes_mm": 0.1, "stops_mm": 0.08}, "cannot be as thick"),
        ({"kind": "crown_height", "lane": "bass", "fret": 4, "mm": 1.4}, "higher than its wire"),
        ({"kind": "heights", "lane": "bass"}, "needs it"),
        ({"kind": "reseated"}, "say which"),
    ],
)
def test_evidence_that_cannot_be_is_refused_by_its_place(one: dict[str, Any], said: str) -> None:
    with pytest.raises(RequestError, match=r"evidence\[0\]") as refused:
        calculate("neck-evidence", {"scale_mm": 640, "frets": 22, "wire_height_mm": 1.2, "evidence": [one]})
    assert said in refused.value.lines[0]


@pytest.mark.parametrize("kind", ["rocker", "mixed", "ink"])
def test_one_reading_more_brings_the_draws_up_without_starting_over(kind: str) -> None:
    chance, quick = np.random.default_rng(4), 0
    for seed in range(3):
        true = random_neck(chance)
        x = true.neck.positions_mm
        every = evidence_of(kind, chance, true)
        if kind == "ink":
            last = every[-1]
            assert isinstance(last, Ink)
            before: list[Evidence] = [*every[:-1], replace(last, gone=last.gone[1:], left=last.left[1:])]
            every[-1] = replace(last, gone=last.gone[1:])
        else:
            before = every[:-1]
        draws = likely_neck(true.neck, before, seed)
        found = updated(true.neck, draws, before, every)
        if found is None:
            continue
        quick += 1
        means = [
            one.over_fair_line(x).mean(axis=0)
            for one in (found, likely_neck(true.neck, every, seed + 1), likely_neck(true.neck, every, seed + 2))
        ]
        # no further off than two new starts are from each other, or a few hundredths
        usual = np.abs(means[1] - means[2]).mean()
        assert np.abs(means[0] - means[1]).mean() < max(0.012, 2 * usual)
        assert len(found.bow_mm) == len(draws.bow_mm)
    assert quick
    # an act, or two readings at once, takes a new start
    assert updated(true.neck, draws, before, [*before, Act("rod")]) is None
    flat = [Rocker(0, (3, 4, 5), False), Rocker(1, (3, 4, 5), False)]
    assert updated(true.neck, draws, before, [*before, *flat]) is None


def test_a_gauge_reading_that_no_draw_agrees_with_takes_a_new_start_or_is_a_slip() -> None:
    chance = np.random.default_rng(6)
    true = random_neck(chance, straight=True)
    read = read_heights(chance, true, 0.01)
    lane = read[2]
    assert isinstance(lane, Heights)
    before: list[Evidence] = [*read[:2], replace(lane, readings={f: mm for f, mm in lane.readings.items() if f != 9})]
    draws = likely_neck(true.neck, before, 1)
    told = 0
    for off, slips in ((0.0, False), (1.3, True)):
        after = [*read[:2], replace(lane, readings={**dict(before[2].readings), 9: lane.readings[9] + off})]
        found = updated(true.neck, draws, before, after)
        if found is not None:
            told += 1
            assert (found.slips[2, 2, 9][0] > 0.5) is slips
    assert told


def test_what_a_bench_finds_under_frets_moves_what_it_believes() -> None:
    assert loose_share("played", 0, 0) == pytest.approx(0.3)
    assert loose_share("played", 0, 12) == pytest.approx(0.15)
    assert loose_share("kit", 12, 0) == pytest.approx(0.9)
    h = np.zeros(22)
    h[8] = 0.12
    read: list[Evidence] = [Heights(lane, dict(enumerate(map(float, h), 1)), 0.01) for lane in range(3)]
    neck = random_neck(np.random.default_rng(8), straight=True).neck
    seldom, often = (judge(replace(neck, loose=share), read, 1.1, seed=2) for share in (0.02, 0.9))
    assert often.call.do == "check_seating"
    assert seldom.compared.loose[9] < 0.1 < 0.8 < often.compared.loose[9]
