"""What a person is asked next: a ladder of levels, each in one of five boxes.

The boxes are those of S. Leitner (So lernt man lernen, 1972): what was done well goes one box on and is asked again
after twice the time, what was not goes back to the first.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

DAYS = (1, 2, 4, 8, 16)
"""After so many days a level is asked again, by its box."""
BOXES = len(DAYS)
WELL = 80
"""From so many points on it was done well."""


@dataclass(frozen=True, slots=True)
class Rung:
    """A level: how often it was tried, the last points (None: never), its box from 0, and the day it is due."""

    level: int
    tried: int
    points: int | None
    box: int
    due: date | None


def rungs(attempts: Iterable[tuple[int, int, date]], levels: int) -> list[Rung]:
    """Every level, 1 to `levels`, after attempts in order of time: each its level, points of 100, and the day."""
    found = {level: Rung(level, 0, None, 0, None) for level in range(1, levels + 1)}
    for level, points, day in attempts:
        was = found[level]
        box = min(was.box + 1, BOXES) if points >= WELL else 0
        found[level] = Rung(level, was.tried + 1, points, box, day + timedelta(days=DAYS[box - 1] if box else 0))
    return list(found.values())


def next_level(rungs: Iterable[Rung], today: date) -> int:
    """The level to practise: the lowest that is due again, else the lowest that was never tried, else the first due."""
    every = list(rungs)
    again = [one for one in every if one.due is not None and one.due <= today]
    fresh = [one for one in every if not one.tried]
    if again:
        return min(again, key=lambda one: one.level).level
    return fresh[0].level if fresh else min(every, key=lambda one: one.due or today).level
