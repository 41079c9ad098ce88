"""The chance that a note buzzes, by its features beside those of the same string's other notes.

A small network of nodes that are silent below nought, then the logistic function (C. M. Bishop, Pattern Recognition and
Machine Learning, §5.1), taught on the simulated string only. What a bench confirms shifts and stretches its log odds
(J. Platt, Probabilistic outputs for support vector machines, 1999), from a prior that nothing is to be changed.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.strings.frame import Array

SCALE_SD, SHIFT_SD = 0.3, 1.0
"""How far a bench's log odds may be stretched and shifted before anything is confirmed."""
LEAST_SCALE = 0.1


@dataclass(frozen=True, slots=True)
class Learned:
    """A bench's log odds: the network's times `scale` plus `shift`, after so many confirmations."""

    scale: float = 1.0
    shift: float = 0.0
    confirmed: int = 0

    def chance(self, log_odds: float) -> float:
        """The chance of a buzz, 0 to 1."""
        return float(_logistic(np.array(self.scale * log_odds + self.shift)))


@dataclass(frozen=True, slots=True)
class Ear:
    """The network: what each figure is less its `middle` over its `spread`, then layers of (weights [in, out], bias
    [out]); the last gives the log odds of a buzz.
    """

    middle: Array
    spread: Array
    layers: tuple[tuple[Array, Array], ...]

    def log_odds(self, notes: Sequence[Array]) -> Array:
        """Of every note of one string, [notes], each beside the others: heard twice, so that the second time those that
        seem to buzz are no examples of a clean note.
        """
        first = self._of(np.array([asked(notes, i) for i in range(len(notes))]))
        clean = [odds < 0 for odds in first]
        return self._of(np.array([asked(notes, i, examples(first, clean, i)) for i in range(len(notes))]))

    def _of(self, figures: Array) -> Array:
        at = (figures - self.middle) / self.spread
        for weights, bias in self.layers[:-1]:
            at = np.maximum(at @ weights + bias, 0.0)
        weights, bias = self.layers[-1]
        return np.asarray((at @ weights + bias)[:, 0], dtype=float)


def examples(log_odds: Array, clean: Sequence[bool], note: int) -> list[int]:
    """Which of a string's other notes show how it sounds when it is clean; the less likely half where none is."""
    others = [k for k in range(len(clean)) if k != note]
    good = [k for k in others if clean[k]]
    return good or sorted(others, key=lambda k: float(log_odds[k]))[: max(1, len(others) // 2)]


def asked(notes: Sequence[Array], note: int, others: Sequence[int] | None = None) -> Array:
    """What the network is asked of a note: its features, how they differ from the middle of others (all of the string's
    unless told which; nought where there are none), and how many the string has.
    """
    some = [k for k in range(len(notes)) if k != note] if others is None else others
    own = notes[note]
    middle = np.median([notes[k] for k in some], axis=0) if len(some) else own
    return np.concatenate([own, own - middle, [np.log2(len(notes))]])


def learned_from(confirmed: Sequence[tuple[float, bool]]) -> Learned:
    """What a bench's confirmations, (log odds, whether it buzzed), make of the log odds: the likeliest stretch and
    shift.
    """
    if not confirmed:
        return Learned()
    from scipy.optimize import minimize

    rows = np.array([(odds, 1.0) for odds, _ in confirmed])
    buzzed = np.array([float(one) for _, one in confirmed])
    prior, known = np.array([1.0, 0.0]), 1 / np.array([SCALE_SD, SHIFT_SD]) ** 2

    def unlikely(at: Array) -> tuple[float, Array]:
        z, off = rows @ at, at - prior
        return (
            float(np.sum(np.logaddexp(0, z) - buzzed * z) + np.sum(known * off**2) / 2),
            rows.T @ (_logistic(z) - buzzed) + known * off,
        )

    tight = {"ftol": 1e-15, "gtol": 1e-10}
    found = minimize(
        unlikely, prior, jac=True, method="L-BFGS-B", bounds=[(LEAST_SCALE, None), (None, None)], options=tight
    )
    return Learned(float(found.x[0]), float(found.x[1]), len(confirmed))


def _logistic(log_odds: Array) -> Array:
    return np.asarray(1 / (1 + np.exp(-np.clip(log_odds, -40, 40))), dtype=float)
