"""Intonate by ear: put a saddle where the fretted twelfth sounds as the harmonic over it, by listening.

The same seed and level are the same string. Pressed down it is sharper than its length says; its right length makes up
for that (docs/methods/compensation.md). A saddle that lies too far back makes the fretted note flat.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from deft_bench.core.practice.numbered import WORTH_PLAYING, chance_of
from deft_bench.core.practice.worth import against
from deft_bench.core.strings.frame import Array
from deft_bench.core.strings.plucked import plucked
from deft_bench.core.strings.simulated_string import Ringing
from deft_bench.core.strings.string_set import SETS, TUNINGS, made_of, notes_of, tensions

SCALE_MM, STRING_SET, TUNING = 648.0, "10–46 nickel-plated steel", "standard"
TURNS_MM = (-2.0, -1.0, -0.5, -0.25, 0.25, 0.5, 1.0, 2.0)
"""What the saddle may be moved at once; back is positive."""
SECONDS: Mapping["What", float] = {"harmonic": 4.0, "fretted": 4.0, "both": 6.0, "turn": 12.0}
"""What each takes on a bench."""
RIGHT_CENTS, OFF_CENTS = 1.0, 6.0
"""Within the first it is right; as far off as the second is worth nothing."""
RIGHT_SHARE = 0.7
RATE, SOUND_S, LOUDEST = 22_050, 2.4, 0.5
PLUCK_N, PLUCK_SHARE = 1.0, 0.17
"""The pluck, and where: so much of the sounding length from the saddle."""
HEARS_CENTS = 0.4
"""What the program hears of a difference, by its tuner."""
MOST_TURNS = 12

What = Literal["harmonic", "fretted", "both", "turn"]
LEVELS: Mapping[int, str] = {
    1: "far off, both may sound together",
    2: "a little off, both may sound together",
    3: "one after the other only",
}
OFF: Mapping[int, tuple[float, float]] = {1: (8.0, 16.0), 2: (3.0, 7.0), 3: (6.0, 14.0)}


@dataclass(frozen=True, slots=True)
class SaddleString:
    """A string with its saddle: number, 1 the highest; its open pitch, Hz; how far behind its scale the saddle would
    lie right, and lies, mm.
    """

    string: int
    hz: float
    right_mm: float
    saddle_mm: float

    @property
    def off_cents(self) -> float:
        """How sharp the fretted twelfth is against the harmonic."""
        return _over_octave(self.saddle_mm) - _over_octave(self.right_mm)

    def sounds(self, what: What) -> Array:
        """What is heard at `RATE`, full scale ±1: the harmonic, the fretted twelfth, or both together."""
        make = made_of(SETS[STRING_SET], notes_of(TUNINGS[TUNING]))[self.string - 1]
        tension = tensions([make], [SCALE_MM], 440.0)[0]
        half = SCALE_MM / 2
        note = Ringing(half, tension, make.mass(), PLUCK_N, PLUCK_SHARE * half, bending_n_mm2=make.bending_n_mm2)
        harmonic, fretted = 2 * self.hz, 2 * self.hz * 2 ** (self.off_cents / 1200)
        wanted = {"harmonic": [harmonic], "fretted": [fretted], "both": [harmonic, fretted]}[what]
        sound = np.sum([plucked(note, hz, RATE, SOUND_S) for hz in wanted], axis=0)
        return np.asarray(LOUDEST * sound / np.abs(sound).max(), dtype=float)


def _over_octave(saddle_mm: float) -> float:
    """How far the note at half the scale lies over the open string's octave by its length alone, cents."""
    return 1200 * math.log2((SCALE_MM + saddle_mm) / (SCALE_MM + 2 * saddle_mm))


@dataclass(frozen=True, slots=True)
class Done:
    """One thing done: something listened to, or the saddle moved, mm, back positive."""

    what: What
    mm: float = 0.0


@dataclass(frozen=True, slots=True)
class IntonateScore:
    """Of 100: how right it is left, cents, and the seconds against the program's."""

    points: int
    off_cents: float
    seconds: float
    program_seconds: float


def saddle_string(seed: int, level: int) -> SaddleString:
    """The string of a seed and a level, 1 to 3; raises ValueError for another."""
    chance = chance_of(seed, level, max(LEVELS), 17)
    makes = made_of(SETS[STRING_SET], notes_of(TUNINGS[TUNING]))
    number = int(chance.integers(1, len(makes) + 1))
    right = round(float(chance.uniform(1.5, 4.0)), 3)
    wanted = float(chance.uniform(*OFF[level])) * (1 if chance.random() < 0.5 else -1)
    made = SaddleString(number, makes[number - 1].pitch_hz(440.0), right, right)
    by_mm = replace(made, saddle_mm=right + 0.5).off_cents - replace(made, saddle_mm=right - 0.5).off_cents
    return replace(made, saddle_mm=round(right + wanted / by_mm, 3))


def why_no_drill(truth: SaddleString) -> str:
    """Why a string cannot be practised on; empty where it can."""
    if abs(truth.off_cents) < OFF_CENTS / 2:
        return f"saddle_mm: it is within {OFF_CENTS / 2:g} cents as it lies, and nothing is left to do"
    if score(truth, by_program(truth)).points < WORTH_PLAYING:
        return "saddle_mm: the program itself does not bring it right in so few moves"
    return ""


def do(string: SaddleString, what: What, mm: float = 0.0, level: int = 1) -> tuple[SaddleString, Done]:
    """Do one thing; the string after it. Raises ValueError where it cannot be done."""
    if what == "turn":
        if mm not in TURNS_MM:
            raise ValueError(f"the saddle moves by {', '.join(f'{abs(one):g}' for one in TURNS_MM[4:])} mm either way")
        return replace(string, saddle_mm=string.saddle_mm + mm), Done("turn", mm)
    if what == "both" and level == max(LEVELS):
        raise ValueError("on this level one is listened to after the other")
    return string, Done(what)


def after(string: SaddleString, done: Iterable[Done]) -> SaddleString:
    """The string after what was done to it."""
    for one in done:
        string, _ = do(string, one.what, one.mm)
    return string


def seconds_of(done: Iterable[Done]) -> float:
    """What all that was done takes on a bench."""
    return sum(SECONDS[one.what] for one in done)


def by_program(string: SaddleString) -> list[Done]:
    """What the program would do with its tuner: listen to both, move the saddle by what that says, and listen again."""
    done: list[Done] = []
    for _ in range(MOST_TURNS):
        done += [Done("harmonic"), Done("fretted")]
        if abs(string.off_cents) <= HEARS_CENTS:
            break
        best = min(TURNS_MM, key=lambda mm: abs(replace(string, saddle_mm=string.saddle_mm + mm).off_cents))
        moved = replace(string, saddle_mm=string.saddle_mm + best)
        if abs(moved.off_cents) >= abs(string.off_cents):
            break
        string = moved
        done.append(Done("turn", best))
    return done


def score(truth: SaddleString, done: Sequence[Done]) -> IntonateScore:
    """What an attempt was worth."""
    off = abs(after(truth, done).off_cents)
    right = min(1.0, max(0.0, (OFF_CENTS - off) / (OFF_CENTS - RIGHT_CENTS)))
    if not any(one.what != "turn" for one in done):
        right = 0.0
    seconds, program = seconds_of(done), seconds_of(by_program(truth))
    spared = against(program, seconds, unspent=1.0)
    return IntonateScore(round(100 * right * (RIGHT_SHARE + (1 - RIGHT_SHARE) * spared)), off, seconds, program)
