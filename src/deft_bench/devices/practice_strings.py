"""What a microphone hears of a practice neck's own strings: their pitches as the saddles make them, and what the frets
add where a note buzzes.
"""

from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.practice.whole_setup import PracticeSetup
from deft_bench.core.strings.ear.room import random_room
from deft_bench.core.strings.frame import Array
from deft_bench.devices.stand_in_strings import LOUDEST, NOTE_S, SNR_DB, WRONG_CENTS, recorded


@dataclass(frozen=True, slots=True)
class PracticeStrings:
    """The strings of a practice neck in tune, in the room of its number."""

    on: PracticeSetup
    number: int

    def hz(self, string: int, fret: int, harmonic: bool = False) -> float:
        """The pitch that a note has."""
        off = 0.0 if harmonic or not fret else self.on.cents(string, fret)
        return self.on.strung.makes[string - 1].pitch_hz() * 2 ** (fret / 12 + off / 1200)

    def note(
        self, string: int, fret: int, harmonic: bool = False, seconds: float = NOTE_S, wrong: bool = False
    ) -> Array:
        """A note as it is recorded at `ROOM_RATE`, full scale ±1, damped at its end; `wrong` is another fret's."""
        hz = self.hz(string, fret, harmonic) * (2 ** (WRONG_CENTS / 1200) if wrong else 1)
        ringing = self.on.strung.ringing(string, fret)
        # at rest on a fret it would not ring at all: it lies as near as it can
        ringing = replace(ringing, room_mm=[max(0.0, mm) for mm in ringing.room_mm])
        sound = recorded(ringing, hz, seconds, struck=not harmonic and not wrong)
        room = random_room(np.random.default_rng(self.number))
        return room.hear(sound, np.random.default_rng((self.number, string, fret)), SNR_DB, LOUDEST)
