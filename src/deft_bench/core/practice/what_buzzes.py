"""What buzzes and why: the notes that buzz on a setup that was clean, and what has changed since.

What is asked has one answer: no other cause, of any size and at any place, makes nearly the same notes buzz, and
`diagnose` names it. That takes a while to find: `scripts/draw_buzzes.py` does, and keeps it in `buzz_bank.py`.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.practice.buzz_bank import BANK
from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.rounds import Round
from deft_bench.core.practice.six_strings import FRETS, SCALE_MM, STRINGS, STROKE, six_strings
from deft_bench.core.strings.clearance import OverString, clearance
from deft_bench.core.strings.diagnose import Heard, diagnose
from deft_bench.core.strings.frame import Array, StringFrame
from deft_bench.core.strings.setup_solve import setup_solve

EVEN_MM = 0.006
UNLIKE = 0.25
"""By this share of the notes that buzz every other cause must be wrong, and in two at least; of a slot, in one."""
LEAST_NOTES = 2
MOST_TRIES = 40
LEVELS: Mapping[int, str] = {1: "five causes, far gone", 2: "six causes, not so far gone"}
MILD = 0.75
CHOICES: Mapping[str, str] = {
    "relief": "the neck has less relief than it had",
    "nut": "one slot is too low",
    "saddle": "one saddle has sunk",
    "fret": "one fret stands proud",
    "rise": "the last frets rise",
    "saddles": "all saddles have sunk",
}
FEW = 5
"""So many of them are there at level 1."""
WHY: Mapping[str, str] = {
    "relief": "On string beside string in the lower half of the neck, and clean further up: the neck is straighter than"
    " it was. Read the relief; an eighth of a turn may do.",
    "nut": "The open string alone; fretted it is clean. Its slot is too low, or worn.",
    "saddle": "One string, the others clean: what holds that string up has sunk. Its screw first.",
    "fret": "String beside string just before the same fret, and clean from that fret on: it stands in the way. Press"
    " it first: it may only be out of its slot.",
    "rise": "Only high up, before the last frets, on string beside string: they rise past the joint, where no rod"
    " reaches.",
    "saddles": "String beside string, low and high on the neck: all have come down. The screws before any file.",
}
SIZES_MM: Mapping[str, tuple[float, float]] = {
    "relief": (0.2, 0.34),
    "nut": (0.25, 0.4),
    "saddle": (1.2, 1.8),
    "saddles": (1.0, 1.5),
    "fret": (0.14, 0.24),
    "rise": (0.3, 0.45),
}
"""How far each has gone."""
SIZES = np.linspace(0.3, 1.3, 6)
"""What sizes of every other cause are tried against it, of its largest."""


@dataclass(frozen=True, slots=True)
class CleanSetup:
    """A setup on which nothing buzzes, or what became of it."""

    frame: StringFrame
    strings: tuple[OverString, ...]

    def buzzes(self) -> Array:
        """Of every note below the last fret, string by string, whether it buzzes."""
        found = clearance(self.frame, self.strings, STROKE)
        return np.concatenate([one.least()[: FRETS - 1] < 0 for one in found])


def what_buzzes(seed: int, level: int) -> tuple[Round, ...]:
    """Each cause once, in some order; raises ValueError for a level that is not there."""
    chance = chance_of(seed, level, max(LEVELS), 30)
    kinds = list(BANK[level])
    rounds = []
    for kind in (str(one) for one in chance.permutation(kinds)):
        relief, notes = BANK[level][kind][int(chance.integers(len(BANK[level][kind])))]
        rounds.append(
            Round(
                "Set up clean with {0} of relief, and played again now by the same hand. Dots are notes that buzz,"
                " where they are fretted; before the nut the open string.",
                "What has changed?",
                kinds.index(kind),
                WHY[kind],
                choices=tuple(CHOICES[one] for one in kinds),
                lengths_mm=(relief,),
                buzzes=buzzes_of(notes),
            )
        )
    return tuple(rounds)


def buzzes_of(text: str) -> tuple[int, ...]:
    """Which notes buzz (1), string by string from the open note, from their figures to the base of sixteen."""
    many = STRINGS * (FRETS - 1)
    return tuple(int(one) for one in f"{int(text, 16):0{many}b}")


def gone_wrong(chance: np.random.Generator, kind: str, level: int) -> tuple[CleanSetup, Array]:
    """A clean setup, and the notes that buzz on it once it has gone wrong in a way that no other cause comes near, and
    that `diagnose` names.
    """
    while True:
        clean = _clean(chance)
        if clean.buzzes().any():
            continue
        others = {other: np.array(list(_ways(clean, other))) for other in CHOICES if other != kind}
        for _ in range(MOST_TRIES):
            size = float(chance.uniform(*SIZES_MM[kind])) * (1.0 if level == 1 else MILD)
            places = _places(kind)
            notes = _changed(clean, kind, size, places[int(chance.integers(len(places)))]).buzzes()
            many, least = int(notes.sum()), 1 if kind == "nut" else LEAST_NOTES
            if many >= least and unlike(notes, others) >= max(least, UNLIKE * many) and is_named(clean, notes, kind):
                return clean, notes


def is_named(clean: CleanSetup, notes: Array, kind: str) -> bool:
    """Whether `diagnose` leads with a cause of that kind."""
    places = [(string, fret) for string in range(1, STRINGS + 1) for fret in range(FRETS - 1)]
    heard = [Heard(*place, bool(buzz)) for place, buzz in zip(places, notes, strict=True)]
    found = diagnose(clean.frame, clean.strings, heard, STROKE).causes
    codes = {"relief": "relief_low", "nut": "nut_low", "fret": "fret_proud", "rise": "rise_up"}
    one = kind in ("nut", "saddle")
    return bool(found) and found[0].code == codes.get(kind, "saddle_low") and (found[0].string is not None) == one


def unlike(notes: Array, others: Mapping[str, Array]) -> int:
    """In how many notes the nearest of all other causes is wrong."""
    return min(int((ways != notes).sum(axis=1).min()) for ways in others.values())


def _places(kind: str) -> Sequence[int]:
    """The strings or frets where it may be."""
    if kind in ("nut", "saddle"):
        return range(1, STRINGS + 1)
    return {"fret": range(2, FRETS - 3), "rise": range(13, 17)}.get(kind, (0,))


def _ways(clean: CleanSetup, kind: str) -> Iterator[Array]:
    for place in _places(kind):
        for share in SIZES:
            yield _changed(clean, kind, float(share) * SIZES_MM[kind][1], place).buzzes()


def _clean(chance: np.random.Generator) -> CleanSetup:
    frame = StringFrame(SCALE_MM, FRETS, 0.2, errors=chance.normal(0, EVEN_MM, FRETS).tolist())
    bare = six_strings([float(chance.uniform(0.12, 0.16)) for _ in range(STRINGS)])
    solved = setup_solve(frame, bare, (0.12, 0.28), float(chance.uniform(0.05, 0.09)), stroke=STROKE)
    placed = [replace(one, saddle_height_mm=at.saddle_height_mm) for one, at in zip(bare, solved.strung, strict=True)]
    return CleanSetup(replace(frame, relief_mm=solved.relief_mm), tuple(placed))


def _changed(clean: CleanSetup, kind: str, size: float, place: int) -> CleanSetup:
    frame = clean.frame
    if kind == "relief":
        return replace(clean, frame=replace(frame, relief_mm=frame.relief_mm - size))
    if kind in ("nut", "saddle", "saddles"):
        return replace(clean, strings=tuple(_lower(one, kind, size, place) for one in clean.strings))
    errors = np.array(frame.errors, dtype=float)
    if kind == "fret":
        errors[place - 1] += size
    else:
        x = frame.positions()
        errors += size * np.maximum(0.0, (x - x[place - 1]) / (x[-1] - x[place - 1]))
    return replace(clean, frame=replace(frame, errors=errors.tolist()))


def _lower(one: OverString, kind: str, size: float, which: int) -> OverString:
    if kind != "saddles" and which != one.string:
        return one
    if kind == "nut":
        return replace(one, nut_height_mm=one.nut_height_mm - size)
    return replace(one, saddle_height_mm=(one.saddle_height_mm or 0.0) - size)
