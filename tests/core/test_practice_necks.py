"""Practice necks: what a seed's neck answers, what the program makes of it, and what attempts are worth."""

import json
import re
from dataclasses import asdict, replace
from datetime import date, timedelta

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.core.board.block_contact import half_band, resting, sanded
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.beam_contact import bears
from deft_bench.core.frets.fall_away_tape import fall_by_last_drop
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.levelling import band_width, best_line
from deft_bench.core.frets.rocker import around, rock_of
from deft_bench.core.practice import beam, bench_sums, intonate, order, radius, rounds, straight, what_buzzes
from deft_bench.core.practice.culprit import (
    FRETS,
    LEVELS,
    TOLERANCE_MM,
    CulpritNeck,
    believed,
    culprit_neck,
    found_by_program,
    read,
    score,
)
from deft_bench.core.practice.culprit_ways import many_ways, ways_left
from deft_bench.core.practice.ladder import BOXES, WELL, next_level, rungs
from deft_bench.core.practice.level_or_lift import level_or_lift
from deft_bench.core.practice.mistakes import mistakes
from deft_bench.core.practice.numbered import WORTH_PLAYING
from deft_bench.core.practice.read_light import read_light
from deft_bench.core.practice.rounds import STRINGS
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.core.strings.notes import cents_between
from deft_bench.core.strings.pitch import pitch
from deft_bench.formats.operations_toml import shipped

IN_ROUNDS = (read_light, level_or_lift, bench_sums.tape_layers, bench_sums.slot_cuts, bench_sums.saddle_cuts)
SEEDS, ALL_LEVELS = st.integers(0, 10**6), st.sampled_from(sorted(LEVELS))


@settings(max_examples=25, deadline=None)
@given(SEEDS, ALL_LEVELS)
def test_every_neck_is_found_by_the_program_whose_play_is_worth_all(seed: int, level: int) -> None:
    truth = culprit_neck(seed, level)
    assert truth == culprit_neck(seed, level)
    assert len(truth.signed) == LEVELS[level][1]
    taken, named = found_by_program(truth, level)
    assert named == truth.signed
    assert score(truth, level, taken, named).points == 100
    # slower is worth less, a wrong sign more than nothing's worth less still
    slower = [*taken, read(truth, "straightedge", "bass")]
    assert 60 < score(truth, level, slower, named).points < 100
    assert score(truth, level, taken, frozenset((fret, -sign) for fret, sign in named)).points == 0
    # what nothing was read of is a guess
    assert score(truth, level, [], named).points == 0
    every = frozenset((fret, 1) for fret in range(1, FRETS + 1))
    assert score(truth, level, taken, every).points <= 100 * LEVELS[level][1] / FRETS + 1
    # what is believed after the last reading is what the program names
    assert believed(taken)[-1].explanations[0].signed == named


@settings(max_examples=25, deadline=None)
@given(SEEDS, ALL_LEVELS, st.integers(2, FRETS - 1), st.sampled_from(("bass", "middle", "treble")))
def test_tools_say_what_is_there(seed: int, level: int, fret: int, lane: str) -> None:
    truth = replace(culprit_neck(seed, level), edge_mm=())
    tops = truth.neck.heights()[lane]
    rock = rock_of(truth.neck.positions, tops, around(fret))
    rocks = read(truth, "rocker", lane, fret).rocks
    assert rocks is (True if rock >= TOLERANCE_MM else False if rock <= TOLERANCE_MM / 2 else None)
    light = read(truth, "straightedge", lane).light
    gaps = np.array(truth.neck.under_edge(lane))
    assert gaps.min() == pytest.approx(0.0, abs=1e-9)
    assert (np.diff(np.array(light)[np.argsort(gaps)]) >= 0).all()
    # the edge lies on two tops on either side of its middle
    middle = np.mean(truth.neck.positions)
    resting = np.array(truth.neck.positions)[gaps < 1e-9]
    assert resting.min() <= middle <= resting.max()


def test_a_hand_at_random_is_worth_little_and_nonsense_is_refused() -> None:
    chance, points = np.random.default_rng(0), list[int]()
    for seed in range(30):
        level = 1 + seed % max(LEVELS)
        truth = culprit_neck(seed, level)
        readings = [read(truth, "rocker", "middle", int(chance.integers(2, FRETS))) for _ in range(12)]
        named = frozenset(
            (int(n), int(chance.choice([-1, 1]))) for n in chance.choice(FRETS, LEVELS[level][1], False) + 1
        )
        points.append(score(truth, level, readings, named).points)
    # now and then one is guessed
    assert np.mean(points) < 15
    with pytest.raises(ValueError, match="1 to 6"):
        culprit_neck(1, 7)
    with pytest.raises(ValueError, match="whole number"):
        culprit_neck(-1, 1)
    with pytest.raises(ValueError, match="2 to 21"):
        read(culprit_neck(1, 1), "rocker", "middle", FRETS)
    with pytest.raises(ValueError, match="choose a lane"):
        read(culprit_neck(1, 1), "rocker", "side", 3)


@settings(max_examples=40, deadline=None)
@given(SEEDS, st.sampled_from(sorted(straight.LEVELS)))
def test_every_rod_is_read_rightly_by_the_program(seed: int, level: int) -> None:
    truth = straight.rod_neck(seed, level)
    done, said = straight.by_program(truth)
    assert (said == straight.STRAIGHT) is truth.can_be_straight
    assert straight.score(truth, done, said).points >= WORTH_PLAYING
    end = straight.after(truth, done)
    assert not end.forced
    # who walks away, or says so without the wrench telling, has nothing
    assert straight.score(truth, [], straight.GIVES_NO_MORE).points == 0
    assert straight.score(truth, [], straight.STRAIGHT).points == 0


@settings(max_examples=60, deadline=None)
@given(SEEDS, st.sampled_from(sorted(straight.LEVELS)), st.lists(st.sampled_from((-2, -1, 0, 1, 2)), max_size=12))
def test_a_rod_keeps_its_books(seed: int, level: int, turns: list[int]) -> None:
    truth = straight.rod_neck(seed, level)
    neck, wrench = truth, 0.0
    for eighths in turns:
        before = neck
        neck, said = straight.do(neck, "turn", eighths) if eighths else straight.do(neck, "wait")
        if said.feel in ("stops", "forced"):
            assert neck.settled_mm == before.settled_mm
            assert eighths / 8 > before.left
        else:
            wrench += eighths / 8
        if not eighths:
            assert neck.coming_mm == 0.0
            assert neck.bow_mm == pytest.approx(before.settled_mm)
    assert neck.left == pytest.approx(truth.left - wrench)
    # what the wrench did is in the neck but for the slack, which is all that is ever lost
    moved = (truth.settled_mm - neck.settled_mm) / truth.mm_a_turn
    assert abs(moved - wrench) <= truth.slack + 1e-9
    _, said = straight.do(neck, "read")
    assert (said.passes_mm or 0.0) <= abs(neck.bow_mm) < (said.stops_mm or 9.0)
    with pytest.raises(ValueError, match="never more"):
        straight.do(neck, "turn", 3)


@settings(max_examples=40, deadline=None)
@given(SEEDS, st.sampled_from(sorted(order.LEVELS)), st.lists(st.tuples(st.integers(0, 9), st.integers(-9, 9))))
def test_a_day_has_an_order_that_breaks_nothing(seed: int, level: int, moves: list[tuple[int, int]]) -> None:
    day = order.day_order(shipped(), seed, level)
    assert sorted(day.right) == sorted(day.shuffled) == sorted(day.titles)
    assert order.breaches(day.rules, day.right) == []
    assert order.points(day.rules, day.right) == 100 > order.points(day.rules, day.shuffled)
    assert order.points(day.rules, day.right[::-1]) == 0
    now: list[str] = list(day.shuffled)
    for at, by in moves:
        code = now[at % len(now)]
        then = order.moved(now, code, by)
        assert [one for one in then if one != code] == [one for one in now if one != code]
        assert then.index(code) == max(0, min(len(now) - 1, now.index(code) + by))
        now = then
    with pytest.raises(ValueError, match="not among"):
        order.moved(now, "elbow grease", 1)


def test_steps_at_random_are_worth_little() -> None:
    days = [order.day_order(shipped(), seed, 1 + seed % 3) for seed in range(60)]
    assert np.mean([order.points(day.rules, day.shuffled) for day in days]) < 40


@given(st.lists(st.tuples(st.integers(1, 3), st.integers(0, 100), st.integers(0, 5)), max_size=30))
def test_what_is_weak_is_asked_again_and_what_is_known_ever_later(tried: list[tuple[int, int, int]]) -> None:
    day, attempts = date(2026, 8, 1), list[tuple[int, int, date]]()
    for level, points, later in tried:
        day += timedelta(days=later)
        attempts.append((level, points, day))
    found = rungs(attempts, 3)
    assert [one.level for one in found] == [1, 2, 3]
    for one in found:
        done = [(points, day) for level, points, day in attempts if level == one.level]
        assert one.tried == len(done)
        well = 0
        for points, _ in done:
            well = min(well + 1, BOXES) if points >= WELL else 0
        assert one.box == well
        if done and one.due is not None:
            assert (one.due - done[-1][1]).days == (2 ** (well - 1) if well else 0)
        assert (one.due is None) == (not done)
    asked = next_level(found, day)
    due = [one.level for one in found if one.due is not None and one.due <= day]
    assert asked == min(due) if due else asked in (1, 2, 3)


X = np.array(beam.POSITIONS)
TOPS = st.lists(st.floats(-0.01, 0.01), min_size=beam.FRETS, max_size=beam.FRETS)
OUT = st.dictionaries(st.integers(1, beam.FRETS - 2), st.floats(0.02, 0.1), max_size=4)


@settings(max_examples=60, deadline=None)
@given(TOPS, OUT, OUT, st.floats(0.02, 0.98), st.sampled_from((1e-4, 0.003, 0.05)))
def test_what_the_beam_takes_adds_up_and_balances_about_the_hand(
    even: list[float], proud: dict[int, float], loose: dict[int, float], at: float, take: float
) -> None:
    lifted = np.zeros(beam.FRETS)
    lifted[list(loose)] = list(loose.values())
    tops = np.array(even) + lifted
    tops[list(proud)] += list(proud.values())
    hand = X[0] + at * (X[-1] - X[0])
    off = bears(X, tops, hand, take, lifted)
    assert (off >= 0).all()
    assert off.sum() == pytest.approx(take)
    assert abs(off @ (X - hand)) < 1e-3 * take * (X[-1] - X[0])
    # of two that stand firm, what lies deeper under the beam's line gives more: depths are linear in what comes off
    firm = np.flatnonzero((off > 0) & (lifted == 0))
    if len(firm) > 2:
        line = np.polyfit(X[firm], tops[firm] - off[firm] / 0.5, 1)
        assert tops[firm] - off[firm] / 0.5 == pytest.approx(np.polyval(line, X[firm]), abs=1e-5)
    with pytest.raises(ValueError, match="tips off"):
        bears(X, tops, X[-1] + 1, take)


@settings(max_examples=15, deadline=None)
@given(TOPS, OUT)
def test_many_light_strokes_of_a_led_hand_come_to_the_level_programme(
    even: list[float], proud: dict[int, float]
) -> None:
    tops = np.array(even)
    tops[list(proud)] += list(proud.values())
    offset, slope = best_line(list(zip(X.tolist(), tops.tolist(), strict=True)), [], "least_metal")
    line = offset + slope * X
    least, now = float((tops - line).sum()), tops
    for _ in range(400):
        left = np.maximum(now - line, 0.0)
        if left.max() < 0.0005:
            break
        hand = np.clip(left @ X / left.sum(), X[0] + 1, X[-1] - 1)
        now = now - bears(X, now, float(hand), min(least / 200, left.sum()))
    # on its line, but for what the last strokes would still take and the beam's tipping at the nut, and with its metal
    assert np.abs(now - line)[3:].max() < 0.007
    assert np.abs(now - line).max() < 0.01
    assert (tops - now).sum() == pytest.approx(least, rel=0.03, abs=0.0005 * beam.FRETS)


@settings(max_examples=15, deadline=None)
@given(SEEDS, st.sampled_from(sorted(beam.LEVELS)))
def test_the_programs_own_levelling_is_worth_all(seed: int, level: int) -> None:
    truth = beam.beam_neck(seed, level)
    done, end = beam.by_program(truth)
    assert beam.score(truth, done, end, (done, end)).points >= WORTH_PLAYING
    assert end.wasted_mm == 0.0
    assert not any(end.lifted)
    # nothing done is worth nothing, and what is kept comes back as it was
    assert beam.score(truth, [], truth, (done, end)).points == 0
    assert beam.neck_from(json.loads(json.dumps(asdict(end)))) == end
    assert [beam.done_from(json.loads(json.dumps(asdict(one)))) for one in done] == done


def test_a_loose_fret_that_was_ground_ends_low_and_a_hand_at_random_is_worth_little() -> None:
    truth = beam.beam_neck(4, 2)
    loose = 1 + int(np.argmax(truth.lifted))
    ground = truth
    for _ in range(8):
        ground, _ = beam.do(ground, "stroke", loose, LANES, firm=True)
    ground, said = beam.do(ground, "tap", loose)
    assert said.gives
    assert ground.wasted_mm > 0.05
    assert ground.seated("middle")[loose - 1] < min(h for n, h in enumerate(ground.tops["middle"], 1) if n != loose)
    chance, points = np.random.default_rng(1), list[int]()
    for seed in range(9):
        neck, done = beam.beam_neck(seed, 1 + seed % 3), list[beam.Done]()
        end = neck
        for _ in range(15):
            lane = str(chance.choice(LANES))
            end, one = beam.do(end, "stroke", int(chance.integers(1, 23)), [lane], bool(chance.random() < 0.5))
            done.append(one)
        points.append(beam.score(neck, done, end, beam.by_program(neck)).points)
    assert np.mean(points) < 40
    with pytest.raises(ValueError, match="choose a lane"):
        beam.do(truth, "stroke", 5, ["side"])
    with pytest.raises(ValueError, match="1 to 22"):
        beam.do(truth, "tap", 23)


@settings(max_examples=40, deadline=None)
@given(SEEDS, st.floats(-0.6, 0.6), st.floats(-0.6, 0.6), st.floats(0.001, 1.0))
def test_what_the_block_takes_adds_up_and_balances_about_the_hand(
    seed: int, along: float, across: float, take: float
) -> None:
    chance = np.random.default_rng(seed)
    x, y = (one.ravel() for one in np.meshgrid(np.linspace(-1, 1, 5), np.linspace(-1, 1, 7)))
    shape, tops = np.stack([np.ones_like(x), x, y], axis=1), chance.normal(0, 0.1, len(x))
    off = sanded(shape, tops, np.array([1.0, along, across]), [take])
    assert (off >= 0).all()
    assert shape.T @ off == pytest.approx(np.array([1.0, along, across]) * take, abs=1e-4 * take)
    # one plane lies twice what came off under each point that it bears on, and over every other
    bearing = off > 1e-9
    if bearing.sum() > 3:
        plane, *_ = np.linalg.lstsq(shape[bearing], tops[bearing] - 2 * off[bearing], rcond=None)
        assert shape[bearing] @ plane == pytest.approx(tops[bearing] - 2 * off[bearing], abs=1e-3 * take)
        assert (tops[~bearing] - shape[~bearing] @ plane).max(initial=-1.0) < 1e-3 * take
    with pytest.raises(ValueError, match="tips off"):
        sanded(shape, tops, np.array([1.0, 1.2, 0.0]), [take])
    # a rule rests on the points, over all others
    rest = resting(shape, tops) - tops
    assert rest.min() > -1e-9
    assert rest.min() < 1e-7
    line = np.stack([np.ones(7), 100.0 * np.arange(7)], axis=1)
    assert 2 * half_band(line, tops[:7]) == pytest.approx(band_width(list(zip(line[:, 1], tops[:7], strict=True))))


@settings(max_examples=10, deadline=None)
@given(SEEDS, st.sampled_from(sorted(radius.LEVELS)))
def test_the_programs_own_sanding_is_worth_all(seed: int, level: int) -> None:
    truth = radius.blank(seed, level)
    done, end = radius.by_program(truth)
    assert radius.score(truth, done, end, (done, end)).points == 100
    assert radius.score(truth, [], truth, (done, end)).points == 0
    strokes = [radius.FIRM_MM if one.firm else radius.LIGHT_MM for one in done if one.what == "sand"]
    assert end.taken_mm == pytest.approx(sum(strokes))
    assert radius.blank_from(json.loads(json.dumps(asdict(end)))) == end
    assert [radius.done_from(json.loads(json.dumps(asdict(one)))) for one in done] == done


def test_a_block_pressed_at_an_end_takes_it_down_and_a_hand_at_random_is_worth_little() -> None:
    truth = radius.blank(4, 1)
    ended = truth
    for _ in range(4):
        ended, _ = radius.do(ended, "sand", 1, firm=True)
    assert sum(ended.taken[0]) > 3 * sum(ended.taken[2])
    assert ended.pencil()[0].count(0) > ended.pencil()[4].count(0)
    assert radius.do(ended, "scribble")[0].pencil() == ((2,) * radius.ACROSS,) * radius.PLACES
    chance, points = np.random.default_rng(1), list[int]()
    for seed in range(6):
        one = end = radius.blank(seed, 1 + seed % 3)
        done = list[radius.Done]()
        for _ in range(15):
            lean = list(radius.LEANS)[chance.integers(3)]
            end, said = radius.do(end, "sand", int(chance.integers(1, 10)), lean, firm=bool(chance.random() < 0.5))
            done.append(said)
        points.append(radius.score(one, done, end, radius.by_program(one)).points)
    assert np.mean(points) < 40
    with pytest.raises(ValueError, match="1 to 9"):
        radius.do(truth, "gauge", 10)


@settings(max_examples=15, deadline=None)
@given(SEEDS, st.sampled_from(sorted(intonate.LEVELS)))
def test_what_is_heard_of_a_saddle_is_how_far_it_is_off(seed: int, level: int) -> None:
    truth = intonate.saddle_string(seed, level)
    heard = [pitch(truth.sounds(what), intonate.RATE, 2 * truth.hz).hz for what in ("harmonic", "fretted")]
    assert cents_between(heard[1], heard[0]) == pytest.approx(truth.off_cents, abs=0.1)
    assert intonate.OFF[level][0] * 0.9 < abs(truth.off_cents) < intonate.OFF[level][1] * 1.1
    # too far back is flat
    assert (truth.saddle_mm > truth.right_mm) == (truth.off_cents < 0)
    done = intonate.by_program(truth)
    assert intonate.score(truth, done).points >= WORTH_PLAYING
    assert intonate.score(truth, [one for one in done if one.what == "turn"]).points == 0
    assert intonate.score(truth, [intonate.Done("fretted")]).points < 75
    with pytest.raises(ValueError, match=r"0\.25, 0\.5, 1, 2 mm"):
        intonate.do(truth, "turn", 7.0)


@settings(max_examples=30, deadline=None)
@given(SEEDS, st.sampled_from([1, 2]))
def test_rounds_ask_what_can_be_answered_and_guessing_is_worth_nothing(seed: int, level: int) -> None:
    drawn = [draw(seed, level) for draw in IN_ROUNDS] + [mistakes(shipped(), seed, level)]
    chance = np.random.default_rng(seed)
    for some in drawn:
        assert rounds.why_no_drill(some) == ""
        assert rounds.points(some, [one.right for one in some]) == 100
        assert rounds.rounds_from(json.loads(json.dumps({"rounds": [asdict(one) for one in some]}))) == some
        for one in some:
            assert one.worth(one.right) == 1
            if one.asks == "length":
                assert one.worth(one.right + 2 * one.within_mm) == pytest.approx(0.5)
                assert one.worth(one.right - 3 * one.within_mm) == pytest.approx(0)
    guesses = [[float(chance.integers(len(one.choices))) for one in drawn[0]] for _ in range(200)]
    assert sum(rounds.points(drawn[0], guess) for guess in guesses) / 200 < 20
    with pytest.raises(ValueError, match="level 3 is not there"):
        read_light(seed, 3)


@settings(max_examples=30, deadline=None)
@given(SEEDS, st.sampled_from([1, 2]))
def test_the_answers_of_the_sums_do_what_was_wanted(seed: int, level: int) -> None:
    xs = fret_positions(640.0, 22)
    for one in bench_sums.tape_layers(seed, level):
        fret, first = (int(n) for n in re.findall(r"fret (\d+)", one.situation)[:2])
        thick, drop, height = one.lengths_mm
        cut = fall_by_last_drop(xs, fret, height, drop)
        # to the hundredth that the drop is said in
        assert abs(cut.crossing_mm - xs[first - 2]) < 0.02 / drop * (xs[-1] - xs[fret - 1])
        assert 0 <= round(height / thick) - one.right <= 2
    for one in bench_sums.slot_cuts(seed, level):
        gap, wanted, off = one.lengths_mm[:3]
        bearing = xs[1] if level == 1 else xs[2]
        assert gap - off * (1 - xs[0] / bearing) == pytest.approx(min(gap, wanted), abs=1e-9)
    for one in bench_sums.saddle_cuts(seed, level):
        bass, treble, wants_bass, wants_treble, off, spread, past = one.lengths_mm
        ends = {"bass": 2 * (bass - wants_bass), "treble": 2 * (treble - wants_treble)}
        here, there = ("bass", "treble") if "bass" in one.ask else ("treble", "bass")
        assert off == pytest.approx(ends[here] + (ends[here] - ends[there]) * past / spread)


def test_what_buzzes_is_of_one_cause_that_the_diagnosis_names() -> None:
    chance = np.random.default_rng(4)
    clean, notes = what_buzzes.gone_wrong(chance, "fret", 1)
    assert not clean.buzzes().any()
    assert what_buzzes.is_named(clean, notes, "fret")
    assert not what_buzzes.is_named(clean, notes, "rise")
    for level in what_buzzes.LEVELS:
        first, again, other = (what_buzzes.what_buzzes(seed, level) for seed in (5, 5, 6))
        assert first == again != other
        assert not rounds.why_no_drill(first)
        assert sorted(one.right for one in first) == list(range(len(first)))
        for one in first:
            by_string = np.reshape(one.buzzes, (STRINGS, 21))
            strings, frets = np.nonzero(by_string)
            kind = list(what_buzzes.CHOICES)[round(one.right)]
            if kind == "nut":
                assert (strings.size, *frets) == (1, 0)
            assert (len(set(strings)) == 1) == (kind in ("nut", "saddle"))
            if kind == "rise":
                assert frets.min() > 8


def test_what_moves_with_the_edge_is_the_edges() -> None:
    truth = next(one for one in (culprit_neck(seed, 6) for seed in range(20)) if max(one.edge_mm) > 0)
    lying, turned = (read(truth, tool, "middle").light for tool in ("straightedge", "turned"))
    assert lying != turned
    # the rocker is too short to be led astray, and on an even neck what light there is turns round with the edge
    assert found_by_program(truth, 6)[1] == truth.signed
    even = CulpritNeck(SimulatedNeck(640.0, dict.fromkeys(LANES, (0.0,) * FRETS), {}), truth.out_mm, truth.edge_mm)
    gaps = [read(even, tool, "bass").light for tool in ("straightedge", "turned")]
    assert 2 in gaps[0] or 1 in gaps[0]
    high = [n for n, mm in enumerate(truth.edge_mm) if mm == max(truth.edge_mm)]
    assert all(gaps[0][n] == 0 for n in high)
    assert all(gaps[1][FRETS - 1 - n] == 0 for n in high)
    straight = read(replace(truth, edge_mm=()), "straightedge", "middle").light
    assert straight == read(replace(truth, edge_mm=()), "turned", "middle").light


@settings(max_examples=15, deadline=None)
@given(SEEDS, ALL_LEVELS)
def test_readings_leave_fewer_ways_and_never_lose_the_true_one(seed: int, level: int) -> None:
    truth = culprit_neck(seed, level)
    taken = [read(truth, "rocker", "middle", fret) for fret in range(2, FRETS)]
    left = ways_left([*taken, taken[0], read(truth, "straightedge", "middle")], level)
    assert many_ways(level) >= left[0] >= left[-1] >= 1
    assert left == sorted(left, reverse=True)
    assert left[-3] == left[-2] == left[-1]  # what was felt before, or seen, tells nothing new
    if level == 1:
        assert left[-1] == 1
