"""A setup for its owner: what was found, what was done, before and after with the target, and how to keep it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.calls import Length, in_mm, listed_words
from deft_bench.core.strings.nut_depth import gap_side
from deft_bench.core.strings.setup_job import SetupReadings, SetupTarget

LEAST_SURVEYS = 4
REST_LOW, REST_HIGH, CLOSE = 45.0, 50.0, 4.0


@dataclass(frozen=True, slots=True)
class CardRow:
    """One string of the setup card; mm and cents, None where it was not read. `cents` are the worst of those read."""

    name: str
    action: tuple[float | None, float | None, float | None]
    gap: tuple[float | None, float | None]
    cents: tuple[float | None, float | None]


@dataclass(frozen=True, slots=True)
class SetupReport:
    """Before, target and after; `action` of each row and `relief` as (before, target, after). `left` is what was not
    brought nearer, and why.
    """

    relief: tuple[float | None, float | None, float | None]
    rows: tuple[CardRow, ...]
    found: tuple[str, ...]
    done: tuple[str, ...]
    played: str
    care: tuple[str, ...]
    left: tuple[str, ...] = ()


def relief_by_humidity(points: Sequence[tuple[float, float]]) -> float | None:
    """Relief in mm that this neck gains with one more per cent of humidity, by least squares over (% RH, mm); None
    with too little to go by.
    """
    if len(points) < LEAST_SURVEYS or max(rh for rh, _ in points) - min(rh for rh, _ in points) < 8:
        return None
    rh, mm = np.array(points).T
    return float(np.polyfit(rh, mm, 1)[0])


def care(humidity: float | None, per_percent: float | None, length: Length = in_mm) -> tuple[str, ...]:
    """How to keep it, tied to humidity: the usual care, and what this neck has done in past seasons."""
    words = [f"Keep it at {REST_LOW:.0f} to {REST_HIGH:.0f} % relative humidity, in its case when it is not played."]
    if humidity is not None:
        away = "drier" if humidity < REST_LOW - CLOSE else "damper" if humidity > REST_HIGH + CLOSE else ""
        words.append(f"It was set up at {humidity:.0f} % RH{f': {away} than it should live' if away else ''}.")
    if per_percent is not None and abs(per_percent) >= 0.0008:
        gained = per_percent > 0
        high, buzzing = ("damp", "dry") if gained else ("dry", "damp")
        words.append(
            f"In past seasons this neck has {'gained' if gained else 'lost'} {length(abs(per_percent) * 10)}"
            f" of relief for every 10 % damper: high action in {high} weather, buzzing in {buzzing}"
            " is the season, not a fault."
        )
    words.append(
        "Bring it back when relief has moved by more than 0.1 mm, or with every second set of strings. Change strings"
        " one at a time."
    )
    return tuple(words)


def setup_report(
    before: SetupReadings,
    target: SetupTarget | None,
    after: SetupReadings,
    names: dict[int, str],
    humidity: float | None,
    per_percent: float | None,
    length: Length = in_mm,
) -> SetupReport:
    """Put a report together from what was read. `after` holds only what was read since the setup was accepted."""

    def worst(read: SetupReadings, number: int) -> float | None:
        cents = read.cents.get(number)
        return max(cents.values(), key=abs) if cents else None

    rows = tuple(
        CardRow(
            name,
            (before.action_mm.get(n), target.action_mm.get(n) if target else None, after.action_mm.get(n)),
            (before.gap_mm.get(n), after.gap_mm.get(n)),
            (worst(before, n), worst(after, n)),
        )
        for n, name in names.items()
    )
    found = []
    if before.relief_mm is not None:
        found.append(f"{length(before.relief_mm)} of relief, strings at pitch.")
    if before.action_mm:
        found.append(
            f"Action over fret 12 from {length(min(before.action_mm.values()))} to"
            f" {length(max(before.action_mm.values()))}."
        )
    if target:
        sides = {n: gap_side(gap, *target.gap_mm[n]) for n, gap in before.gap_mm.items() if n in target.gap_mm}
        high, low = ([names[n] for n, found_at in sides.items() if found_at == side] for side in ("high", "low"))
        if high:
            found.append(f"Nut slots too high: {listed_words(high)}.")
        if low:
            found.append(f"Nut slots too low: {listed_words(low)}.")
    sharp = [c for n in names if (c := worst(before, n)) is not None]
    if sharp:
        found.append(f"Intonation up to {max(map(abs, sharp)):.1f} cents out.")
    return SetupReport(
        (before.relief_mm, target.relief_mm if target else None, after.relief_mm),
        rows,
        tuple(found),
        tuple(_done(rows, before, after, length)),
        (
            f"{after.played} notes played, {'none buzzes' if not after.buzzes else f'{after.buzzes} buzz'}."
            if after.played
            else ""
        ),
        care(humidity, per_percent, length),
    )


def _done(rows: Sequence[CardRow], before: SetupReadings, after: SetupReadings, length: Length) -> list[str]:
    done = []
    relief = _less(after.relief_mm, before.relief_mm)
    if relief is not None and abs(relief) >= 0.02:
        done.append(f"Relief brought from {length(before.relief_mm or 0.0)} to {length(after.relief_mm or 0.0)}.")
    done += _nut_slots(rows)
    moved = [off for row in rows if (off := _less(row.action[2], row.action[0])) is not None]
    mean = sum(moved) / len(moved) if moved else 0.0
    if abs(mean) >= 0.03:
        done.append(f"Action {'raised' if mean > 0 else 'lowered'} by {length(abs(mean))} on average.")
    cents = [(abs(was), abs(now)) for was, now in (row.cents for row in rows) if was is not None and now is not None]
    if cents:
        worst = max(was for was, _ in cents), max(now for _, now in cents)
        done.append(f"Intonation brought from {worst[0]:.1f} to within {worst[1]:.1f} cents.")
    return done


def _nut_slots(rows: Sequence[CardRow]) -> list[str]:
    lower = {row.name: off for row in rows if (off := _less(row.gap[0], row.gap[1])) is not None}
    filed = [name for name, off in lower.items() if off >= 0.02]
    raised = [name for name, off in lower.items() if off <= -0.02]
    return [
        f"Nut slots {what}: {listed_words(names)}." for what, names in (("filed", filed), ("raised", raised)) if names
    ]


def _less(one: float | None, other: float | None) -> float | None:
    """The difference of two readings, where both were taken."""
    return None if one is None or other is None else one - other
