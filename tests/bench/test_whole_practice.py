"""Whole jobs on practice necks: the program's own play, a hand at random, the wood and the book, the real bench."""

import random
from contextlib import closing
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.bench.level_acceptance import reseated_now
from deft_bench.bench.likely import likely
from deft_bench.bench.practice import whole
from deft_bench.bench.practice.attempts import PracticeError
from deft_bench.bench.practice.by_program import play
from deft_bench.bench.practice.moments import felt_so_far, moments
from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice.numbered import WORTH_PLAYING
from deft_bench.core.practice.whole_neck import (
    FRETS,
    LEVELS,
    SIXTEENTHS,
    PracticeNeck,
    as_json,
    do,
    neck_from,
    practice_neck,
    score,
)
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import stamp
from deft_bench.core.work.job_sheet import Event
from deft_bench.store import acts, instruments, jobs, outcomes, rod_turns, seating, sheets, surveys
from deft_bench.store.database import Connection, scratch

BEGINS = datetime(2026, 8, 24, 9, tzinfo=UTC)
SHOP = ShopSettings()


def minutes(n: int) -> datetime:
    return BEGINS + timedelta(minutes=n)


@settings(max_examples=6, deadline=None)
@given(st.integers(0, 10**6), st.sampled_from(sorted(LEVELS)))
def test_the_calls_bring_any_neck_to_its_gate_and_that_is_worth_the_most(seed: int, level: int) -> None:
    truth = practice_neck(seed, level)
    assert truth == practice_neck(seed, level)
    assert neck_from(as_json(truth)) == truth
    theirs = play(SHOP, truth)
    assert theirs.passed, theirs.said
    worth = score(truth, theirs.end, theirs.seconds, theirs.end, theirs.seconds)
    assert worth.points >= WORTH_PLAYING, (worth, theirs.said)
    assert worth.wasted_mm == 0
    # nothing done at all, and twice the time
    assert score(truth, truth, 0, theirs.end, theirs.seconds).points < 40
    assert (
        worth.points - 11
        <= score(truth, theirs.end, 2 * theirs.seconds, theirs.end, theirs.seconds).points
        < worth.points
    )


def test_a_hand_at_random_is_worth_little() -> None:
    chance, points = random.Random(4), list[int]()
    for seed in range(30):
        truth = found = practice_neck(seed, 1 + seed % 3)
        seconds = 0.0
        for _ in range(12):
            what = chance.choice(("stroke", "stroke", "tap", "turn", "press"))
            found, deed = do(
                found,
                what,  # type: ignore[arg-type]
                [chance.randint(1, FRETS)],
                sixteenths=chance.choice(SIXTEENTHS),
                lanes=LANES,
                firm=chance.random() < 0.5,
            )
            seconds += deed.seconds
        # as if the program had taken as much metal and an hour: all is for how level it ends
        points.append(score(truth, found, seconds, found, 3600).points)
    assert sum(points) / len(points) < 40


def on_the_bench(db: Connection, level: int = 2, seed: int = 62) -> int:
    return whole.begin_whole(db, BEGINS, "Ida", level, seed=seed)


def test_the_wood_and_the_book_stay_true_to_each_other() -> None:
    with closing(scratch()) as db:
        neck = on_the_bench(db)
        found = whole.whole_job(db, neck)
        (loose,) = found.truth.neck.unseated
        bow = found.neck.rod.bow_mm
        # by hand: it stands in the book
        whole.work(db, minutes(1), neck, "turn", sixteenths=2)
        whole.work(db, minutes(2), neck, "press", [loose])
        assert seating.in_force(db, found.job.id) == []
        whole.work(db, minutes(3), neck, "tap", [loose])
        book = acts.of_instrument(db, found.instrument.id)
        assert [(act.kind, act.frets) for act in book] == [("rod", ()), ("reseat", (loose,))]
        assert rod_turns.of_instrument(db, found.instrument.id)[0].turns == 1 / 8
        tapped = whole.whole_job(db, neck)
        assert not tapped.neck.neck.unseated
        assert tapped.neck.rod.bow_mm < bow
        # in the book: it is done on the wood, once, in its place in time
        rod_turns.add(db, found.instrument.id, stamp(minutes(4)), 8)
        turned = whole.whole_job(db, neck)
        assert turned.neck.rod.bow_mm < tapped.neck.rod.bow_mm
        assert turned.stored == len(turned.steps) - 1
        after = whole.work(db, minutes(5), neck, "ink")
        assert after.neck.rod == turned.neck.rod
        assert [one.deed for one in whole.whole_job(db, neck).steps] == [one.deed for one in after.steps]
        assert whole.whole_job(db, neck).neck == after.neck
        # strokes touch single frets: in the book once until a reading, or until they touch others
        touched = set[int]()
        for k in range(6):
            step = whole.work(db, minutes(6) + timedelta(seconds=k), neck, "stroke", [10], lanes=LANES).steps[-1]
            touched |= set(step.deed.frets)
        spots = [act for act in acts.of_instrument(db, found.instrument.id) if act.kind == "spot"]
        assert len(spots) < 6
        assert set().union(*(act.frets for act in spots)) == touched
        whole.read_on_the_stage(db, SHOP, minutes(10), neck, "rocker")
        whole.work(db, minutes(11), neck, "stroke", [10], lanes=LANES)
        assert len([act for act in acts.of_instrument(db, found.instrument.id) if act.kind == "spot"]) == len(spots) + 1
        told = moments(db, whole.whole_job(db, neck, every_neck=True))
        assert [one.at for one in told] == sorted(one.at for one in told)
        assert [one.kind for one in told if one.kind] == ["rocker"]
        with pytest.raises(PracticeError, match="never more"):
            whole.work(db, minutes(12), neck, "turn", sixteenths=9)
        assert len(whole.whole_job(db, neck).steps) == len(told) - 1


def test_tools_read_the_wood_and_a_survey_goes_on_while_it_holds() -> None:
    with closing(scratch()) as db:
        neck = on_the_bench(db, level=3)
        found = whole.whole_job(db, neck)
        now = found.neck.now
        first = whole.read_on_the_stage(db, SHOP, minutes(1), neck, "rocker", [5], ["middle"])
        again = whole.read_on_the_stage(db, SHOP, minutes(2), neck, "rocker")
        assert first.id == again.id
        for (lane, fret), rocks in felt_so_far(db, found).items():
            clear = now.rocks(lane, (fret - 1, fret, fret + 1))
            assert clear is None or clear == bool(rocks)
        edge = whole.read_on_the_stage(db, SHOP, minutes(3), neck, "straightness")
        wood = [now.board(fret) for fret in range(1, FRETS + 1)]
        for (_, fret), um in surveys.values(db, edge.id).items():
            assert um is not None
            assert abs(um / 1000 - (max(wood) - wood[fret - 1])) <= edge.head.resolution_um / 2000 + 1e-9
        gauged = whole.read_on_the_stage(db, SHOP, minutes(4), neck, "fret_heights")
        assert min(um for um in surveys.values(db, gauged.id).values() if um is not None) == 0
        whole.work(db, minutes(5), neck, "turn", sixteenths=1)
        moved = whole.read_on_the_stage(db, SHOP, minutes(6), neck, "rocker", [5], ["middle"])
        assert moved.id != first.id
        with pytest.raises(PracticeError, match="Choose one of"):
            whole.read_on_the_stage(db, SHOP, minutes(7), neck, "crown_line")
        # what was believed then does not know what came later
        early = likely(db, SHOP, found.job, found.instrument, until=stamp(minutes(1)))
        late = likely(db, SHOP, found.job, found.instrument, until=stamp(minutes(4)))
        assert early is not None
        assert late is not None
        assert len(early.told) < len(late.told)
        spread = [sum(one.high - one.low for row in thought.lanes.values() for one in row) for thought in (early, late)]
        assert spread[1] < spread[0] / 2


def worked(db: Connection, job_id: int) -> None:
    """A step of half an hour on a job's sheet."""
    for what, at in (("started", 20), ("finished", 50)):
        sheets.add(db, job_id, Event("crown", what, stamp(minutes(at))))


def test_what_goes_over_the_bench_leaves_practice_out() -> None:
    with closing(scratch()) as db:
        neck = on_the_bench(db)
        found = whole.whole_job(db, neck)
        job, instrument = found.job, instruments.get(db, found.instrument.id)
        assert instrument.practice
        reseated_now(db, minutes(1), job, [3])
        acts.keep(db, job.id, "lift", [9], stamp(minutes(2)))
        worked(db, job.id)
        jobs.open_job(db, instrument.id, "setup", stamp(BEGINS), None)  # whatever else is opened on it
        assert jobs.in_bench_order(db) == []
        assert list(instruments.page(db)) == list(instruments.find(db, "practice")) == []
        assert outcomes.looked_under(db, "") == {}
        assert outcomes.lifted(db, "") == []
        assert sheets.samples(db, ["crown"]) == {"crown": []}
        # a real one beside it counts
        own = instruments.add(db, instrument.spec, stamp(BEGINS))
        real = jobs.get(db, jobs.open_job(db, own, "level_and_dress", stamp(BEGINS), None))
        reseated_now(db, minutes(3), real, [3])
        worked(db, real.id)
        assert [one.id for one in jobs.in_bench_order(db)] == [real.id]
        assert outcomes.looked_under(db, "")["level_and_dress"].loose == 1
        assert [one.id for one in instruments.page(db)] == [own]
        assert len(sheets.samples(db, ["crown"])["crown"]) == 1


def test_a_job_is_handed_in_once_and_is_closed_then() -> None:
    with closing(scratch()) as db:
        neck = on_the_bench(db, level=1)
        found = whole.whole_job(db, neck)
        worth = score(found.truth, found.neck, 60, found.neck, 60)
        whole.work(db, minutes(1), neck, "wait")
        with pytest.raises(PracticeError, match="in another window"):
            whole.keep_outcome(db, minutes(1), found, worth, [])
        found = whole.whole_job(db, neck)
        whole.keep_outcome(db, minutes(1), found, worth, ["nothing"])
        assert jobs.get(db, found.job.id).closed_at
        handed_in = whole.whole_job(db, neck)
        assert handed_in.score == worth
        # what is recorded later changes nothing of it
        acts.keep(db, found.job.id, "reseat", list(found.truth.neck.unseated), stamp(minutes(2)))
        assert whole.whole_job(db, neck).steps == handed_in.steps
        for again in (
            lambda: whole.keep_outcome(db, minutes(2), found, worth, []),
            lambda: whole.work(db, minutes(2), neck, "wait"),
            lambda: whole.read_on_the_stage(db, SHOP, minutes(2), neck, "rocker"),
        ):
            with pytest.raises(PracticeError, match="handed in"):
                again()


def test_ground_before_it_was_home_it_ends_low() -> None:
    truth: PracticeNeck = practice_neck(3, 1)
    (loose,) = truth.neck.unseated
    ground = truth
    for _ in range(12):
        ground, _ = do(ground, "stroke", [loose], lanes=LANES, firm=True)
    assert ground.wasted_mm > 0.02
    home, tapped = do(ground, "tap", [loose])
    assert tapped.gives
    assert home.settled.height("middle", loose) < truth.settled.height("middle", loose) - 0.01
    assert abs(home.taken_mm - sum(sum(row) for row in home.taken.values())) < 1e-12
