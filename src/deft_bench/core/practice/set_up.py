"""Set it up: rod, slots and saddles of a strung neck, brought as low as it plays clean.

The same seed and level are the same neck. Notes buzz by the clearance under a medium hand; the program solves for the
lowest setup from what it read. Lengths mm.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from deft_bench.core.practice.kept import fields_of
from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.six_strings import FRETS, SCALE_MM, STRINGS, STROKE, six_strings
from deft_bench.core.practice.worth import against, fading, took
from deft_bench.core.strings.clearance import Strung, clearance
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.setup_solve import setup_solve

EIGHTH, GUESS_MM = 0.125, 0.4
"""What a turn of a rod is guessed to take out before it was turned."""
SCREW_MM = 0.125
"""A quarter turn of a saddle's screw; the action over fret 12 goes by half of it."""
SCREWED: Mapping[str, int] = {"raise": 1, "lower": -1, "up": 4, "down": -4}
"""Quarter turns at once."""
FILED_MM: Mapping[str, float] = {"file": 0.12, "touch": 0.03}
"""What ten strokes of a nut file take, and two."""
SLOT_MM, SLOT_HIGH_MM, SLOT_OFF_MM = 0.15, 0.03, 0.25
"""How high a slot's bottom stands over the frets' line at best; over it all up to the second, nothing from the third.
"""
RELIEF_MM, MARGIN_MM = (0.12, 0.28), 0.07
"""The reliefs that the program takes, and the room that it leaves over every fret."""
HIGHER_MM, HIGH_MM = 0.1, 0.5
"""So much more action than the program's on the mean is low, and so much is worth nothing."""
NOTES_MOST = 10
"""So many notes that buzz are worth nothing."""
READ_MM = 0.01
QUIET_SHARE, SLOT_SHARE = 0.5, 0.3
MOST_DONE = 120

What = Literal[
    "tighten", "loosen", "relief", "slots", "actions", "file", "touch", "raise", "lower", "up", "down", "play"
]
SECONDS: Mapping[What, float] = {
    "tighten": 20.0,
    "loosen": 20.0,
    "relief": 20.0,
    "slots": 45.0,
    "actions": 30.0,
    "file": 25.0,
    "touch": 12.0,
    "raise": 8.0,
    "lower": 8.0,
    "up": 12.0,
    "down": 12.0,
    "play": 15.0,
}
LEVELS: Mapping[int, str] = {
    1: "saddles too high or too low",
    2: "saddles and relief",
    3: "saddles, relief and high slots",
}


@dataclass(frozen=True, slots=True)
class StrungNeck:
    """A strung neck: its relief, what a turn of its rod takes out, its tops off an even curve by fret; slots and
    saddles by string, string 1 first, over the frets' line.
    """

    relief_mm: float
    mm_a_turn: float
    tops_mm: tuple[float, ...]
    slots_mm: tuple[float, ...]
    saddles_mm: tuple[float, ...]

    def strung(self) -> list[Strung]:
        """Every string over every fret."""
        frame = StringFrame(SCALE_MM, FRETS, self.relief_mm, errors=list(self.tops_mm))
        return clearance(frame, six_strings(self.slots_mm, self.saddles_mm), STROKE)

    def actions_mm(self) -> tuple[float, ...]:
        """The action over fret 12 of every string."""
        return tuple(one.action_12_mm for one in self.strung())

    def buzzing(self) -> tuple[tuple[int, ...], ...]:
        """Of every string the places where it buzzes, 0 open."""
        return tuple(tuple(int(f) for f in np.flatnonzero(one.least()[: FRETS - 1] < 0)) for one in self.strung())


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: to a string, or the rod; filed down to a stop (0 without one); or read: in the strings' order,
    or the places where one buzzes.
    """

    what: What
    string: int = 0
    stop_mm: float = 0.0
    read: tuple[float, ...] = ()

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        return SECONDS[self.what]


@dataclass(frozen=True, slots=True)
class SetUpScore:
    """Of 100: how many notes buzz, the mean action and the program's, the slot that is furthest over, and the time
    against the program's.
    """

    points: int
    buzzing: int
    action_mm: float
    program_action_mm: float
    slot_mm: float
    seconds: float
    program_seconds: float


def strung_neck(seed: int, level: int) -> StrungNeck:
    """The neck of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 31)
    while True:
        made = _drawn(chance, level)
        if not why_no_drill(made):
            return made


def _drawn(chance: np.random.Generator, level: int) -> StrungNeck:
    relief = float(chance.uniform(0.16, 0.24))
    if level > 1:
        relief = float(chance.uniform(0.36, 0.5) if chance.random() < 0.6 else chance.uniform(-0.08, 0.02))
    slots = chance.uniform(0.13, 0.17, STRINGS)
    if level > 2:
        slots = slots + chance.uniform(0.1, 0.3, STRINGS) * (chance.random(STRINGS) < 0.8)
    right = setup_solve(
        StringFrame(SCALE_MM, FRETS, 0.2), six_strings([SLOT_MM] * STRINGS), RELIEF_MM, MARGIN_MM, stroke=STROKE
    )
    by = float(chance.uniform(1.1, 1.7)) if chance.random() < 0.6 else -float(chance.uniform(0.8, 1.2))
    saddles = [one.saddle_height_mm + by + float(chance.normal(0, 0.15)) for one in right.strung]
    return StrungNeck(
        round(relief, 3),
        round(float(chance.uniform(0.3, 0.5)), 3),
        tuple(np.round(chance.normal(0, 0.006, FRETS), 4).tolist()),
        tuple(np.round(slots, 3).tolist()),
        tuple(round(max(0.1, mm), 3) for mm in saddles),
    )


def why_no_drill(truth: StrungNeck) -> str:
    """Why a neck cannot be set up; empty where it can."""
    done, end = by_program(truth)
    if len(done) > MOST_DONE or score(truth, done, end, (done, end)).points < WORTH_PLAYING:
        return "the program itself cannot set this neck up"
    if score(truth, [Done("play")], truth, (done, end)).points > 0:
        return "it plays low and clean already"
    return ""


def do(on: StrungNeck, what: What, string: int = 0, stop_mm: float = 0.0) -> tuple[StrungNeck, Done]:
    """Do one thing; the neck after it, and what it said. Raises ValueError where it cannot be done."""
    if what in {*FILED_MM, *SCREWED, "play"} and not 1 <= string <= STRINGS:
        raise ValueError(f"there is no string {string}: 1 to {STRINGS}")
    if what in ("tighten", "loosen"):
        by = -EIGHTH if what == "tighten" else EIGHTH
        return replace(on, relief_mm=on.relief_mm + by * on.mm_a_turn), Done(what)
    if what in FILED_MM:
        slot = on.slots_mm[string - 1]
        left = max(min(slot, stop_mm), slot - FILED_MM[what]) if stop_mm else slot - FILED_MM[what]
        return replace(on, slots_mm=_with(on.slots_mm, string, left)), Done(what, string, stop_mm)
    if what in SCREWED:
        at = on.saddles_mm[string - 1] + SCREW_MM * SCREWED[what]
        if at < 0:
            raise ValueError(f"the saddle of string {string} lies on the plate: it goes no lower")
        return replace(on, saddles_mm=_with(on.saddles_mm, string, at)), Done(what, string)
    return on, Done(what, string, read=_read(on, what, string))


def _with(values: Sequence[float], string: int, value: float) -> tuple[float, ...]:
    return tuple(value if n == string else one for n, one in enumerate(values, 1))


def _read(on: StrungNeck, what: What, string: int) -> tuple[float, ...]:
    if what == "play":
        return on.buzzing()[string - 1]
    values = {"relief": (on.relief_mm,), "slots": on.slots_mm, "actions": on.actions_mm()}[what]
    return tuple(round(round(one / READ_MM) * READ_MM, 4) for one in values)


class _Program:
    """What the program does, as it goes."""

    def __init__(self, on: StrungNeck) -> None:
        self.on, self.done = on, list[Done]()

    def act(self, what: What, string: int = 0, stop_mm: float = 0.0) -> Done:
        self.on, said = do(self.on, what, string, stop_mm)
        self.done.append(said)
        return said

    def straighten(self) -> float:
        """Turn the rod until the relief lies well in its range; what it is."""
        low, high = RELIEF_MM
        a_turn, relief = GUESS_MM, self.act("relief").read[0]
        for _ in range(6):
            if low <= relief <= high:
                break
            eighths = max(1, round(abs(relief - (low + high) / 2) / (a_turn * EIGHTH)))
            for _ in range(eighths):
                self.act("tighten" if relief > high else "loosen")
            before, relief = relief, self.act("relief").read[0]
            a_turn = max(0.1, abs(relief - before) / (eighths * EIGHTH))
        return relief

    def file(self) -> list[float]:
        """Take slots down to the stop blades, where they stand too high; how high they stand then, as read."""
        slots = list(self.act("slots").read)
        for string, slot in enumerate(slots, 1):
            if slot > SLOT_MM + SLOT_HIGH_MM:
                slots[string - 1] = SLOT_MM
                for _ in range(int(np.ceil((slot - SLOT_MM) / FILED_MM["file"] - 1e-9))):
                    self.act("file", string, SLOT_MM)
        return slots

    def to_actions(self, relief: float, slots: Sequence[float]) -> None:
        """Turn the screws to the lowest setup for that relief and these slots, and up again where it buzzes."""
        solved = setup_solve(
            StringFrame(SCALE_MM, FRETS, relief), six_strings(slots), (relief, relief), MARGIN_MM, stroke=STROKE
        )
        for string, (now, want) in enumerate(zip(self.act("actions").read, solved.strung, strict=True), 1):
            quarters = int(np.ceil((want.action_12_mm - now) / (SCREW_MM / 2) - 0.5))
            whole, rest = divmod(abs(quarters), SCREWED["up"])
            for _ in range(whole):
                self.act("up" if quarters > 0 else "down", string)
            for _ in range(rest):
                self.act("raise" if quarters > 0 else "lower", string)
            for _ in range(6):
                if not self.act("play", string).read:
                    break
                self.act("raise", string)


def by_program(on: StrungNeck) -> tuple[list[Done], StrungNeck]:
    """What the program would do, and the neck after it: rod, slots to the stop, screws to the lowest setup that it
    solves for; then it plays every string, and raises what buzzes.
    """
    program = _Program(on)
    relief = program.straighten()
    program.to_actions(relief, program.file())
    return program.done, program.on


def score(
    truth: StrungNeck, done: Sequence[Done], end: StrungNeck, program: tuple[Sequence[Done], StrungNeck]
) -> SetUpScore:
    """What an attempt was worth that ended in a setup, against what `by_program` does."""
    seconds, theirs = took(done), took(program[0])
    buzzing = sum(map(len, end.buzzing()))
    action, their_action = (float(np.mean(one.actions_mm())) for one in (end, program[1]))
    slot = max(end.slots_mm) - SLOT_MM
    good = fading(buzzing, 0, NOTES_MOST) * fading(action - their_action, HIGHER_MM, HIGH_MM)
    spared = against(theirs, seconds)
    shares = QUIET_SHARE + SLOT_SHARE * fading(slot, SLOT_HIGH_MM, SLOT_OFF_MM)
    points = round(100 * good * (shares + (1 - QUIET_SHARE - SLOT_SHARE) * spared))
    return SetUpScore(points, buzzing, action, their_action, slot, seconds, theirs)


def neck_from(kept: Mapping[str, Any]) -> StrungNeck:
    """A neck as it was kept."""
    return StrungNeck(**fields_of(kept))


def done_from(kept: Mapping[str, Any]) -> Done:
    """What was done, as it was kept."""
    return Done(**fields_of(kept))
