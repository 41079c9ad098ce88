"""The level plan against a general linear-programme solver, brute force over lifted sets, and the reference figures."""

from itertools import combinations, pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import linprog

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.crown import land
from deft_bench.core.frets.heights import Fall, deviations, fair_line
from deft_bench.core.frets.knock_on import knock_on
from deft_bench.core.frets.level_gate import level_gate
from deft_bench.core.frets.levelling import (
    LevelRequest,
    best_line,
    least_height,
    level_option,
    most_removed,
    plan_level,
)
from deft_bench.core.frets.metal import CrownReading, MetalTaken, metal_in

REFERENCE = [0.01, 0.02, 0, 0.03, 0.06, 0.01, 0, 0.02, -0.09, 0.01, 0.02, 0]
heights = st.integers(-30, 30).map(lambda hundredths: hundredths / 100)


def asked(lanes: dict[str, list[float | None]], **changed: object) -> LevelRequest:
    frets = len(next(iter(lanes.values())))
    values: dict[str, object] = {
        "positions_mm": tuple(fret_positions(628, frets)),
        "heights": lanes,
        "drops_mm": (0.0,) * frets,
        "left_out": frozenset(),
        "objective": "least_metal",
        "fret_height_mm": (1.2,) * frets,
        "least_height_mm": least_height(1.2),
        "polish_loss_mm": 0.01,
        "rock_mm": 0.02,
    }
    return LevelRequest(**(values | changed))  # type: ignore[arg-type]


def solved(held: list[tuple[float, float]], lifted: list[tuple[float, float]], objective: str) -> tuple[float, float]:
    """(least worst, total) or (0, total) by HiGHS: variables a, b, one charge for each lifted fret, and the worst."""
    # x in metres keeps the solver's columns of like size
    n = len(lifted)
    rows, limits = [], []
    for x, g in held:
        rows.append([1, x / 1000, *[0] * n, 0])
        limits.append(g)
    for k, (x, g) in enumerate(lifted):
        rows.append([-1, -x / 1000, *(-1 if i == k else 0 for i in range(n)), 0])
        limits.append(-g)
    spare = [(None, None)] * 2 + [(0, None)] * n
    total = np.array([-len(held), -sum(x for x, _ in held) / 1000, *[1] * n, 0.0])
    constant = sum(g for _, g in held)
    worst = 0.0
    cap: tuple[float | None, float | None] = (0, None)
    if objective == "least_worst":
        for x, g in held:
            rows.append([-1, -x / 1000, *[0] * n, -1])
            limits.append(-g)
        for k in range(n):
            rows.append([0, 0, *(1 if i == k else 0 for i in range(n)), -1])
            limits.append(0)
        first = linprog([0, 0, *[0] * n, 1], rows, limits, bounds=[*spare, cap], method="highs")
        worst = first.fun
        cap = (0, worst + 1e-9)
    best = linprog(total, rows, limits, bounds=[*spare, cap], method="highs")
    assert best.status == 0
    return worst, best.fun + constant


@given(st.lists(heights, min_size=4, max_size=24), st.data(), st.sampled_from(["least_metal", "least_worst"]))
def test_the_line_is_the_true_optimum(read: list[float], data: st.DataObject, objective: str) -> None:
    lifted_at = data.draw(st.sets(st.integers(0, len(read) - 1), max_size=2))
    points = list(zip(fret_positions(628, len(read)), read, strict=True))
    held = [p for i, p in enumerate(points) if i not in lifted_at]
    lifted = [p for i, p in enumerate(points) if i in lifted_at]
    a, b = best_line(held, lifted, objective)  # type: ignore[arg-type]
    removals = [g - a - b * x for x, g in held]
    charged = [max(0.0, g - a - b * x) for x, g in lifted]
    assert min(removals) >= -1e-9
    worst, total = solved(held, lifted, objective)
    assert sum(removals) + sum(charged) == pytest.approx(total, abs=1e-6)
    if objective == "least_worst":
        assert max([*removals, *charged]) == pytest.approx(worst, abs=1e-6)


@given(
    st.lists(st.lists(heights | st.none(), min_size=9, max_size=9), min_size=1, max_size=3),
    st.sampled_from(["least_metal", "least_worst"]),
)
def test_every_set_that_pays_is_listed_and_no_other(lanes: list[list[float | None]], objective: str) -> None:
    for lane in lanes:
        lane[0], lane[4], lane[7], lane[8] = [0.0 if h is None else h for h in (lane[0], lane[4], lane[7], lane[8])]
    request = asked(dict(zip(("bass", "middle", "treble"), lanes, strict=False)), objective=objective)
    plan = plan_level(request)
    totals = {
        lift: level_option(request, lift).total_mm
        for size in (0, 1, 2)
        for lift in combinations(range(1, 10), size)
        if all(sum(f not in lift for f, _, _ in request.bounds(lane)) >= 2 for lane in request.heights)
    }
    threshold = max(0.10, 0.15 * totals[()])
    pays = {
        lift
        for lift in totals
        if lift and all(totals[tuple(f for f in lift if f != fret)] - totals[lift] >= threshold for fret in lift)
    }
    borderline = {
        lift
        for lift in totals
        if lift
        and any(abs(totals[tuple(f for f in lift if f != fret)] - totals[lift] - threshold) < 1e-7 for fret in lift)
    }
    small = [option for option in plan.options if len(option.lift) <= 2 and not option.leave]
    assert {option.lift for option in small} - {()} - borderline == pays - borderline
    for option in small:
        assert option.total_mm == pytest.approx(totals[option.lift], abs=1e-7)
        assert option.saves_mm == pytest.approx(totals[()] - option.total_mm if option.lift else 0, abs=1e-7)
    for option in plan.options:
        if len(option.lift) > 2:
            assert all(
                level_option(request, [f for f in option.lift if f != fret]).total_mm - option.total_mm
                >= threshold - 1e-7
                for fret in option.lift
            )
        if option.leave:
            assert option.leave[-1] == 9
            rest = asked(
                {
                    lane: [None if n in option.leave else h for n, h in enumerate(read, 1)]
                    for lane, read in request.heights.items()
                },
                objective=objective,
            )
            assert option.total_mm == pytest.approx(plan_level(rest).level_all.total_mm, abs=1e-7)
    costs = [(o.total_mm if objective == "least_metal" else o.worst_mm) for o in plan.options]
    assert costs == sorted(costs) or all(a <= b + 1e-8 for a, b in pairwise(costs))


def test_reference_plan() -> None:
    plan = plan_level(asked({"middle": [*REFERENCE]}))
    assert (round(plan.level_all.total_mm, 4), round(plan.level_all.worst_mm, 4)) == (0.8054, 0.1286)
    assert [option.lift for option in plan.options] == [(9,), ()]
    lifted = plan.options[0]
    assert (round(lifted.total_mm, 4), round(lifted.worst_mm, 4)) == (0.18, 0.06)
    assert lifted.raise_mm[9] == pytest.approx(0.09)
    assert round(plan_level(asked({"middle": [*REFERENCE]}, objective="least_worst")).level_all.worst_mm, 4) == 0.1218


@given(st.lists(heights, min_size=5, max_size=22), st.floats(-0.3, 0.3), st.floats(-0.001, 0.001))
def test_the_straight_reference_does_not_matter(read: list[float], lift: float, tilt: float) -> None:
    xs = fret_positions(628, len(read))
    here = plan_level(asked({"middle": [*read]})).level_all
    there = plan_level(asked({"middle": [h + lift + tilt * x for x, h in zip(xs, read, strict=True)]})).level_all
    assert there.total_mm == pytest.approx(here.total_mm, abs=1e-7)


@given(st.lists(heights, min_size=6, max_size=22), st.data())
def test_leaving_a_fret_out_never_costs_metal_and_a_planned_drop_is_cut(read: list[float], data: st.DataObject) -> None:
    out = data.draw(st.integers(1, len(read)))
    whole, less = (
        plan_level(asked({"middle": [*read]})),
        plan_level(asked({"middle": [*read]}, left_out=frozenset({out}))),
    )
    assert less.level_all.total_mm <= whole.level_all.total_mm + 1e-9
    assert less.level_all.lanes["middle"].removal_mm[out - 1] is None
    drops = Fall(max(1, len(read) - 4), 0.1).drops(fret_positions(628, len(read)))
    plan = plan_level(asked({"middle": [*read]}, drops_mm=tuple(drops)))
    after = [h - (off or 0) for h, off in zip(read, plan.level_all.lanes["middle"].removal_mm, strict=True)]
    assert level_gate(fret_positions(628, len(read)), {"middle": after}, drops, rock_mm=0.02).passes
    assert (
        max(level_gate(fret_positions(628, len(read)), {"middle": after}, drops, rock_mm=0.02).band_mm.values()) < 1e-9
    )


def test_too_little_read_is_refused_by_lane() -> None:
    with pytest.raises(ValueError, match="treble: at least two"):
        asked({"middle": [0.0, 0.1, 0.0], "treble": [None, 0.1, None]})
    with pytest.raises(ValueError, match="one entry a fret, 3"):
        LevelRequest(
            tuple(fret_positions(628, 3)),
            {"bass": [0.0]},
            (0.0,) * 3,
            frozenset(),
            "least_metal",
            (1.2,) * 3,
            0.78,
            0.01,
            0.02,
        )


def test_the_metal_that_is_left() -> None:
    plan = plan_level(
        asked({"bass": [0.0, 0.1, 0.0], "treble": [0.0, 0.3, 0.0]}, least_height_mm=0.95, crown_width_mm=2.7)
    )
    assert plan.height_left() == pytest.approx([1.19, 0.89, 1.19])
    assert plan.below_least() == [2]
    assert most_removed(plan.level_all) == pytest.approx([0, 0.3, 0])
    assert plan.lands() == pytest.approx([0, land(2.7, 1.2, 0.3), 0])
    assert plan.twist_mm() == pytest.approx(0)


def test_the_land_of_a_crown() -> None:
    assert round(land(2.7, 1.2, 0.05), 4) == 0.7306
    assert land(2.7, 1.2, 0.0) == 0
    assert land(2.7, 1.2, 1.2) == pytest.approx(2.7)


@given(st.floats(-0.5, 0.5), st.floats(-0.001, 0.001), st.integers(1, 21), st.floats(0.04, 0.4))
def test_one_odd_fret_stands_out_by_its_own_height(offset: float, tilt: float, fret: int, proud: float) -> None:
    xs = fret_positions(628, 21)
    line = [offset + tilt * x + (proud if n == fret else 0) for n, x in enumerate(xs, 1)]
    off = deviations(xs, line)
    assert off[fret - 1] == pytest.approx(proud, abs=1e-6)
    assert max(abs(d) for n, d in enumerate(off, 1) if n != fret and d is not None) < 1e-6


def test_a_fair_line_through_a_bow_favours_neither_end() -> None:
    points = [(float(x), -0.2 * (1 - (x / 10) ** 2)) for x in range(-10, 11)]
    offset, slope = fair_line(points)
    assert slope == pytest.approx(0, abs=1e-12)
    assert offset == pytest.approx(sum(h for _, h in points) / 21)


def test_the_gate_names_the_frets_that_miss_the_plan() -> None:
    xs = fret_positions(628, 12)
    flat: list[float | None] = [0.001 * x for x in xs]
    assert level_gate(xs, {"middle": flat}, [0.0] * 12, rock_mm=0.02).passes
    proud = [h + (0.05 if n == 7 else 0) for n, h in enumerate(flat, 1) if h is not None]
    gate = level_gate(xs, {"middle": proud, "bass": flat}, [0.0] * 12, rock_mm=0.02)
    assert not gate.passes
    assert [(miss.lane, miss.fret, round(miss.off_mm, 3)) for miss in gate.misses] == [("middle", 7, 0.05)]
    assert level_gate(xs, {"middle": proud}, [0.0] * 12, frozenset({7}), rock_mm=0.02).passes
    unread = level_gate(xs, {"middle": [None, *flat[1:]]}, [0.0] * 12, rock_mm=0.02)
    assert (unread.passes, unread.unread) == (False, {"middle": (1,)})
    drops = Fall(8, 0.2).drops(xs)
    fallen = [h - d for h, d in zip(flat, drops, strict=True) if h is not None]
    assert level_gate(xs, {"middle": fallen}, drops, rock_mm=0.02).passes
    assert not level_gate(xs, {"middle": fallen}, [0.0] * 12, rock_mm=0.02).passes


def test_metal_off_the_frets_changes_nut_gap_and_action() -> None:
    xs = fret_positions(628, 21)
    off = [0.05] * 21
    found = knock_on(xs, off)
    assert (found.action_mm, found.action_fret) == (0.05, 12)
    assert found.first_gap_mm == pytest.approx(0.05 * (1 - xs[0] / xs[1]))
    assert knock_on(xs, [0.0] * 21).first_gap_mm == 0


@given(st.integers(300, 1_200), st.integers(0, 200), st.integers(0, 200), st.booleans())
def test_a_crown_that_was_read_stands_until_its_fret_is_new(read: int, before: int, after: int, replaced: bool) -> None:
    readings = [CrownReading(("bass", 2), read + 50, "2026-03"), CrownReading(("treble", 2), read, "2026-03")]
    older = [CrownReading(("middle", 2), 200, "2026-01"), CrownReading(("middle", 3), 900, "2026-01")]
    taken = [MetalTaken(2, before, "2026-02"), MetalTaken(2, after, "2026-04"), MetalTaken(1, 30, "2026-02")]
    now = metal_in(4, 1_200, [readings, older], taken, {2: "2026-05"} if replaced else {})
    lowest = 1_200 - before - after if replaced else read - after
    assert now.heights_mm == pytest.approx((1.17, max(0.001, lowest / 1000), 0.9, 1.2))
    assert now.unread == ([1, 2, 4] if replaced else [1, 4])


def test_a_divot_is_not_charged_with_what_comes_off_beside_it() -> None:
    worn: list[float | None] = [0.0, -0.15, 0.0, 0.0]
    request = asked(
        {"bass": [0.0] * 4, "middle": worn},
        fret_height_mm=(0.9, 0.75, 0.9, 0.9),
        crown_heights_mm={"bass": [0.9] * 4, "middle": [0.9, 0.75, None, 0.9]},
    )
    plan = plan_level(request)
    read = {"bass": [0.9] * 4, "middle": [0.9, 0.75, 0.9, 0.9]}
    for fret, left in enumerate(plan.height_left()):
        assert left == pytest.approx(
            min(read[lane][fret] - (found.removal_mm[fret] or 0) for lane, found in plan.level_all.lanes.items()) - 0.01
        )
