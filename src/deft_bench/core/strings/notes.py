"""Note names and their frequencies in twelve-tone equal temperament.

Pitch from A4 as ISO 16 (Acoustics: standard tuning frequency) has it, f = A4·2^(n/12), n semitones from A4.
"""

import math
import re

CENTS_PER_OCTAVE = 1200.0
K_CENTS = CENTS_PER_OCTAVE / math.log(2)
"""Cents of a small relative change of frequency: 1200/ln 2."""
A4_HZ = 440.0
_STEPS = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}
_NAMES = ("C", "C#", "D", "D#", "E", "F", "F#", "G", "G#", "A", "A#", "B")
_NOTE = re.compile(r"([A-Ga-g])([#♯b♭]?)(-?\d)", re.ASCII)


def note_hz(note: str, a4_hz: float = A4_HZ) -> float:
    """Frequency of a note such as `E2`, `F#3` or `Bb1` (C4 is middle C); raises ValueError for anything else."""
    match = _NOTE.fullmatch(note.strip().replace("♯", "#").replace("♭", "b"))
    if match is None:
        raise ValueError(
            f"“{note.strip()[:12]}” is not a note: give a letter, # or b, and the octave, such as E2, F#3 or Bb1"
        )
    step = _STEPS[match[1].upper()] + {"": 0, "#": 1, "b": -1}[match[2]]
    return a4_hz * 2 ** ((12 * (int(match[3]) + 1) + step - 69) / 12)


def nearest_note(hz: float, a4_hz: float = A4_HZ) -> tuple[str, float]:
    """The nearest note's name and how many cents sharp of it a frequency is."""
    midi = 69 + 12 * math.log2(hz / a4_hz)
    nearest = round(midi)
    return f"{_NAMES[nearest % 12]}{nearest // 12 - 1}", 100 * (midi - nearest)


def cents_between(hz: float, reference_hz: float) -> float:
    """How many cents sharp a frequency is of a reference."""
    return CENTS_PER_OCTAVE * math.log2(hz / reference_hz)
