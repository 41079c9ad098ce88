"""Mistakes: see the sign, name the mistake, choose the recovery; drawn from what the run sheets say to watch for."""

from collections.abc import Mapping, Sequence

import numpy as np

from deft_bench.core.practice.numbered import chance_of
from deft_bench.core.practice.rounds import Round
from deft_bench.core.work.catalogue import Catalogue

SIGNS = 4
CHOICES = {1: 4, 2: 5}
LEVELS: Mapping[int, str] = {1: "from anywhere in the work", 2: "from the same part of the work"}


def mistakes(catalogue: Catalogue, seed: int, level: int) -> tuple[Round, ...]:
    """Two rounds a sign: what went wrong, and what now. Raises ValueError for a level that is not there."""
    chance = chance_of(seed, level, max(LEVELS), 23)
    all_of = [(one, watch) for one in catalogue.operations.values() for watch in one.watch]
    phases = {one.phase: sum(other.phase == one.phase for other, _ in all_of) for one, _ in all_of}
    found: list[Round] = []
    many = CHOICES[level]
    while len(found) < 2 * SIGNS:
        operation, watch = all_of[int(chance.integers(len(all_of)))]
        others = [
            other
            for step, other in all_of
            if other is not watch
            and (level == 1 or step.phase == operation.phase or phases[operation.phase] < 2 * many)
        ]
        situation = f"{operation.title}: {watch.sign}."
        wrong = _choices(chance, watch.mistake, [one.mistake for one in others], many)
        now = _choices(chance, watch.recover, [one.recover for one in others], many)
        if any(one.situation == situation for one in found) or wrong is None or now is None:
            continue
        answer = f"{_first(watch.mistake)}. What now: {watch.recover}."
        found.append(Round(situation, "What went wrong?", wrong.index(watch.mistake), answer, choices=wrong))
        found.append(Round(situation, "What now?", now.index(watch.recover), answer, choices=now))
    return tuple(found)


def _first(text: str) -> str:
    return text[:1].upper() + text[1:]


def _choices(chance: np.random.Generator, right: str, others: Sequence[str], many: int) -> tuple[str, ...] | None:
    """The right one among some others, shuffled; None where there are too few that differ."""
    differ = sorted({one for one in others if one != right})
    if len(differ) < many - 1:
        return None
    some = [differ[int(i)] for i in chance.choice(len(differ), many - 1, replace=False)]
    return tuple(str(one) for one in chance.permutation([right, *some]))
