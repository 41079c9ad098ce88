"""What a stiff sanding block takes off a surface, by contact, and how a straight or curved rule rests on one.

The block sinks in until what it bears on carries the hand: the depths below it, all alike stiff, add up to the load
and balance about the hand both ways (the Winkler foundation of contact, K. L. Johnson, Contact Mechanics, 1985, section
4.3). What comes off is in proportion to pressure and way (F. W. Preston, The theory and design of plate glass polishing
machines, 1927). Derived in docs/methods/radius-block.md. Lengths mm.
"""

from collections.abc import Sequence

import numpy as np
from scipy.optimize import linprog, nnls

from deft_bench.core.strings.frame import Array

SHARE = 0.5
"""Of the depth that a stroke sinks in, so much comes off."""
HOLDS = 1e3
"""How much more an unbalanced load weighs than a depth that does not fit, while the points that bear are sought."""


def sanded(shape: Array, tops: Array, hand: Array, takes: Sequence[float]) -> Array:
    """What strokes take off each of n points, one after another, each so much in all.

    `shape` (n × k) says how each point moves with each of the block's k freedoms (up, tipping along, tipping across),
    `hand` (k) how the hand's place does; `tops` (n) are the points over the block's own form. Raises ValueError for a
    take that is none, or a hand that no points carry.
    """
    now = np.array(tops, dtype=float)
    for take in takes:
        now = now - _stroke(shape, now, hand, take)
    found: Array = np.asarray(tops, dtype=float) - now
    return found


def _stroke(shape: Array, tops: Array, hand: Array, take: float) -> Array:
    """The pressures that carry the hand with the least energy: half their squares over the stiffness less what the tops
    give, none of them a pull.
    """
    if not take > 0:
        raise ValueError("a stroke takes something off")
    root = np.sqrt(SHARE)
    # in takes, so that a light stroke is told as well as a firm one
    above = (tops - tops.max()) / take
    balance = HOLDS * shape.T
    found, _ = nnls(np.vstack([np.eye(len(tops)) / root, balance]), np.concatenate([root * above, HOLDS * hand]))
    if abs(float(found.sum()) - 1) > 0.01:
        raise ValueError("the hand bears between the points that the block lies on, or it tips off")
    # the balance is held by a weight: on the points that bear it is solved exactly
    bears = found > 0
    there, high = shape[bears], above[bears]
    plane, *_ = np.linalg.lstsq(SHARE * there.T @ there, SHARE * there.T @ high - hand, rcond=None)
    exact = np.maximum(SHARE * (high - there @ plane), 0.0)
    off: Array = np.zeros(len(tops))
    off[bears] = exact * take / exact.sum()
    return off


def resting(shape: Array, tops: Array) -> Array:
    """A rule or block that rests on the points, at each of them: over all of them, and as low as it can be in sum."""
    found = linprog(shape.sum(axis=0), A_ub=-shape, b_ub=-tops, bounds=(None, None), method="highs")
    line: Array = shape @ found.x
    return line


def half_band(shape: Array, tops: Array) -> float:
    """Half the width of the narrowest band of the rule's form that holds the points (a linear programme)."""
    free = shape.shape[1]
    sides = np.vstack([np.hstack([shape, -np.ones((len(tops), 1))]), np.hstack([-shape, -np.ones((len(tops), 1))])])
    found = linprog(
        [*[0.0] * free, 1.0], A_ub=sides, b_ub=np.concatenate([tops, -tops]), bounds=[*[(None, None)] * free, (0, None)]
    )
    return float(found.x[-1])
