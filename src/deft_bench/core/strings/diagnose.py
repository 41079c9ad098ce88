"""What buzzes and why: one cause at its least sufficient size that explains what was heard, ranked by the metal its
cure takes.

Every margin is linear in each cause with saddles and nut held, so the notes that a cause of size δ leaves clean are
those with δ in an interval; the least δ that contradicts the fewest notes is found exactly from the intervals' ends.

Derived in docs/methods/diagnose.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from deft_bench.core.calls import Call, Instead, Length, Sure, in_mm
from deft_bench.core.strings.clearance import (
    ACTION_FRET,
    PLUCK_FROM_SADDLE_MM,
    OverString,
    Strung,
    clearance,
    geometry,
)
from deft_bench.core.strings.frame import Array, StringFrame

FRET_MOST_MM, RISE_MOST_MM, RELIEF_MOST_MM, SADDLE_MOST_MM, NUT_MOST_MM = 0.3, 0.6, 1.0, 3.0, 1.0
WORTH_SAYING_MM = 0.01
BEYOND_MM = 1e-6
"""A buzz needs a margin under zero: the least size lies this far past the interval's end."""


@dataclass(frozen=True, slots=True)
class Heard:
    """One played note: string and the fret it was fretted at (0 open), and whether it buzzed."""

    string: int
    fret: int
    buzz: bool


@dataclass(frozen=True, slots=True)
class Cause:
    """One explanation. `kind` relief|saddle|nut|fret|rise; `string` None for all, `fret` where it is; `size_mm` signed,
    up and forward positive.

    `wrong` counts heard notes it does not explain; `metal_mm` is what its cure takes off, `cost_action_mm` what the
    cure adds to the action.
    """

    kind: str
    size_mm: float
    wrong: int
    metal_mm: float
    cost_action_mm: float
    string: int | None = None
    fret: int | None = None

    @property
    def code(self) -> str:
        """A short name: `fret_proud`, `relief_low`, …"""
        ends = {"fret": ("proud", "low"), "rise": ("up", "up"), "relief": ("high", "low")}.get(
            self.kind, ("high", "low")
        )
        return f"{self.kind}_{ends[self.size_mm < 0]}"


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """What was heard against the model: whether it fits, each string's hand, causes best first, those tied, and what
    would part them.

    `hand` is (floor, ceiling) in N by string, an end None where nothing bounds it, and None where they contradict each
    other.
    """

    strung: tuple[Strung, ...]
    predicted: dict[tuple[int, int], bool]
    fits: bool
    wrong: int
    hand: dict[int, tuple[float | None, float | None] | None]
    causes: tuple[Cause, ...]
    tied: int
    next_test: tuple[int, int] | None
    action_raise_mm: dict[int, float]


@dataclass(frozen=True, slots=True)
class _Try:
    """A cause to be tried: how it changes each string's margins per mm, and over which sizes."""

    kind: str
    string: int | None
    fret: int | None
    low: float
    high: float
    slopes: Mapping[int, Array]


def diagnose(
    frame: StringFrame, strings: Sequence[OverString], heard: Sequence[Heard], pluck_mm: float = PLUCK_FROM_SADDLE_MM
) -> Diagnosis:
    """Explain what was heard. Raises ValueError for a note that is not on this neck, or one heard both ways."""
    by_number = {string.string: string for string in strings}
    answers: dict[tuple[int, int], bool] = {}
    for note in heard:
        if note.string not in by_number or not 0 <= note.fret < frame.frets:
            raise ValueError(f"string {note.string} at fret {note.fret} is not on this neck")
        if answers.setdefault((note.string, note.fret), note.buzz) != note.buzz:
            raise ValueError(f"string {note.string} at fret {note.fret} is marked both ways")
    strung = clearance(frame, strings, pluck_mm)
    margins = {string.string: string.margin for string in strung}
    predicted = {
        (number, f): bool(np.nanmin(margin[f]) < 0) for number, margin in margins.items() for f in range(frame.frets)
    }
    wrong = sum(predicted[note] != buzz for note, buzz in answers.items())
    causes = [] if wrong == 0 else _causes(frame, strings, margins, answers, wrong, pluck_mm)
    ranked = sorted(
        causes, key=lambda pair: (pair[0].wrong, round(pair[0].metal_mm, 6), round(abs(pair[0].size_mm), 6))
    )
    tied = [pair for pair in ranked if pair[0].wrong == ranked[0][0].wrong]
    best = _moved(margins, ranked[0]) if ranked else margins
    return Diagnosis(
        tuple(strung),
        predicted,
        wrong == 0,
        wrong,
        _hands(strung, answers),
        tuple(cause for cause, _ in ranked),
        len(tied),
        _next_test([_moved(margins, pair) for pair in tied], answers),
        _raises(frame, best, answers, pluck_mm),
    )


def _hands(
    strung: Sequence[Strung], answers: Mapping[tuple[int, int], bool]
) -> dict[int, tuple[float | None, float | None] | None]:
    """The pluck forces that agree with what was heard: over the largest force that a buzz needs, at most the
    smallest that stayed clean.
    """
    found: dict[int, tuple[float | None, float | None] | None] = {}
    for string in strung:
        touch = np.nanmin(string.static / string.per_newton, axis=1)
        buzzes = [float(touch[f]) for (s, f), buzz in answers.items() if s == string.string and buzz]
        clean = [float(touch[f]) for (s, f), buzz in answers.items() if s == string.string and not buzz]
        floor, ceiling = max(buzzes, default=None), min(clean, default=None)
        found[string.string] = (
            None if floor is not None and ceiling is not None and floor >= ceiling else (floor, ceiling)
        )
    return found


def _tries(frame: StringFrame, strings: Sequence[OverString], pluck_mm: float) -> list[_Try]:
    share, _ = geometry(frame.scale_mm, frame.frets, pluck_mm)
    numbers = [one.string for one in strings]
    zero = np.where(np.isnan(share), np.nan, 0.0)

    def of_tops(change: Array) -> Array:
        start = np.concatenate(([0.0], change[:-1]))
        return np.asarray(start[:, None] * (1 - share) - change[None, :], dtype=float)

    def open_only() -> Array:
        slopes = zero.copy()
        slopes[0] = 1 - share[0]
        return slopes

    found: list[_Try] = []

    def both(kind: str, string: int | None, fret: int | None, most: float, slopes: Array) -> None:
        mapped = {number: slopes if string in (None, number) else zero for number in numbers}
        found.append(_Try(kind, string, fret, 0.0, most, mapped))
        if kind != "rise":
            found.append(_Try(kind, string, fret, -most, 0.0, mapped))

    both("relief", None, None, RELIEF_MOST_MM, of_tops(frame.unit_bow()))
    for which in [None, *numbers] if len(numbers) > 1 else [None]:
        both("saddle", which, None, SADDLE_MOST_MM, share)
        both("nut", which, None, NUT_MOST_MM, open_only())
    unit = np.eye(frame.frets)
    for fret in range(1, frame.frets + 1):
        both("fret", None, fret, FRET_MOST_MM, of_tops(unit[fret - 1]))
    for start in range(12, frame.frets):
        both("rise", None, start, RISE_MOST_MM, of_tops(ramp(frame, start)))
    return found


def ramp(frame: StringFrame, start: int) -> Array:
    """A straight rise from 0 at fret `start` to 1 at the last fret, [N]."""
    x = frame.positions()
    return np.asarray(np.maximum(0.0, (x - x[start - 1]) / (x[-1] - x[start - 1])), dtype=float)


def _causes(
    frame: StringFrame,
    strings: Sequence[OverString],
    margins: Mapping[int, Array],
    answers: Mapping[tuple[int, int], bool],
    wrong: int,
    pluck_mm: float,
) -> list[tuple[Cause, _Try]]:
    buzz = np.array(list(answers.values()))
    found = []
    for tried in _tries(frame, strings, pluck_mm):
        between = {s: _clean_between(margins[s], tried.slopes[s]) for s in {s for s, _ in answers}}
        low = np.array([between[s][0][f] for s, f in answers])
        high = np.array([between[s][1][f] for s, f in answers])
        size, left = _least(tried, low, high, buzz)
        if left < wrong:
            found.append((_cause(frame, tried, size, left), tried))
    return found


def _clean_between(margin: Array, slope: Array) -> tuple[Array, Array]:
    """For each fretted place the least and greatest δ at which margin + slope·δ stays at or above 0 over every fret.

    (inf, −inf) where there is none.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        edge = -margin / slope
        low = np.nanmax(np.where(slope >= 1e-12, edge, -np.inf), axis=1)
        high = np.nanmin(np.where(slope <= -1e-12, edge, np.inf), axis=1)
        never = np.any((np.abs(slope) < 1e-12) & (margin < 0), axis=1)
    return np.where(never, np.inf, low), np.where(never, -np.inf, high)


def _least(tried: _Try, low: Array, high: Array, buzz: Array) -> tuple[float, int]:
    """The size within the cause's range that contradicts the fewest notes, the least of such sizes, and how many it
    contradicts.
    """
    ends = np.concatenate([low, high, low - BEYOND_MM, high + BEYOND_MM, [0.0]])
    sizes = np.unique(ends[np.isfinite(ends) & (ends >= tried.low) & (ends <= tried.high)])
    clean = (sizes[:, None] >= low[None, :] - 1e-12) & (sizes[:, None] <= high[None, :] + 1e-12)
    wrong = np.sum(clean == buzz[None, :], axis=1)
    best = int(np.lexsort((np.abs(sizes), wrong))[0])
    return float(sizes[best]), int(wrong[best])


def _cause(frame: StringFrame, tried: _Try, size: float, wrong: int) -> Cause:
    metal = 0.0
    if tried.kind == "fret" and size > 0:
        metal = size
    elif tried.kind == "rise":
        metal = size * float(np.sum(ramp(frame, tried.fret or ACTION_FRET)))
    twelve = ACTION_FRET - 1
    cost = {
        "relief": size * float(frame.unit_bow()[twelve]),
        "saddle": -size / 2,
        "nut": -size / 2,
        "fret": size if tried.fret == ACTION_FRET else 0.0,
    }.get(tried.kind, 0.0)
    return Cause(tried.kind, size, wrong, metal, cost, tried.string, tried.fret)


def _moved(margins: Mapping[int, Array], pair: tuple[Cause, _Try]) -> dict[int, Array]:
    cause, tried = pair
    return {number: margin + cause.size_mm * tried.slopes[number] for number, margin in margins.items()}


def _next_test(tied: Sequence[Mapping[int, Array]], answers: Mapping[tuple[int, int], bool]) -> tuple[int, int] | None:
    """The unheard note on which the tied causes disagree most evenly, the first of equals; None where none would
    part them.
    """
    if len(tied) < 2:
        return None
    votes = {
        number: np.sum([np.nanmin(tied_try[number], axis=1) < 0 for tied_try in tied], axis=0) for number in tied[0]
    }
    splits = [
        (abs(2 * int(count) - len(tied)), number, f)
        for number, counts in votes.items()
        for f, count in enumerate(counts)
        if (number, f) not in answers and 0 < count < len(tied)
    ]
    return min(splits)[1:] if splits else None


def _raises(
    frame: StringFrame, margins: Mapping[int, Array], answers: Mapping[tuple[int, int], bool], pluck_mm: float
) -> dict[int, float]:
    """The least rise of each string's action over fret 12 that clears every buzz heard on it, mm."""
    share, _ = geometry(frame.scale_mm, frame.frets, pluck_mm)
    found = dict.fromkeys(margins, 0.0)
    for (number, f), buzz in answers.items():
        if buzz:
            found[number] = max(found[number], float(np.nanmax(-margins[number][f] / share[f])) / 2)
    return found


def learned_hand(
    hand: Mapping[int, tuple[float | None, float | None] | None], present: Mapping[int, float]
) -> dict[int, float]:
    """Each string's pluck force as heard: the middle of its range, or the present one moved to the end that it
    contradicts.

    A string that says nothing, or contradicts itself, keeps its present force.
    """
    found = dict(present)
    for number, ends in hand.items():
        if ends is None:
            continue
        floor, ceiling = ends
        if floor is not None and ceiling is not None:
            found[number] = (floor + ceiling) / 2
        elif floor is not None:
            found[number] = max(present[number], floor * 1.02)
        elif ceiling is not None:
            found[number] = min(present[number], ceiling)
    return found


def where_heard(heard: Sequence[Heard], name: Mapping[int, str]) -> str:
    """`1 E at 8, 9 and 12; 6 E at 3`: the notes that buzz, string by string."""
    words = []
    for number in sorted({note.string for note in heard if note.buzz}):
        frets = sorted(note.fret for note in heard if note.buzz and note.string == number)
        runs: list[list[int]] = [frets[:1]]
        for before, after in pairwise(frets):
            runs[-1].append(after) if after == before + 1 else runs.append([after])
        shown = [f"{run[0]}–{run[-1]}" if len(run) > 2 else ", ".join(map(str, run)) for run in runs]
        words.append(f"{name.get(number, str(number))} at {', '.join(shown)}".replace(" at 0", " open"))
    return "; ".join(words)


def cause_words(cause: Cause, length: Length, name: Mapping[int, str]) -> tuple[str, str]:
    """What is wrong and its cheapest cure, in words."""
    size = length(abs(cause.size_mm))
    which = "every string" if cause.string is None else f"string {name.get(cause.string, cause.string)}"
    return {
        "relief_low": (
            f"The neck has {size} less relief than it was read with",
            "loosen the rod by the next step and read again",
        ),
        "relief_high": (
            f"The neck has {size} more relief than it was read with",
            "tighten the rod by the next step and read again",
        ),
        "saddle_low": (f"The saddle stands {size} too low for {which}", f"raise it {size}"),
        "saddle_high": (f"The saddle stands {size} higher than read for {which}", "read the action again"),
        "nut_low": (f"The nut slot of {which} is {size} too low", "shim or fill the slot, or a new nut"),
        "nut_high": (f"The nut slot of {which} is {size} higher than read", "read the first-fret gap again"),
        "fret_proud": (
            f"Fret {cause.fret} is proud by {size}",
            f"look for daylight, reseat it, or spot-level it by {size}",
        ),
        "fret_low": (f"Fret {cause.fret} is low by {size}", f"lift or replace fret {cause.fret}: level nothing to it"),
        "rise_up": (
            f"The frets rise from {cause.fret} on, {size} at the last",
            "level a fall-away from there, after the neck joint is looked at",
        ),
    }[cause.code]


def buzz_call(found: Diagnosis, heard: Sequence[Heard], name: Mapping[int, str], length: Length = in_mm) -> Call:
    """The one sentence of the Buzz page."""
    buzzes = [note for note in heard if note.buzz]
    raise_mm = max(found.action_raise_mm.values(), default=0.0)
    dearest = max(found.action_raise_mm, key=lambda number: found.action_raise_mm[number], default=1)
    because = [f"Buzzes heard: {where_heard(heard, name)}." if buzzes else "Nothing that was played buzzes."]
    because.append(f"{len(heard)} notes played; the measured setup explains all but {found.wrong} of them.")
    figures = {"wrong": float(found.wrong), "action_raise_mm": raise_mm}
    lifts = (
        (
            Instead(
                "Raise the action until nothing heard buzzes",
                f"at least {length(raise_mm)} more over fret 12 on string {name.get(dearest, dearest)}",
            ),
        )
        if raise_mm >= WORTH_SAYING_MM
        else ()
    )
    if not buzzes:
        say = "Nothing buzzes in what was played." if found.fits else "Nothing buzzes: this hand is lighter than taken."
        return Call(say, "clean", figures, tuple(because), (), "certain" if found.fits else "likely", None)
    if found.fits:
        return Call(
            "The setup as measured explains every buzz: it is too low for this hand. Solve it again.",
            "solve",
            figures,
            tuple(because),
            lifts,
            "likely",
        )
    if not found.causes:
        return Call(
            "No one cause explains what was heard: the hand is heavier than taken, or two things are wrong.",
            "unclear",
            figures,
            tuple(because),
            lifts,
            "unsure",
            "play the same notes once more with an even hand, and read relief and action again",
        )
    best = found.causes[0]
    what, cure = cause_words(best, length, name)
    figures |= {"size_mm": best.size_mm, "metal_mm": best.metal_mm, "cost_action_mm": best.cost_action_mm}
    if best.wrong:
        because.append(
            f"That leaves {best.wrong} heard note{'s' if best.wrong > 1 else ''} unexplained; without it,"
            f" {found.wrong}."
        )
    others = [
        Instead(
            cause_words(cause, length, name)[0],
            f"{length(cause.metal_mm)} of metal"
            if cause.metal_mm
            else "no metal; " + cause_words(cause, length, name)[1],
        )
        for cause in found.causes[1:4]
    ]
    settle = None
    sure: Sure = "likely"
    if found.tied > 1:
        sure = "unsure"
        because.append(f"{found.tied} causes explain as much.")
        if found.next_test:
            string, fret = found.next_test
            settle = f"play string {name.get(string, string)} {'open' if fret == 0 else f'at fret {fret}'} and listen"
    return Call(f"{what}: {cure}.", best.code, figures, tuple(because), (*others, *lifts), sure, settle)
