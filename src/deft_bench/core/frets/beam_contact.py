"""Metal that a levelling beam takes off, by contact: where it bears, what comes off there, and how it comes to rest.

A stiff, true beam is pressed down on the tops by a hand at one place along it. It sinks in until what it bears on
carries the hand: the depths below its line, each by its fret's stiffness, add up to the load and balance about the
hand (the Winkler foundation of contact, K. L. Johnson, Contact Mechanics, 1985, section 4.3). What comes off is in
proportion to pressure and way (F. W. Preston, The theory and design of plate glass polishing machines, 1927). Derived,
with the limit of many light strokes, in docs/methods/beam-strokes.md. Lengths mm.
"""

from collections.abc import Sequence

import numpy as np

from deft_bench.core.strings.frame import Array

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
    `lifted` is how far each is out of its slot. Raises ValueError for a hand beyond the frets, a take that is
    none, or one too small beside the tops to be told.
    """
    return _stroke(x, tops, hand, take, np.zeros_like(x) if lifted is None else lifted, None)[0]


def stroked(
    x: Sequence[float], tops: Sequence[float], hand: float, takes: Sequence[float], lifted: Sequence[float] = ()
) -> Array:
    """The tops after strokes that take so much each, one after another, with the hand at one place; errors as there."""
    places, now = np.array(x), np.array(tops, dtype=float)
    out = np.array(lifted) if len(lifted) else np.zeros_like(now)
    line: Array | None = None
    for take in takes:
        off, line = _stroke(places, now, hand, take, out, line)
        now = now - off
    return now


def _refuse(x: Array, hand: float, take: float) -> None:
    if not x[0] < hand < x[-1]:
        raise ValueError("the hand bears between the first and the last fret, or the beam tips off")
    if not take > 0:
        raise ValueError("a stroke takes something off")


def _stroke(x: Array, tops: Array, hand: float, take: float, lifted: Array, line: Array | None) -> tuple[Array, Array]:
    """What one stroke takes off, and the beam's line in it: its height at the hand, and its slope. The search begins
    from a line that still touches, the last stroke's, or from one under every top.
    """
    _refuse(x, hand, take)
    arm, soft = x - hand, np.where(lifted > 0, SPRINGS, 1.0) * SHARE
    firmer = SHARE - soft
    arms = arm * arm

    def deep(line: Array) -> tuple[Array, Array]:
        """How deep the beam lies in each, and past its slot."""
        depth = np.maximum(tops - line[0] - line[1] * arm, 0.0)
        return depth, np.maximum(depth - lifted, 0.0)

    def energy(depth: Array, home: Array, line: Array) -> float:
        """What is stored in the contacts, less what the hand gives as it sinks."""
        return float((soft @ (depth * depth) + firmer @ (home * home)) / 2 + take * line[0])

    at = np.array([float((tops - lifted).min()) - 1.0, 0.0]) if line is None else line
    depth, home = deep(at)
    now = energy(depth, home, at)
    # it is convex: Newton's steps, halved while they do not lower it
    for _ in range(MOST_STEPS):
        found = soft * depth + firmer * home
        down, tip = found.sum() - take, found @ arm
        if abs(down) < NEAR * take and abs(tip) < NEAR * take * (x[-1] - x[0]):
            break
        stiff = soft * (depth > 0) + firmer * (home > 0) + LEAST_STIFF  # one fret alone carries no line
        a, b, c = stiff.sum(), stiff @ arm, stiff @ arms
        step = np.array([c * down - b * tip, a * tip - b * down]) / (a * c - b * b)
        size, gain = 1.0, SURE * float(down * step[0] + tip * step[1])
        while True:
            then = at + size * step
            depth, home = deep(then)
            less = energy(depth, home, then)
            if less <= now - size * gain or size <= LEAST_STEP:
                break
            size /= 2
        at, now = then, less
    found = soft * depth + firmer * home
    if found.sum() > 0:
        return np.asarray(found * take / found.sum(), dtype=float), at
    if line is not None:
        return _stroke(x, tops, hand, take, lifted, None)
    raise ValueError("these tops lie too far apart for so light a stroke to be told")
