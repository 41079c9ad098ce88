"""What the program itself does with a whole level and dress: its own calls, followed on a bench of its own."""

from collections.abc import Sequence
from contextlib import closing
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from deft_bench.bench.level_acceptance import accept_level, carried_out, fingerprint
from deft_bench.bench.level_in_hand import SurveyFirstError, latest_planning
from deft_bench.bench.level_planning import Planning, fresh_bow
from deft_bench.bench.practice.whole import begin_on_truth, read_on_the_stage, whole_job, work
from deft_bench.bench.practice.whole_level import LevelJob
from deft_bench.bench.rod import advice_for, recorded_turns
from deft_bench.core.neck.rod_call import next_turn_words
from deft_bench.core.practice.drills import WHOLE
from deft_bench.core.practice.whole_neck import PracticeNeck
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import stamp
from deft_bench.store import jobs
from deft_bench.store.database import Connection, scratch

MOST_ROUNDS = 30
BEGINS = datetime(2000, 1, 1, 8, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Play:
    """The neck that the program leaves, the seconds on a bench, what it called on the way, and whether its own gate
    passed in the end.
    """

    end: Any
    seconds: float
    said: Sequence[str]
    passed: bool


def play(settings: ShopSettings, truth: PracticeNeck) -> Play:
    """Do the whole job on a neck as the calls say."""
    with closing(scratch()) as db:
        return play_on(db, settings, begin_on_truth(db, BEGINS, WHOLE, "the program", 1, 0, truth), BEGINS)


def play_on(db: Connection, settings: ShopSettings, neck_id: int, begins: datetime) -> Play:
    """Do the whole job as the calls say on a practice neck that lies on a bench, from a moment on."""
    return _Player(db, settings, neck_id, begins).play()


class _Player:
    """Follows the calls on one neck; every act is a minute after the last."""

    def __init__(self, db: Connection, settings: ShopSettings, neck_id: int, begins: datetime) -> None:
        self.db, self.settings, self.neck_id = db, settings, neck_id
        self.now, self.said = begins, list[str]()

    def play(self) -> Play:
        passed = False
        for _ in range(MOST_ROUNDS):
            found = self._at()
            if not self._straight(found):
                continue
            gate = carried_out(self.db, self.settings, found.job, found.instrument)
            if gate is not None and gate[1].passes:
                passed = True
                break
            try:
                planning = latest_planning(self.db, self.settings, found.job, found.instrument, {})
            except SurveyFirstError:
                self._read("fret_heights")
                continue
            if planning.stale:
                self._read("fret_heights")
                continue
            self.said.append(planning.call.say)
            passed = planning.call.do == "none"
            if passed or not self._follow(found, planning):
                break
        found = self._at()
        return Play(found.neck, found.seconds, self.said, passed)

    def _at(self) -> LevelJob:
        self.now += timedelta(minutes=1)
        return whole_job(self.db, self.neck_id)

    def _read(self, kind: str) -> None:
        self.now += timedelta(minutes=1)
        read_on_the_stage(self.db, self.settings, self.now, self.neck_id, kind)

    def _straight(self, found: LevelJob) -> bool:
        """Whether the neck is straight by what was read; else it is read, or its rod turned."""
        bow = fresh_bow(self.db, self.settings, found.job, found.instrument)
        if bow is None:
            self._read("straightness")
            return False
        if bow.frets_can_be_judged:
            return True
        turns = recorded_turns(self.db, self.settings, found.instrument)
        advice = advice_for(found.instrument, bow, 0.0, turns)
        if advice.turn == "stop" or advice.total_turns is None:
            jobs.override(self.db, found.job.id, "the rod gives no more")
            return True
        self.said.append(next_turn_words(advice))
        # a touch, where an eighth would be too much
        turn = round(16 * advice.next_turn) or (1 if advice.total_turns > 0 else -1)
        work(self.db, self.now, self.neck_id, "turn", sixteenths=turn)
        self.now += timedelta(minutes=1)
        work(self.db, self.now, self.neck_id, "wait")
        return False

    def _follow(self, found: LevelJob, planning: Planning) -> bool:
        """Do what a call says; False for what cannot be done here."""
        if planning.call.do in ("check_seating", "reseat"):
            return self._look_under(planning)
        if planning.call.do in ("refret", "partial_refret"):
            return False
        refused = accept_level(
            self.db,
            self.settings,
            found.job.id,
            planning.choices,
            "out",
            fingerprint(planning),
            stamp(self.now),
        )
        plan = jobs.last_plan(self.db, found.job.id)
        if refused or plan is None:
            self.said.append(refused)
            return False
        self.now += timedelta(minutes=1)
        return jobs.mark_done(self.db, plan, found.instrument.id, stamp(self.now))

    def _look_under(self, planning: Planning) -> bool:
        """Press every fret that is named; what gives is tapped home."""
        for fret in planning.suspects:
            self.now += timedelta(seconds=5)
            if work(self.db, self.now, self.neck_id, "press", [fret]).steps[-1].deed.gives:
                work(self.db, self.now, self.neck_id, "tap", [fret])
        return bool(planning.suspects)
