"""What the likely neck says, in words: what to do, what it costs, what it rests on, what to read next."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.calls import Length, frets_named
from deft_bench.core.evidence.actions import Action, Compared, Spread
from deft_bench.core.evidence.next_reading import NextReading
from deft_bench.core.frets.heights import LANES

LEAVES_FROM = 0.9
"""From this chance on that nothing rocks it is said without a word of doubt."""
SHOWN_LOOSE = 0.1
"""A fret's chance to sit loose is said from here on."""


@dataclass(frozen=True, slots=True)
class Slip:
    """A reading that is probably a slip: which, how likely, and what was probably meant, mm (None: not known)."""

    index: int
    lane: int
    fret: int
    chance: float
    meant_mm: float | None


def action_said(action: Action, covered: float, length: Length) -> str:
    """What to do, as a sentence; `covered` is the share of the places that was read of."""
    frets = frets_named(list(action.frets)) if action.frets else ""
    metal = length(action.worst_mm.mean)
    nothing = "Nothing to level: nothing rocks in any lane"
    said = {
        "leave": nothing if action.passes >= LEAVES_FROM else "Leave the frets: likely nothing rocks",
        "read_more": f"Read on before any call: {round(100 * covered)} % of the places are read of",
        "straighten": "Straighten the neck by the rod before any metal comes off",
        "check_seating": f"Check the seating of {frets} before any metal comes off",
        "reseat": f"Reseat {frets} before any metal comes off",
        "lift": f"Lift {frets} before you level",
        "spot": f"Take down only {frets}: {metal} at the most",
        "marked": f"Take down only {frets}: {metal} at the most",
        "level": f"Level all: {metal} at the most",
        "fall_away": f"Take down only {frets}, where the board rises past the joint: {metal} at the most",
        "partial_refret": f"Replace {frets}, then level",
    }
    return f"{said[action.do]}."


def action_line(action: Action) -> str:
    """An action as a line of a list: `Lift 9, then level`."""
    frets = frets_named(list(action.frets)) if action.frets else ""
    return {
        "leave": "Leave the frets as they are",
        "read_more": "Read the rest first",
        "straighten": "Straighten the neck first",
        "check_seating": f"Look for daylight under {frets} first",
        "reseat": f"Reseat {frets} first",
        "lift": f"Lift {frets}, then level",
        "spot": f"Take down only {frets}",
        "marked": f"Take down only {frets}",
        "level": "Level all frets",
        "fall_away": f"Level {frets}, past the joint, down to the others",
        "partial_refret": f"Replace {frets}, then level",
    }[action.do]


def span_words(worst: Spread, length: Length) -> str:
    """A length as the range that its readings deserve: `0.02 to 0.06 mm`; empty for nothing."""
    low, high = length(worst.low), length(worst.high)
    if high == length(0.0):
        return ""
    return high if low == high else f"{low.split()[0]} to {high}"


def range_words(worst: Spread, length: Length) -> str:
    """What comes off the worst fret, in words."""
    span = span_words(worst, length)
    return f"{span} off the worst fret" if span else "no metal"


def reasons(compared: Compared, action: Action, slips: Sequence[Slip], covered: float, length: Length) -> list[str]:
    """What a call rests on: how it compares, what it costs, what may sit loose, what may be a slip."""
    found = [
        f"In {round(100 * action.best)} of 100 necks that agree with all that was read it is the best, or as good."
    ]
    metal = range_words(action.worst_mm, length)
    found.append(f"{metal[0].upper()}{metal[1:]}; nothing rocks after it in {round(100 * action.passes)} of 100.")
    likely = {fret: chance for fret, chance in compared.loose.items() if chance >= SHOWN_LOOSE}
    found += [f"Fret {fret} sits loose in {round(100 * chance)} of 100." for fret, chance in likely.items()]
    for slip in slips:
        was = "" if slip.meant_mm is None else f": {length(slip.meant_mm)} was probably meant"
        found.append(f"The reading at fret {slip.fret} {LANES[slip.lane]} is probably a slip{was}.")
    return [*found, f"{round(100 * covered)} % of the places were read of."]


def next_words(helps: NextReading | None) -> str | None:
    """The reading that would help most, in words."""
    if helps is None:
        return None
    where = f"in the {LANES[helps.lane]} lane"
    return {
        "rocker": f"stand the rocker on frets {', '.join(map(str, helps.frets))} {where}",
        "heights": f"read fret {helps.frets[0]} {where}",
        "daylight": f"look for daylight under fret {helps.frets[0]}",
    }[helps.kind]
