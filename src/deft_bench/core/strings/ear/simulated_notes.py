"""Strings of random instruments, played on the simulated string: how each note sounds, and whether it buzzes aloud.

A buzz is heard where the frets make the band from 2.5 to 10 kHz louder by `LOUDER_DB`, over the first 80 ms, than the
same pluck is without them. What they add to the wave alone (`buzz_db`) says less: on a bright string they turn its high
partials about without a sound of their own.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.strings.clearance import OverString, over_frets
from deft_bench.core.strings.customary import CUSTOMS, StringKind, customary_action, customary_pluck
from deft_bench.core.strings.ear.features import LOUD_S
from deft_bench.core.strings.ear.room import ROOM_RATE
from deft_bench.core.strings.frame import Array, StringFrame
from deft_bench.core.strings.simulated_string import (
    BUZZ_FROM_HZ,
    BUZZ_TO_HZ,
    Rang,
    Ringing,
    play,
    points_for,
    ringing,
    steps_for,
)
from deft_bench.core.strings.string_set import SETS, TUNINGS, made_of, notes_of, tensions
from deft_bench.core.strings.stroke import Stroke

LOUDER_DB = 4.0
"""From so much on what the frets add is a buzz to the ear: three standard deviations of what the hand alone does."""
RINGS_S = 0.3
HEARD_TO_HZ = ROOM_RATE / 2
AT_ONCE, NEAR = 96, 1.4
"""So many notes are played together, and none of so many times the pitch of the lowest: they share its points."""
INSTRUMENTS: dict[StringKind, tuple[str, str, float]] = {
    "electric": ("10–46 nickel-plated steel", "standard", 648),
    "acoustic": ("12–53 phosphor bronze", "standard", 645),
    "nylon": ("normal-tension nylon", "standard", 650),
    "bass": ("45–105 nickel-plated steel", "bass", 864),
}
SHARES = (0.4, 0.3, 0.15, 0.15)
"""How many of each of them."""


@dataclass(frozen=True, slots=True)
class SimulatedNote:
    """One note of a string: its pitch, the force at the saddle at `ROOM_RATE`, and how much louder the frets make its
    high band, dB; None where it touches none.
    """

    hz: float
    sound: Array
    louder_db: float | None

    @property
    def buzzes(self) -> bool:
        """Whether it buzzes aloud."""
        return self.louder_db is not None and self.louder_db >= LOUDER_DB


def simulated_strings(chance: np.random.Generator, count: int, notes: int = 8) -> list[list[SimulatedNote]]:
    """So many random strings, each with so many notes, the open one first."""
    every = [(i, note) for i in range(count) for note in _random_string(chance, notes)]
    every.sort(key=lambda one: one[1].hz)
    out: list[list[SimulatedNote]] = [[] for _ in range(count)]
    while every:
        near = sum(note.hz < NEAR * every[0][1].hz for _, note in every[:AT_ONCE])
        some, every = every[:near], every[near:]
        for (i, note), (sound, louder) in zip(some, sounds_of([note for _, note in some]), strict=True):
            out[i].append(SimulatedNote(note.hz, sound, louder))
    return out


def sounds_of(notes: Sequence[Ringing]) -> list[tuple[Array, float | None]]:
    """How each sounds at `ROOM_RATE`, and how much louder the frets make its high band, dB (None: touches none)."""
    rang, free = played(notes, RINGS_S), played([one.without_frets() for one in notes], 1.1 * LOUD_S)
    return [
        (
            rang.sound(i, ROOM_RATE)[: int(RINGS_S * ROOM_RATE)],
            10 * math.log10(_high(rang, i) / _high(free, i)) if rang.struck_ns[i].any() else None,
        )
        for i in range(len(notes))
    ]


def played(notes: Sequence[Ringing], seconds: float) -> Rang:
    """The notes on the simulated string, as fine as they are heard."""
    points = points_for(notes, HEARD_TO_HZ)
    return play(notes, steps_for(notes, seconds, points), points)


def _high(rang: Rang, note: int) -> float:
    """The energy of the high band over the first `LOUD_S`, fading toward its end."""
    step = float(rang.step_s[note])
    count = int(LOUD_S / step)
    part = rang.bridge_n[note][:count]
    power = np.abs(np.fft.rfft((part - part.mean()) * np.hanning(2 * count)[count:])) ** 2
    hz = np.fft.rfftfreq(count, step)
    return float(power[(hz > BUZZ_FROM_HZ) & (hz < BUZZ_TO_HZ)].sum()) + 1e-30


def _random_string(chance: np.random.Generator, notes: int) -> list[Ringing]:
    """A string of a customary instrument, now and then too low, over frets of which some are proud or low."""
    kind = list(INSTRUMENTS)[chance.choice(len(SHARES), p=SHARES)]
    set_name, tuning, scale = INSTRUMENTS[kind]
    makes = made_of(SETS[set_name], notes_of(TUNINGS[tuning]))
    i, frets = int(chance.integers(len(makes))), int(chance.integers(19, 23))
    errors = chance.normal(0, chance.uniform(0.005, 0.03), frets)
    for _ in range(chance.integers(0, 3)):
        errors[chance.integers(frets)] += chance.uniform(0.05, 0.2)
    frame = StringFrame(scale, frets, chance.uniform(0, 0.35), errors=errors.tolist())
    action = customary_action(kind, i + 1, len(makes)) * chance.uniform(0.75, 1.2) - chance.choice([0, 0, 0.15, 0.3])
    force = customary_pluck(kind, i + 1, len(makes)) * chance.uniform(0.6, 1.4)
    gap, tension = chance.uniform(0.1, 0.4), tensions([makes[i]], [scale])[0]
    low_s, high_s = chance.uniform(2, 8), chance.uniform(0.2, 0.9)
    rounded = chance.uniform(2, 8) + (6 if kind == "nylon" else 0)
    where = CUSTOMS[kind].from_saddle_mm * chance.uniform(0.6, 1.4)
    fretted = [0, *sorted(chance.choice(np.arange(1, frets - 2), notes - 1, replace=False).tolist())]
    out: list[Ringing] = []
    for fret in fretted:
        stroke, pluck = Stroke(where + chance.normal(0, 8)), force * math.exp(chance.normal(0, 0.15))
        strung = over_frets(frame, OverString(1, tension, gap, pluck, action), 1, stroke)
        out.append(
            replace(
                ringing(frame, strung, makes[i], tension, pluck, stroke, fret),
                decay_low_s=low_s * chance.uniform(0.8, 1.2),
                decay_high_s=high_s * chance.uniform(0.8, 1.2),
                rounded_mm=rounded,
                toward=bool(chance.random() < 0.6),
            )
        )
    return out
