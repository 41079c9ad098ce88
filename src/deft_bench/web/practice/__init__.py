"""Practice: drills on necks whose truth is hidden until they are answered."""

from deft_bench.web.practice import (
    attempts,
    beam,
    challenges,
    culprit,
    intonate,
    order,
    people,
    radius,
    rounds,
    straight,
    whole,
)
from deft_bench.web.practice.screen import screen

__all__ = [
    "attempts",
    "beam",
    "challenges",
    "culprit",
    "intonate",
    "order",
    "people",
    "radius",
    "rounds",
    "screen",
    "straight",
    "whole",
]
