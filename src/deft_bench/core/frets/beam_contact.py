"""Metal that a levelling beam takes off, by contact: where it bears, what comes off there, and how it comes to rest.

A stiff, true beam is pressed down on the tops by a hand at one place along it. It sinks in until what it bears on
carries the hand: the depths below its line, each by its fret's stiffness, add up to the load and balance about the
hand (the Winkler foundation of contact, K. L. Johnson, Contact Mechanics, 1985, section 4.3). What comes off is in
proportion to pressure and way (F. W. Preston, The theory and design of plate glass polishing machines, 1927). Derived,
with the limit of many light strokes, in docs/methods/beam-strokes.md. Lengths mm.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]

SHARE = 0.5
"""Of the depth that a stroke sinks in, so much comes off a fret that stands firm."""
SPRINGS = 0.15
"""A fret out of its slot bears by so much of what a firm one does, until it is pressed home."""
MOST_STEPS = 60
NEAR, LEAST_STIFF = 1e-6, 1e-6
LEAST_STEP, SURE = 1e-6, 1e-4
"""A step of Newton's is halved no further, and lowers the energy by so much of what its slope says."""


def bears(x: Array, tops: Array, hand: float, take: float, lifted: Array | None = None) -> Array:
    """What one stroke takes off each fret, in sum `take`.

    `x` are the frets' places, rising; `hand` is where the beam is pressed, between the first and the last of them;
    `lifted` is how far each is out of its slot. Raises ValueError for a hand beyond the frets or a take that is none.
    """
    if not x[0] < hand < x[-1]:
        raise ValueError("the hand bears between the first and the last fret, or the beam tips off")
    if not take > 0:
        raise ValueError("a stroke takes something off")
    lifted = np.zeros_like(x) if lifted is None else lifted
    soft = np.where(lifted > 0, SPRINGS, 1.0) * SHARE
    arm = x - hand
    # from a line that lies under every top
    at = np.array([float((tops - lifted).min()) - 1.0, 0.0])

    def pressed(line: Array) -> tuple[Array, Array]:
        """What each bears, and how that grows with depth."""
        depth = tops - line[0] - line[1] * arm
        home = np.maximum(depth - lifted, 0.0)
        bears = soft * np.maximum(depth, 0.0) + (SHARE - soft) * home
        stiff = np.where(depth > 0, soft + np.where(home > 0, SHARE - soft, 0.0), 0.0)
        return bears, stiff

    def energy(line: Array) -> float:
        """What is stored in the contacts, less what the hand gives as it sinks."""
        depth = np.maximum(tops - line[0] - line[1] * arm, 0.0)
        home = np.maximum(depth - lifted, 0.0)
        return float(soft @ depth**2 / 2 + (SHARE - soft) @ home**2 / 2 + take * line[0])

    # it is convex: Newton's steps, halved while they do not lower it
    for _ in range(MOST_STEPS):
        found, stiff = pressed(at)
        lack = np.array([found.sum() - take, found @ arm])
        if abs(lack[0]) < NEAR * take and abs(lack[1]) < NEAR * take * (x[-1] - x[0]):
            break
        stiff = stiff + LEAST_STIFF  # one fret alone carries no line
        step = np.linalg.solve(np.array([[stiff.sum(), stiff @ arm], [stiff @ arm, stiff @ arm**2]]), lack)
        size, now = 1.0, energy(at)
        while size > LEAST_STEP and energy(at + size * step) > now - SURE * size * float(lack @ step):
            size /= 2
        at = at + size * step
    found, _ = pressed(at)
    return np.asarray(found * take / found.sum(), dtype=float)


def stroked(
    x: Sequence[float], tops: Sequence[float], hand: float, takes: Sequence[float], lifted: Sequence[float] = ()
) -> Array:
    """The tops after strokes that take so much each, one after another, with the hand at one place."""
    places, now = np.array(x), np.array(tops, dtype=float)
    out = np.array(lifted) if len(lifted) else np.zeros_like(now)
    for take in takes:
        now = now - bears(places, now, hand, take, out)
    return now
