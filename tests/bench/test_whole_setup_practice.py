"""Whole setups on practice necks: the program's own play, a hand at random, the neck and the book."""

import random
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.bench.practice import whole
from deft_bench.bench.practice.attempts import PracticeError
from deft_bench.bench.practice.handing_in import hand_in
from deft_bench.bench.practice.moments import moments
from deft_bench.bench.practice.setup_by_program import play_setup, play_setup_on
from deft_bench.bench.practice.whole_setup import GAP_FRET, known
from deft_bench.bench.rod import recorded_turns
from deft_bench.bench.surveying import start_survey, usual_head
from deft_bench.core.practice.drills import WHOLE_SETUP
from deft_bench.core.practice.numbered import WORTH_PLAYING
from deft_bench.core.practice.whole_neck import SIXTEENTHS
from deft_bench.core.practice.whole_setup import (
    BENCH_HUMIDITY,
    LEVELS,
    QUARTERS,
    STRINGS,
    PracticeSetup,
    as_json,
    do,
    practice_setup,
    score,
    setup_from,
)
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.intonation import CentsReading, intonation
from deft_bench.core.times import stamp
from deft_bench.store import ear, practice, rod_turns, surveys
from deft_bench.store.database import Connection, scratch

BEGINS = datetime(2026, 8, 24, 9, tzinfo=UTC)
SHOP = ShopSettings()


def minutes(n: int) -> datetime:
    return BEGINS + timedelta(minutes=n)


def on_the_bench(db: Connection, level: int = 3, seed: int = 312) -> int:
    return whole.begin_whole(db, BEGINS, "Ida", level, seed=seed, drill=WHOLE_SETUP)


@settings(max_examples=6, deadline=None, derandomize=True)
@given(st.integers(0, 10**6), st.sampled_from(sorted(LEVELS)))
def test_the_calls_bring_any_setup_to_its_gates_and_that_is_worth_the_most(seed: int, level: int) -> None:
    truth = practice_setup(seed, level)
    assert truth == practice_setup(seed, level)
    assert setup_from(as_json(truth)) == truth
    theirs = play_setup(SHOP, truth)
    assert theirs.passed, theirs.said
    worth = score(theirs.end, theirs.seconds, theirs.end, theirs.seconds)
    assert worth.points >= WORTH_PLAYING, (worth, theirs.said)
    assert worth.points == worth.program_points
    assert score(truth, 0, theirs.end, theirs.seconds).points < 40
    slower = score(theirs.end, 2 * theirs.seconds, theirs.end, theirs.seconds).points
    assert worth.points - 11 <= slower < worth.points
    # a rod that was forced leaves nothing, however it plays
    forced = do(theirs.end, "turn", sixteenths=4)[0]
    for _ in range(20):
        forced = do(forced, "turn", sixteenths=4)[0]
    assert forced.neck.rod.forced
    assert score(forced, 0, theirs.end, theirs.seconds).points == 0


def test_a_hand_at_random_is_worth_little() -> None:
    chance, points = random.Random(4), list[int]()
    for seed in range(12):
        truth = found = practice_setup(seed, 1 + seed % 3)
        theirs = play_setup(SHOP, truth)
        for _ in range(15):
            string = chance.randint(1, STRINGS)
            found, _ = chance.choice(
                (
                    lambda on, n: do(on, "turn", sixteenths=chance.choice(SIXTEENTHS)),
                    lambda on, n: do(on, "file", n),
                    lambda on, n: do(on, "screw", n, quarters=chance.choice(QUARTERS)),
                    lambda on, n: do(on, "along", n, quarters=chance.choice(QUARTERS)),
                )
            )(found, string)
        points.append(score(found, 0, theirs.end, theirs.seconds).points)
    assert sum(points) / len(points) < 40


def test_the_air_moves_a_neck_that_was_not_left_to_rest() -> None:
    truth = practice_setup(312, 3)
    assert truth.air != BENCH_HUMIDITY
    theirs = play_setup(SHOP, truth)
    assert "two days" in theirs.said[0]
    rested, _ = do(truth, "rest")
    assert rested.neck.rod.bow_mm == pytest.approx(truth.neck.rod.bow_mm + truth.air_mm)
    assert (rested.air, rested.air_mm) == (BENCH_HUMIDITY, 0.0)
    # whoever set the same neck up at once is judged as it will lie
    hasty = PracticeSetup(theirs.end.neck, theirs.end.nut_mm, theirs.end.saddle_mm, theirs.end.behind_mm, 30, -0.16)
    lost = score(hasty, 0, theirs.end, theirs.seconds)
    assert lost.relief_mm == pytest.approx(score(theirs.end, 0, theirs.end, 1).relief_mm - 0.16)
    assert lost.points < 80


def test_the_neck_and_the_book_stay_true_to_each_other() -> None:
    with closing(scratch()) as db:
        neck = on_the_bench(db)
        found = whole.whole_job(db, neck)
        whole.read_on_the_stage(db, SHOP, minutes(1), neck, "straightness", [GAP_FRET])
        whole.work(db, minutes(2), neck, "turn", sixteenths=2)
        assert rod_turns.of_instrument(db, found.instrument.id)[0].turns == 1 / 8
        after = whole.read_on_the_stage(db, SHOP, minutes(3), neck, "straightness", [GAP_FRET])
        # the rod's answer is told by what was read before and after, as on any instrument
        ((_, told),) = recorded_turns(db, SHOP, found.instrument)
        assert told is not None
        assert told.after_mm < told.before_mm
        # in the book: it is done on the neck, by a steady hand
        stands = whole.whole_job(db, neck).neck.neck.rod.bow_mm
        rod_turns.add(db, found.instrument.id, stamp(minutes(4)), 16)
        turned = whole.whole_job(db, neck)
        assert turned.neck.neck.rod.bow_mm < stands
        assert turned.stored == len(turned.steps) - 1
        assert "straightness" in known(db, turned).old
        assert "straightness" not in known(db, turned, stamp(minutes(3))).old
        again = whole.read_on_the_stage(db, SHOP, minutes(5), neck, "straightness", [GAP_FRET])
        assert again.id != after.id
        with pytest.raises(PracticeError, match="never more"):
            whole.work(db, minutes(6), neck, "turn", sixteenths=9)
        with pytest.raises(PracticeError, match="no string 7"):
            whole.work(db, minutes(6), neck, "file", 7)
        with pytest.raises(PracticeError, match="Choose one of"):
            whole.read_on_the_stage(db, SHOP, minutes(7), neck, "crown_line")


def test_tools_read_the_strings_as_they_lie_and_old_readings_are_marked() -> None:
    with closing(scratch()) as db:
        neck = on_the_bench(db)
        truth = whole.whole_job(db, neck).neck
        first = whole.read_on_the_stage(db, SHOP, minutes(1), neck, "strings", [1])
        whole.read_on_the_stage(db, SHOP, minutes(2), neck, "strings", [12], ["3"])
        whole.read_on_the_stage(db, SHOP, minutes(3), neck, "intonation")
        whole.read_on_the_stage(db, SHOP, minutes(4), neck, "buzz", (), ["6"])
        told = known(db, whole.whole_job(db, neck))
        assert told.gaps_mm == pytest.approx(dict(enumerate(truth.gaps_mm(), 1)), abs=0.0051)
        assert told.actions_mm == pytest.approx({3: truth.actions_mm()[2]}, abs=0.0051)
        assert told.cents == pytest.approx({n: truth.cents(n, 12) for n in range(1, 7)}, abs=0.051)
        assert told.buzzing == {6: list(truth.buzzing().get(6, ()))}
        assert told.old == frozenset()
        # what a saddle's screw moves: action, pitch and what buzzes; not the relief
        whole.work(db, minutes(5), neck, "screw", 3, quarters=4)
        assert known(db, whole.whole_job(db, neck)).old == {"strings", "intonation", "buzz"}
        second = whole.read_on_the_stage(db, SHOP, minutes(6), neck, "strings")
        assert second.id != first.id
        assert known(db, whole.whole_job(db, neck)).old == {"intonation", "buzz"}
        assert len(surveys.readings(db, second.id)) == 2 * STRINGS


def test_a_survey_that_was_begun_another_way_is_left_as_it_is() -> None:
    """On the usual screens: an edge on the tops, and notes without the twelfth."""
    with closing(scratch()) as db:
        neck = on_the_bench(db)
        found = whole.whole_job(db, neck)
        for kind, fields in (("straightness", {"method": "gap"}), ("intonation", {"at_frets": (1, 3)})):
            head = usual_head(db, SHOP, BEGINS, found.job, found.instrument, kind).of(kind, 6 * (kind == "intonation"))
            begun = surveys.get(db, start_survey(db, BEGINS, found.job, found.instrument, replace(head, **fields)))
            whole.read_what_is_left(db, SHOP, minutes(1), begun)
            before = surveys.values(db, begun.id)
            read = whole.read_on_the_stage(db, SHOP, minutes(2), neck, kind, [GAP_FRET if "method" in fields else 12])
            assert read.id != begun.id
            assert surveys.values(db, begun.id) == before
        told = known(db, whole.whole_job(db, neck))
        assert told.relief_mm == pytest.approx(found.neck.neck.rod.bow_mm, abs=0.06)
        assert len(told.cents) == STRINGS


def test_a_neck_whose_specification_was_changed_says_so() -> None:
    with closing(scratch()) as db:
        neck = on_the_bench(db)
        held = whole.read_on_the_stage(db, SHOP, minutes(1), neck, "strings")
        assert whole.tool_reads(db, held, ("6", 12))
        db.execute("UPDATE instrument SET frets = 24, strings = 7")
        # whole.read_on_the_stage begins surveys of the neck as it is written down
        whole.work(db, minutes(2), neck, "screw", 3, quarters=4)
        for kind in ("strings", "buzz", "fret_heights"):
            with pytest.raises(PracticeError, match="specification was changed"):
                whole.read_on_the_stage(db, SHOP, minutes(3), neck, kind)


@given(st.integers(0, 10**6), st.integers(1, STRINGS))
@settings(max_examples=12, deadline=None)
def test_what_the_calls_make_of_the_cents_brings_a_saddle_true(seed: int, string: int) -> None:
    found = practice_setup(seed, 1 + seed % 3)
    shift = intonation(648.0, [CentsReading(12, found.cents(string, 12))]).saddle_shift_mm
    quarters = round(shift / 0.15)
    for _ in range(abs(quarters)):
        found, _ = do(found, "along", string, quarters=1 if quarters > 0 else -1)
    assert abs(found.cents(string, 12)) < 0.5


def test_a_whole_setup_is_handed_in_and_stands_beside_the_drills() -> None:
    with closing(scratch()) as db:
        neck = on_the_bench(db, level=1, seed=3)
        theirs = play_setup_on(db, SHOP, neck, BEGINS)
        hand_in(db, SHOP, minutes(900), neck)
        found = whole.whole_job(db, neck, every_neck=True)
        assert theirs.passed
        assert found.score.points >= WORTH_PLAYING
        assert found.job.closed_at
        told = moments(db, found)
        assert [one.at for one in told] == sorted(one.at for one in told)
        assert {one.kind for one in told} >= {"straightness", "strings", "intonation", "buzz"}
        # the shop learns nothing of it: neither how it reads, nor what the machine's ear was told
        survey = next(one for one in surveys.of_job(db, found.job.id) if one.head.kind == "intonation")
        surveys.add_sounded(db, survey.id, surveys.Sounded(6, "fretted", 12, 165.0, 0.9, stamp(BEGINS), ear=(0.1,)))
        ear.confirm(db, ear.notes(db, survey.id)[0].id, True, 0.5, stamp(BEGINS), alone=True)
        assert ear.lessons(db) == []
        assert {surveys.last_head(db, one) for one in ("strings", "intonation", "buzz")} == {None}
        (outcome,) = practice.outcomes(db)
        assert (outcome.drill, outcome.points) == (WHOLE_SETUP, found.score.points)
        with pytest.raises(PracticeError, match="handed in"):
            whole.work(db, minutes(901), neck, "wait")
