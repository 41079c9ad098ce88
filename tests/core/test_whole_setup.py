"""Setup jobs on hidden necks and strings, by the program's own calls: each comes to its report, its gates met."""

import random
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.core.board.positions import fret_position
from deft_bench.core.calls import in_mm
from deft_bench.core.frets.heights import LANES
from deft_bench.core.instrument import Spec
from deft_bench.core.limits import GATE_CENTS
from deft_bench.core.neck.truss_rod import Turn, response, truss_rod
from deft_bench.core.simulated_neck import Tool
from deft_bench.core.simulated_setup import SimulatedSetup
from deft_bench.core.strings.assembled import assemble, solve, target_of
from deft_bench.core.strings.cured import cured_target, raised_target
from deft_bench.core.strings.diagnose import Heard, diagnose
from deft_bench.core.strings.intonation import CentsReading, intonation, intonation_call, pressing_of, turns_for
from deft_bench.core.strings.notes import K_CENTS
from deft_bench.core.strings.nut_depth import nut_slot
from deft_bench.core.strings.reachable import Reach, action_within, cents_within, relief_within
from deft_bench.core.strings.saddle_height import SaddleMove, SaddleRead, beneath, raise_for, saddle_call, to_cut
from deft_bench.core.strings.setup_job import SetupFacts, SetupReadings, SetupTarget, setup_now
from deft_bench.core.strings.setup_plan import SetupPlan, pulls, scales, string_names
from hidden import hidden_setup

FRETS = (1, 3, 5, 7, 12)
RULE, BLADE = Tool(0.05, 0.01), Tool(0.01, 0.004)
ROCK_MM = 0.02
ROUNDS = 60


@dataclass
class Bench:
    """One job: the truth, its readings, and how far it has come."""

    spec: Spec
    plan: SetupPlan
    chance: random.Random
    true: SimulatedSetup
    saddle_off: list[float]
    target: SetupTarget | None = None
    turns: list[Turn] = field(default_factory=list)
    read: SetupReadings = field(default_factory=SetupReadings)
    heard: list[Heard] = field(default_factory=list)
    relief_since: bool = False
    strings_since: bool = False

    def take_relief(self) -> None:
        self.read = replace(self.read, relief_mm=BLADE.read(self.true.neck.bow_mm, self.chance))
        self.relief_since = True

    def take_strings(self) -> None:
        numbers = range(1, self.spec.strings + 1)
        action = {n: RULE.read(self.true.action(n), self.chance) for n in numbers}
        bearing = self.plan.bearing_fret
        gap = {n: max(0.0, BLADE.read(self.true.first_gap(n, bearing), self.chance)) for n in numbers}
        self.read, self.strings_since = replace(self.read, action_mm=action, gap_mm=gap), True

    def take_cents(self) -> None:
        found = {}
        for n, (scale, pull) in enumerate(zip(scales(self.spec), pulls(self.plan, self.spec), strict=True), start=1):
            gap = self.true.first_gap(n)
            pressing = pressing_of(self.plan.strings[n - 1], scale, pull, self.true.action(n), max(0.0, gap))
            found[n] = {
                fret: round(
                    2
                    * (
                        pressing.cents(scale, fret)
                        - K_CENTS * self.saddle_off[n - 1] * (1 / (scale - fret_position(scale, fret)) - 1 / scale)
                        + self.chance.gauss(0, 0.3)
                    )
                )
                / 2
                for fret in FRETS
            }
        self.read = replace(self.read, cents=found)

    def take_notes(self) -> None:
        """Every note is played and marked."""
        buzzing = set(self.true.heard())
        every = [(n, f) for n in range(1, self.spec.strings + 1) for f in range(self.spec.frets)]
        self.heard = [Heard(n, f, (n, f) in buzzing) for n, f in every]
        self.read = replace(self.read, buzzes=len(buzzing), played=len(every))

    def reach(self) -> Reach:
        off: list[float] = []
        if self.target and len(self.read.action_mm) == self.spec.strings:
            off = [self.read.action_mm[n] - mm for n, mm in sorted(self.target.action_mm.items())]
        gate = GATE_CENTS[self.spec.bridge]
        cents = {}
        for n, scale in enumerate(scales(self.spec), start=1):
            if self.read.cents.get(n):
                found = intonation(scale, [CentsReading(*pair) for pair in self.read.cents[n].items()])
                cents[n] = cents_within(gate, found.reachable_cents)
        per_turn = response(self.turns)[0]
        return Reach(
            relief_within(self.spec.rod, per_turn, BLADE.resolution_mm),
            action_within(self.spec.bridge, off, RULE.resolution_mm),
            {n: within for n, within in cents.items() if within > gate},
        )

    def facts(self) -> SetupFacts:
        return SetupFacts(
            self.spec.strings,
            self.read,
            self.read,
            self.target,
            self.relief_since,
            self.strings_since,
            GATE_CENTS[self.spec.bridge],
            reach=self.reach(),
        )

    def do(self, step: str) -> None:
        """One round of a step, as the program calls it."""
        getattr(self, f"do_{step}")()

    def do_intake(self) -> None:
        self.take_relief()
        self.take_strings()

    def do_solve(self) -> None:
        solved = solve(self.plan, self.spec, assemble(self.plan, self.spec, self.read))
        self.target = target_of(self.plan, solved.relief_mm, {s.string: s.action_12_mm for s in solved.strung})
        self.relief_since = self.strings_since = False

    def do_relief(self) -> None:
        assert self.target is not None
        assert self.read.relief_mm is not None
        before = self.read.relief_mm
        advice = truss_rod(before, self.target.relief_mm, self.spec.rod, self.turns)  # type: ignore[arg-type]
        assert advice.next_turn, ("the gate asks and the call leaves it", before, self.target.relief_mm, advice)
        self.true = self.true.turn_rod(advice.next_turn)
        self.take_relief()
        self.turns.append(Turn(advice.next_turn, before, self.read.relief_mm))
        self.strings_since = False
        self.take_strings()

    def do_nut(self) -> None:
        assert self.target is not None
        for n, (low, high) in self.target.gap_mm.items():
            gap, scale = self.read.gap_mm[n], scales(self.spec)[n - 1]
            slot = nut_slot(scale, gap, high, self.plan.bearing_fret)
            if gap > high:
                for step in slot.steps_mm:
                    self.true = self.true.file_nut(n, step)
            elif gap < low:
                # filled and cut again, to the middle of what is wanted
                middle = nut_slot(scale, gap, (low + high) / 2, self.plan.bearing_fret)
                self.true = replace(
                    self.true,
                    nut_mm=tuple(mm - (middle.file_mm if i == n else 0) for i, mm in enumerate(self.true.nut_mm, 1)),
                )
        self.take_strings()

    def do_saddle(self) -> None:
        assert self.target is not None
        moves: dict[int, SaddleMove] = {
            n: raise_for(scales(self.spec)[n - 1], 0, self.read.action_mm[n], mm)
            for n, mm in self.target.action_mm.items()
        }
        within = self.reach().action_mm
        reads = [
            SaddleRead(n, self.read.action_mm[n], self.target.action_mm[n], moves[n], within) for n in sorted(moves)
        ]
        ordered = to_cut(reads)
        cut = beneath(ordered, self.spec.spread_saddle_um / 1000, 0.0) if self.spec.bridge == "one_piece" else None
        call = saddle_call(reads, cut, None, string_names(self.plan), in_mm)
        if call.do == "move":
            for read in reads:
                if not read.within and read.move:
                    self.true = self.true.move_saddle(read.string, read.move.raise_mm)
        elif call.do in ("cut", "shim") and cut:
            first, last = cut.take_off_treble_mm, cut.take_off_bass_mm
            self._raise([-first - (last - first) * i / (len(ordered) - 1) for i in range(len(ordered))])
        elif call.do == "top":
            self._raise([0.0 if read.within or not read.move else read.move.raise_mm for read in reads])
        else:
            assert call.do == "none", call
        self.take_strings()
        self.take_relief()

    def do_buzz(self) -> None:
        """Play; what buzzes is cured as the call says, and everything that moves is asked for again."""
        self.take_notes()
        if not self.read.buzzes:
            return
        assert self.target is not None
        at = assemble(self.plan, self.spec, self.read)
        found = diagnose(at.frame, at.strings, self.heard, at.stroke)
        cured = cured_target(self.target, self.read, self.heard, found, self.reach(), self.spec.bridge, (0.05, 0.3))
        if cured is None:
            cure = found.cure
            tops = self.true.neck.heights()[LANES[1]]
            if cure and cure.code == "fret_proud" and cure.fret and self.rocks(tops, cure.fret):
                self.true = self.true.spot_level(cure.fret, dict.fromkeys(LANES, cure.size))
            else:
                cured = raised_target(self.target, self.read, self.heard, found, self.reach(), self.spec.bridge)
                assert cured is not None
        if cured is not None:
            self.target, self.relief_since, self.strings_since = cured, False, False
        self.read = replace(self.read, buzzes=None, played=0)

    @staticmethod
    def rocks(tops: Sequence[float], fret: int) -> bool:
        """Whether a rocker over a fret and its neighbours ticks."""
        if not 1 < fret < len(tops):
            return False
        return tops[fret - 1] - (tops[fret - 2] + tops[fret]) / 2 > ROCK_MM

    def _raise(self, by: list[float]) -> None:
        self.true = replace(self.true, saddle_mm=tuple(mm + up for mm, up in zip(self.true.saddle_mm, by, strict=True)))

    def do_intonation(self) -> None:
        gate = GATE_CENTS[self.spec.bridge]
        for n, read in self.read.cents.items():
            readings = [CentsReading(*pair) for pair in read.items()]
            found = intonation(scales(self.spec)[n - 1], readings)
            call = intonation_call(found, readings, gate, "right")
            if call.do in ("saddle", "retune"):
                pitch = self.plan.intonation_thread_um / 1000
                step = turns_for(found.saddle_shift_mm, pitch) * pitch
                self.saddle_off[n - 1] += step if self.spec.bridge == "individual" else found.saddle_shift_mm
        self.take_cents()


def a_job(kind: str, chance: random.Random) -> Bench:
    hidden = hidden_setup(kind, chance)
    return Bench(hidden.spec, hidden.plan, chance, hidden.true, list(hidden.saddle_off))


@settings(max_examples=8)
@given(st.sampled_from(["electric", "acoustic", "classical", "long_bass", "tenor", "baritone"]), st.integers(0, 10**6))
def test_a_job_never_ends_where_the_gate_asks_and_the_call_leaves_it(kind: str, seed: int) -> None:
    job = a_job(kind, random.Random(seed))
    way = []
    for _ in range(ROUNDS):
        step, say = setup_now(job.facts(), string_names(job.plan))
        if step == "after":
            assert job.true.heard() == []
            return
        way.append((step, say))
        job.do(step)
    raise AssertionError(way[-6:])


@given(st.lists(st.floats(-0.5, 1.0), min_size=2, max_size=12))
def test_the_cut_beneath_leaves_no_string_low_and_takes_the_most(offs: list[float]) -> None:
    cut = beneath([SaddleMove(-off, 0.0) for off in offs], 55, 0)
    assert min(cut.residual_mm) >= -1e-7
    taken = [off - rest for off, rest in zip(offs, cut.residual_mm, strict=True)]
    assert (taken[0], taken[-1]) == pytest.approx((cut.take_off_treble_mm, cut.take_off_bass_mm), abs=1e-7)
    # no straight line over any two strings that stays beneath all takes more
    places = range(len(offs))
    for i in places:
        for j in range(i + 1, len(offs)):
            line = [offs[i] + (offs[j] - offs[i]) * (n - i) / (j - i) for n in places]
            shims = min(offs) >= 0 and min(line[0], line[-1]) < 0
            if not shims and all(at <= off + 1e-9 for at, off in zip(line, offs, strict=True)):
                assert sum(line) <= sum(taken) + 1e-6
