"""What a microphone hears of strings that are none: every note of an instrument by its name, some off pitch, one fret
proud under one string so that what is fretted before it buzzes, in a room with its noise.
"""

import math
import zlib
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from deft_bench.core.board.positions import fret_position
from deft_bench.core.strings.clearance import OverString, over_frets
from deft_bench.core.strings.customary import StringKind, customary_action, customary_pluck
from deft_bench.core.strings.ear.room import ROOM_RATE, Room, random_room
from deft_bench.core.strings.ear.simulated_notes import LOUDER_DB, played, sounds_of
from deft_bench.core.strings.frame import Array, StringFrame
from deft_bench.core.strings.plucked import plucked
from deft_bench.core.strings.simulated_string import Ringing, ringing
from deft_bench.core.strings.string_set import StringMake, tensions
from deft_bench.core.strings.stroke import PLUCK_FROM_SADDLE_MM, Stroke

MOST_CENTS, OPEN_CENTS = 9.0, 6.0
PROUD_MM, PROUD_FRETS = 0.3, (6, 12)
"""How proud the one fret stands, and from which to which it may be."""
RELIEF_MM, NUT_GAP_MM = 0.15, 0.3
STRUCK_S = 0.3
STRUCK_AT = 0.28
"""The hand goes along with a short string: never at its middle, where every other partial is silent."""
WRONG_CENTS = 300.0
SNR_DB, LOUDEST = 40.0, 0.4
NOTE_S, DAMPED_S = 1.15, 0.05
REST_S = 0.15


@dataclass(frozen=True, slots=True)
class StandInStrings:
    """Strings over a neck, string 1 first, with how they are made and pulled; the same name is the same instrument."""

    makes: Sequence[StringMake]
    scale_mm: float
    frets: int
    kind: StringKind = "electric"
    name: str = "Practice"
    a4_hz: float = 440.0
    room: Room = field(init=False)
    proud: tuple[int, int] = field(init=False)

    def __post_init__(self) -> None:
        chance = self._chance("room")
        object.__setattr__(self, "room", random_room(chance))
        fret, string = int(chance.integers(*PROUD_FRETS)), int(chance.integers(1, len(self.makes) + 1))
        object.__setattr__(self, "proud", (string, fret))

    def _chance(self, what: str) -> np.random.Generator:
        return np.random.default_rng(zlib.crc32(f"{self.name} {what}".encode()))

    def hz(self, string: int, fret: int, harmonic: bool = False) -> float:
        """The pitch that a note has: the open string a little off its note, fretted notes a little off theirs."""
        opened = self._chance(f"{string} open").uniform(-OPEN_CENTS, OPEN_CENTS)
        off = self._chance(f"{string} {fret}").uniform(-MOST_CENTS, MOST_CENTS) if fret and not harmonic else 0.0
        return self.makes[string - 1].pitch_hz(self.a4_hz) * 2 ** (fret / 12 + (opened + off) / 1200)

    def note(
        self, string: int, fret: int, harmonic: bool = False, seconds: float = NOTE_S, wrong: bool = False
    ) -> Array:
        """A note as it is recorded at `ROOM_RATE`, full scale ±1, damped at its end; `wrong` is another fret's."""
        hz = self.hz(string, fret, harmonic) * (2 ** (WRONG_CENTS / 1200) if wrong else 1)
        struck = bool(fret) and not harmonic and not wrong
        sound = recorded(self._ringing(string, fret), hz, seconds, struck=struck)
        return self.room.hear(sound, self._chance(f"{string} {fret} played"), SNR_DB, LOUDEST)

    def buzzes(self, string: int, fret: int) -> bool:
        """Whether a fretted note buzzes aloud."""
        louder = sounds_of([self._ringing(string, fret)])[0][1]
        return louder is not None and louder >= LOUDER_DB

    def _ringing(self, string: int, fret: int) -> Ringing:
        count, i = len(self.makes), string - 1
        errors = [PROUD_MM if (string, n) == self.proud else 0.0 for n in range(1, self.frets + 1)]
        frame = StringFrame(self.scale_mm, self.frets, RELIEF_MM, errors=errors)
        force = customary_pluck(self.kind, string, count)
        tension = tensions([self.makes[i]], [self.scale_mm], self.a4_hz)[0]
        # high enough that nothing but the proud fret is met
        length = self.scale_mm - fret_position(self.scale_mm, fret)
        action, stroke = (
            1.3 * customary_action(self.kind, string, count),
            Stroke(min(PLUCK_FROM_SADDLE_MM, STRUCK_AT * length)),
        )
        strung = over_frets(frame, OverString(1, tension, NUT_GAP_MM, force, action), 1, stroke)
        if fret < self.frets and np.nanmin(strung.margin[fret]) < 0:
            return ringing(frame, strung, self.makes[i], tension, force, stroke, fret)
        opened = ringing(frame, strung, self.makes[i], tension, force, stroke, 0)
        return replace(opened.without_frets(), length_mm=length)


def recorded(note: Ringing, hz: float, seconds: float = NOTE_S, *, struck: bool) -> Array:
    """A note that rings and is damped at its end, before it is in a room; `struck` with what the frets add."""
    sound = plucked(note, hz, ROOM_RATE, seconds)
    if struck:
        sound = _struck(note, sound)
    sound[-int(DAMPED_S * ROOM_RATE) :] *= np.linspace(1, 0, int(DAMPED_S * ROOM_RATE))
    return np.concatenate([sound, np.zeros(int(REST_S * ROOM_RATE))])


def _struck(note: Ringing, free: Array) -> Array:
    """The free note with what the frets add, as the simulated string has it."""
    if not note.over_mm:
        return free
    both = played([note, note.without_frets()], STRUCK_S)
    added = both.sound(0, ROOM_RATE) - both.sound(1, ROOM_RATE)
    added *= np.minimum(1.0, np.arange(len(added))[::-1] / (0.1 * len(added)))
    sound = free.copy()
    sound[: len(added)] += added[: len(sound)]
    return sound


def a_pass(
    strings: StandInStrings,
    at_frets: Sequence[int],
    wrong: int = 0,
    seconds: float = NOTE_S,
    played: Sequence[int] = (),
) -> Array:
    """Every string from the lowest, or those that are `played` in their turn: open, harmonic over 12, and fretted; so
    many wrong notes among them, and each note so long.
    """
    notes = [
        (string, fret, what)
        for string in played or range(len(strings.makes), 0, -1)
        for fret, what in ((0, "open"), (12, "harmonic"), *((fret, "fretted") for fret in sorted(at_frets)))
    ]
    slips = {math.floor((k + 0.5) * len(notes) / wrong) for k in range(wrong)}
    parts = [np.zeros(ROOM_RATE)]
    for k, (string, fret, what) in enumerate(notes):
        if k in slips:
            parts.append(strings.note(string, fret, seconds=seconds, wrong=True))
        parts.append(strings.note(string, fret, what == "harmonic", seconds))
    return np.concatenate([*parts, np.zeros(ROOM_RATE)])
