"""Two apprentices who practise: what they have reached, a drill left half-way, a practice neck half worked."""

from datetime import UTC, date, datetime, time, timedelta
from functools import partial

from deft_bench.bench.practice import whole
from deft_bench.bench.practice.beam import BEAM
from deft_bench.bench.practice.culprit import answer, begin_culprit, practising, take
from deft_bench.bench.practice.order import begin_order, hand_in, in_order, move
from deft_bench.bench.practice.straight import act, at_the_rod, begin_straight, leave
from deft_bench.bench.practice.whole_setup import GAP_FRET
from deft_bench.core.practice import beam
from deft_bench.core.practice.culprit import FRETS, found_by_program
from deft_bench.core.practice.drills import WHOLE_SETUP
from deft_bench.core.practice.straight import by_program
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.store.database import Connection

ATTEMPTS = (("Tova", 9, 1, 11, True), ("Tova", 6, 2, 12, True), ("Tova", 3, 3, 13, False), ("Emre", 5, 1, 14, True))
"""Who, how many days ago, level, neck, and whether it was found."""
HALF_WAY = ("Emre", 1, 1, 15)
HALF_WORKED = ("Tova", 1, 2, 62)
HALF_SET_UP = ("Emre", 1, 3, 12)


def make_practice(db: Connection, settings: ShopSettings, today: date) -> None:
    """Fill in the attempts."""
    for person, ago, level, seed, found in ATTEMPTS:
        at = datetime.combine(today - timedelta(days=ago), time(16, 40), UTC)
        attempt = begin_culprit(db, at, person, level, seed)
        truth = practising(db, attempt).truth
        for reading in found_by_program(truth, level)[0]:
            take(db, at, attempt, "rocker", "middle", reading.fret)
        # a low fret taken for its proud neighbour is the classic slip
        slip = frozenset((fret, 1) if sign > 0 else (fret - 1, 1) for fret, sign in truth.signed)
        named = truth.signed if found else slip
        answer(db, at + timedelta(minutes=3), attempt, named)
    at = datetime.combine(today - timedelta(days=2), time(12, 10), UTC)
    rod = begin_straight(db, at, "Tova", 1, 21)
    done, said = by_program(at_the_rod(db, rod).truth)
    for one in done:
        act(db, at, rod, one.what, one.eighths)
    leave(db, at + timedelta(minutes=4), rod, said)
    day = begin_order(db, at, "Emre", 1, 31)
    move(db, at, day, in_order(db, day).truth.right[0], -9)
    hand_in(db, at + timedelta(minutes=2), day)
    beamed = BEAM.start(db, at, "Tova", 1, 41)
    stroking = BEAM.at_work(db, beamed)
    for step in beam.by_program(stroking.truth)[0]:
        stroke = partial(beam.do, what=step.what, fret=step.fret, lanes=step.lanes, firm=step.firm)
        stroking = BEAM.work(db, at, stroking, stroke)
    BEAM.hand_in(db, at + timedelta(minutes=5), beamed)
    _half_worked(db, settings, today)
    _half_set_up(db, settings, today)
    person, ago, level, seed = HALF_WAY
    at = datetime.combine(today - timedelta(days=ago), time(16, 40), UTC)
    attempt = begin_culprit(db, at, person, level, seed)
    take(db, at, attempt, "straightedge", "middle")
    for fret in range(2, FRETS // 2, 2):
        take(db, at, attempt, "rocker", "middle", fret)


def _half_set_up(db: Connection, settings: ShopSettings, today: date) -> None:
    """A whole setup as it was left: hung up in the bench's air, read, and played."""
    person, ago, level, seed = HALF_SET_UP
    at = datetime.combine(today - timedelta(days=ago), time(9, 20), UTC)
    neck = whole.begin_whole(db, at, person, level, seed=seed, drill=WHOLE_SETUP)
    whole.work(db, at, neck, "air")
    whole.work(db, at + timedelta(minutes=1), neck, "rest")
    for minutes, (kind, frets) in enumerate((("straightness", (GAP_FRET,)), ("strings", ()), ("buzz", ())), 2):
        whole.read_on_the_stage(db, settings, at + timedelta(minutes=minutes), neck, kind, frets)


def _half_worked(db: Connection, settings: ShopSettings, today: date) -> None:
    """A whole job as it was left: the neck straightened, its frets rocked, the loose one not found yet."""
    person, ago, level, seed = HALF_WORKED
    at = datetime.combine(today - timedelta(days=ago), time(15, 5), UTC)
    neck = whole.begin_whole(db, at, person, level, seed=seed)
    whole.read_on_the_stage(db, settings, at, neck, "straightness")
    for minutes in (5, 20):
        whole.work(db, at + timedelta(minutes=minutes), neck, "turn", sixteenths=4)
        whole.work(db, at + timedelta(minutes=minutes + 11), neck, "wait")
        whole.read_on_the_stage(db, settings, at + timedelta(minutes=minutes + 12), neck, "straightness")
    whole.read_on_the_stage(db, settings, at + timedelta(minutes=40), neck, "rocker")
