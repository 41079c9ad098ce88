"""Drills by number: the same number and level draw the same neck, or the same day."""

import numpy as np

WORTH_PLAYING = 95
"""What the program itself cannot do so well is no drill."""


def chance_of(seed: int, level: int, levels: int, drill: int) -> np.random.Generator:
    """What a number draws at a level, 1 to `levels`, of a drill (by a number of its own); raises ValueError."""
    if not 1 <= level <= levels:
        raise ValueError(f"level {level} is not there: 1 to {levels}")
    if seed < 0:
        raise ValueError("a drill has a whole number, from 0 on")
    return np.random.default_rng([seed, level, drill])
