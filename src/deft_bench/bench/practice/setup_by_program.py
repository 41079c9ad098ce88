"""What the program itself does with a whole setup: its own steps and calls, followed on a bench of its own."""

from contextlib import closing
from datetime import datetime, timedelta
from typing import Any

from deft_bench.bench.practice.by_program import BEGINS, MOST_ROUNDS, Play
from deft_bench.bench.practice.whole import begin_on_truth, read_on_the_stage, whole_job, work
from deft_bench.bench.practice.whole_setup import GAP_FRET, SetupJob, known
from deft_bench.bench.rod import advice_for, recorded_turns
from deft_bench.bench.setup.intonation import intonation_findings
from deft_bench.bench.setup.nut import nut_findings
from deft_bench.bench.setup.readings import latest_read, setup_facts
from deft_bench.bench.setup.saddle import saddle_move
from deft_bench.bench.setup.signing import sign_off
from deft_bench.bench.setup.solving import accept_cure, accept_setup, setup_findings
from deft_bench.bench.survey_results import survey_results
from deft_bench.core.neck.rod_call import next_turn_words
from deft_bench.core.practice.drills import WHOLE_SETUP
from deft_bench.core.practice.set_up import FILED_MM, SCREW_MM
from deft_bench.core.practice.whole_setup import ALONG_MM, BENCH_HUMIDITY, SAME_AIR, PracticeSetup
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.setup_job import SetupFacts, actions_off, setup_now
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.store import setups
from deft_bench.store.database import Connection, scratch

LEAST_ALONG_MM = ALONG_MM / 2


def play_setup(settings: ShopSettings, truth: PracticeSetup) -> Play:
    """Do the whole setup on a neck as the calls say."""
    with closing(scratch()) as db:
        return play_setup_on(db, settings, begin_on_truth(db, BEGINS, WHOLE_SETUP, "the program", 1, 0, truth), BEGINS)


def play_setup_on(db: Connection, settings: ShopSettings, neck_id: int, begins: datetime) -> Play:
    """Do the whole setup as the calls say on a practice neck that lies on a bench, from a moment on."""
    return _Player(db, settings, neck_id, begins).play()


class _Player:
    """Follows the setup's own steps on one neck; every act is a minute after the last."""

    def __init__(self, db: Connection, settings: ShopSettings, neck_id: int, begins: datetime) -> None:
        self.db, self.settings, self.neck_id = db, settings, neck_id
        self.now, self.said, self.gave_up = begins, list[str](), False
        self.stops = dict[int, float]()
        self.found: SetupJob = whole_job(db, neck_id)
        self.plan = setups.plan_of(db, self.found.instrument.id, self.found.instrument.spec)

    def play(self) -> Play:
        if abs(self._work("air").air - BENCH_HUMIDITY) > SAME_AIR:
            self.said.append("leave it in the room’s air for two days")
            self._work("rest")
        passed = False
        for _ in range(MOST_ROUNDS):
            facts = setup_facts(self.db, self.settings, self.found.job, self.found.instrument)
            step, say = setup_now(facts, string_names(self.plan), self.settings.display.fine_mm)
            passed = step == "after"
            if passed and "intonation" not in known(self.db, self.found).old:
                break
            if passed:  # the action was set again since
                self._read("intonation")
                continue
            self.said.append(say)
            getattr(self, f"_{step}")(facts)
        self.found = whole_job(self.db, self.neck_id)
        return Play(self.found.neck, self.found.seconds, self.said, passed and not self.gave_up)

    def _work(self, what: str, *args: Any, **how: Any) -> Any:
        self.now += timedelta(minutes=1)
        self.found = work(self.db, self.now, self.neck_id, what, *args, **how)
        return self.found.steps[-1].deed

    def _read(self, kind: str, *frets: int) -> None:
        self.now += timedelta(minutes=1)
        read_on_the_stage(self.db, self.settings, self.now, self.neck_id, kind, frets)

    def _give_up(self, step: str, why: str) -> None:
        self.said.append(why)
        self.gave_up = True
        job, instrument = self.found.job, self.found.instrument
        sign_off(self.db, self.settings, self.now, job, instrument, step, why)

    def _intake(self, facts: SetupFacts) -> None:
        self._read("straightness", GAP_FRET)
        self._read("strings")

    def _solve(self, facts: SetupFacts) -> None:
        job, instrument = self.found.job, self.found.instrument
        findings = setup_findings(self.db, self.settings, instrument, self.plan)
        self.said.append(findings.call.say)
        self.now += timedelta(minutes=1)
        preset = None if findings.offered else 0
        accept_setup(self.db, self.settings, self.now, job, instrument, self.plan, None, preset)

    def _relief(self, facts: SetupFacts) -> None:
        """A turn as the rod's call says, settled and read again, with what it moved."""
        db, instrument = self.db, self.found.instrument
        survey = latest_read(db, self.settings, instrument).of.get("straightness")
        straight = survey and survey_results(db, self.settings, survey, instrument).figures.straight
        if straight and facts.target is not None and facts.latest.relief_mm is not None:
            turns = recorded_turns(db, self.settings, instrument)
            advice = advice_for(instrument, straight, facts.target.relief_mm, turns)
            if advice.turn == "stop" or advice.total_turns is None:
                self._give_up("relief", "the rod gives no more")
                return
            self.said.append(next_turn_words(advice))
            self._work("turn", sixteenths=round(16 * advice.next_turn) or (1 if advice.total_turns > 0 else -1))
            self._work("wait")
        self._read("straightness", GAP_FRET)
        self._read("strings")

    def _nut(self, facts: SetupFacts) -> None:
        """Every slot that is high, down to the blades; one that is too low is said and left."""
        assert facts.target is not None
        read = latest_read(self.db, self.settings, self.found.instrument)
        rows = nut_findings(self.settings, self.found.instrument.spec, self.plan, read, 0.0, facts.target.gap_mm).rows
        for row in rows:
            if row.file <= 0:
                continue
            # where the blades stopped the file too soon, they are stacked lower by what is left
            stop = self.stops.get(row.number, row.slot.slot_height_mm) - row.file
            self.stops[row.number] = stop
            for _ in range(-int(-row.file // FILED_MM["file"])):
                self._work("file", row.number, stop_mm=stop)
        if not any(row.file > 0 for row in rows):
            self._give_up("nut", "a slot that is cut too low is filled, or made new: not here")
            return
        self._read("strings")

    def _saddle(self, facts: SetupFacts) -> None:
        assert facts.target is not None
        for string in actions_off(facts):
            move = saddle_move(
                self.found.instrument.spec,
                self.plan,
                string,
                facts.latest.action_mm[string],
                facts.target.action_mm[string],
            )
            self._turned("screw", string, round(move.raise_mm / SCREW_MM))
        self._read("strings")
        self._read("straightness", GAP_FRET)

    def _turned(self, what: str, string: int, quarters: int) -> None:
        """A screw by whole turns, and then by quarters."""
        way = 1 if quarters > 0 else -1
        for size in (4, 1):
            for _ in range(abs(quarters) // size):
                self._work(what, string, quarters=way * size)
            quarters = way * (abs(quarters) % size)

    def _intonation(self, facts: SetupFacts) -> None:
        assert facts.target is not None
        read = latest_read(self.db, self.settings, self.found.instrument)
        spec, wanted = self.found.instrument.spec, facts.target.gap_mm
        for row in intonation_findings(self.db, self.settings, spec, self.plan, read, wanted).rows:
            if row.fitted and not row.fitted.true and abs(row.fitted.fit.saddle_shift_mm) > LEAST_ALONG_MM:
                self._turned("along", row.number, round(row.fitted.fit.saddle_shift_mm / ALONG_MM))
        self._read("intonation")

    def _buzz(self, facts: SetupFacts) -> None:
        """Play; what buzzes is cured as the call says, else the action is raised."""
        if not facts.latest.played:
            self._read("buzz")
            return
        job, instrument = self.found.job, self.found.instrument
        self.now += timedelta(minutes=1)
        for raised in (False, True):
            if accept_cure(self.db, self.settings, self.now, job, instrument, self.plan, raised=raised):
                return
        self._give_up("buzz", "what buzzes is no matter of the setup")
