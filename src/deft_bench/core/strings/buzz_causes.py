"""What can make a string buzz: how each cause moves every margin, how likely it is before a note is heard, and its
cure.

Every margin is linear in a cause's size with saddles and slots held. Derived in docs/methods/diagnose.md.
"""

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.strings.clearance import ACTION_FRET, OverString, geometry
from deft_bench.core.strings.frame import Array, StringFrame
from deft_bench.core.strings.stroke import Stroke

FRET_MOST_MM, RISE_MOST_MM, RUN_MOST_MM = 0.3, 0.6, 0.2
RELIEF_MOST_MM, SADDLE_MOST_MM, NUT_MOST_MM = 0.5, 2.0, 0.6
RUNS = (3, 5, 7)
"""How many frets a bad levelling reaches over."""
RELIEF_MOVED_MM, ACTION_MOVED_MM, NUT_MOVED_MM = 0.12, 0.4, 0.12
"""How far what was read moves when it does: with the weather, a screw that sank, a slot that wore; beside the reading's
own spread.
"""
FRET_SD_MM, LOW_FRET_SD_MM, RISE_SD_MM, RUN_SD_MM = 0.10, 0.10, 0.25, 0.06
"""How far a fret that is at fault usually stands off, proud and low; a rise at the last fret; a run at its middle."""
SHARES = {
    "hand": 0.16,
    "relief_low": 0.14,
    "relief_high": 0.03,
    "saddle": 0.22,
    "nut": 0.14,
    "fret_proud": 0.20,
    "fret_low": 0.06,
    "rise": 0.04,
    "run_high": 0.02,
    "run_low": 0.02,
}
"""How often each is the cause of a buzz at a setup bench, before a note is heard; shared out over strings and frets."""
ALL_STRINGS = 0.4
"""How much of a saddle's or a nut's share is of all strings together."""


@dataclass(frozen=True, slots=True)
class ReadSd:
    """How well each thing was read, mm; `pluck_share` is how well the hand is known, as a share of its force."""

    relief_mm: float = 0.03
    action_mm: float = 0.05
    nut_mm: float = 0.02
    fret_mm: float = 0.012
    pluck_share: float = 0.25


@dataclass(frozen=True, slots=True)
class Suspect:
    """One cause of a sign: how it moves each string's margins per mm of `sign`ed size (zeros where it does not),
    `sd_mm` of its size beforehand, and its share of all causes.
    """

    kind: str
    sign: int
    most_mm: float
    sd_mm: float
    share: float
    slopes: Mapping[int, Array]
    string: int | None = None
    fret: int | None = None
    to_fret: int | None = None


@dataclass(frozen=True, slots=True)
class Undoing:
    """What a cure takes: minutes, and whether it can be taken back."""

    minutes: int
    reversible: bool


UNDOING: dict[str, Undoing] = {
    "hand": Undoing(10, True),
    "relief_low": Undoing(10, True),
    "relief_high": Undoing(10, True),
    "saddle_low": Undoing(5, True),
    "saddle_high": Undoing(3, True),
    "nut_low": Undoing(25, True),
    "nut_high": Undoing(5, True),
    "fret_proud": Undoing(20, False),
    "fret_low": Undoing(40, False),
    "rise_up": Undoing(60, False),
    "run_high": Undoing(60, False),
    "run_low": Undoing(90, False),
}
NOT_UNDONE_MINUTES = 60
"""What cannot be taken back counts as so many minutes more: time to look for daylight and to be sure."""


def suspects(frame: StringFrame, strings: Sequence[OverString], stroke: Stroke, read_sd: ReadSd) -> Iterator[Suspect]:
    """Every cause but the hand."""
    share, _ = geometry(frame.scale_mm, frame.frets, stroke)
    numbers = [one.string for one in strings]
    zero = np.where(np.isnan(share), np.nan, 0.0)

    def of_tops(change: Array) -> Array:
        return by_tops(share, change)

    def on(slopes: Array, string: int | None = None) -> dict[int, Array]:
        return {number: slopes if string in (None, number) else zero for number in numbers}

    bow, sd = on(of_tops(frame.unit_bow())), math.hypot(RELIEF_MOVED_MM, read_sd.relief_mm)
    yield Suspect("relief", -1, RELIEF_MOST_MM, sd, SHARES["relief_low"], bow)
    yield Suspect("relief", 1, RELIEF_MOST_MM, sd, SHARES["relief_high"], bow)
    open_only = zero.copy()
    open_only[0] = 1 - share[0]
    # over fret 12 a saddle moves twice what the action does; the gap over fret 1 is half the slot's height
    for kind, slopes, most, sd in (
        ("saddle", share, SADDLE_MOST_MM, 2 * math.hypot(ACTION_MOVED_MM, read_sd.action_mm)),
        ("nut", open_only, NUT_MOST_MM, 2 * math.hypot(NUT_MOVED_MM, read_sd.nut_mm)),
    ):
        whole = SHARES[kind] * (ALL_STRINGS if len(numbers) > 1 else 1.0)
        yield Suspect(kind, -1, most, sd, whole, on(slopes))
        for number in numbers if len(numbers) > 1 else ():
            yield Suspect(kind, -1, most, sd, (SHARES[kind] - whole) / len(numbers), on(slopes, number), number)
    for fret, unit in enumerate(np.eye(frame.frets), start=1):
        slopes_of = on(of_tops(unit))
        proud, low = SHARES["fret_proud"] / frame.frets, SHARES["fret_low"] / frame.frets
        yield Suspect("fret", 1, FRET_MOST_MM, FRET_SD_MM, proud, slopes_of, None, fret)
        yield Suspect("fret", -1, FRET_MOST_MM, LOW_FRET_SD_MM, low, slopes_of, None, fret)
    starts = range(ACTION_FRET, frame.frets)
    for start in starts:
        slopes_of = on(of_tops(ramp(frame, start)))
        yield Suspect("rise", 1, RISE_MOST_MM, RISE_SD_MM, SHARES["rise"] / len(starts), slopes_of, None, start)
    runs = [(start, start + many - 1) for many in RUNS for start in range(1, frame.frets - many + 2, 2)]
    for start, end in runs:
        slopes_of = on(of_tops(run(frame, start, end)))
        for sign, kind in ((1, "run_high"), (-1, "run_low")):
            yield Suspect("run", sign, RUN_MOST_MM, RUN_SD_MM, SHARES[kind] / len(runs), slopes_of, None, start, end)


def by_tops(share: Array, change: Array) -> Array:
    """What every margin gains, [fretted][over], where the fret tops move by `change`, [N]; `share` as `geometry` has
    it.
    """
    start = np.concatenate(([0.0], change[:-1]))
    return np.asarray(start[:, None] * (1 - share) - change[None, :], dtype=float)


def ramp(frame: StringFrame, start: int) -> Array:
    """A straight rise from 0 at fret `start` to 1 at the last fret, [N]."""
    x = frame.positions()
    return np.asarray(np.maximum(0.0, (x - x[start - 1]) / (x[-1] - x[start - 1])), dtype=float)


def run(frame: StringFrame, start: int, end: int) -> Array:
    """A round hump over frets `start` to `end`, 1 at its middle and 0 beyond, [N]."""
    x = np.concatenate(([0.0], frame.positions(), [frame.scale_mm]))
    before, after = x[start - 1], x[min(end, frame.frets) + 1]
    bump = 4 * (x[1:-1] - before) * (after - x[1:-1]) / (after - before) ** 2
    return np.asarray(np.maximum(0.0, bump), dtype=float)


def metal_mm(frame: StringFrame, kind: str, size_mm: float, fret: int | None, to_fret: int | None) -> float:
    """What a cure takes off, over all frets, mm."""
    if size_mm <= 0:
        return 0.0
    if kind == "fret":
        return size_mm
    if kind == "rise":
        return size_mm * float(np.sum(ramp(frame, fret or ACTION_FRET)))
    if kind == "run":
        return size_mm * float(np.sum(run(frame, fret or 1, to_fret or frame.frets)))
    return 0.0


def cost_action_mm(frame: StringFrame, kind: str, size_mm: float, fret: int | None) -> float:
    """What curing a cause adds to the action over fret 12, mm."""
    return {
        "relief": size_mm * float(frame.unit_bow()[ACTION_FRET - 1]),
        "saddle": -size_mm / 2,
        "nut": -size_mm / 2,
        "fret": size_mm if fret == ACTION_FRET else 0.0,
    }.get(kind, 0.0)
