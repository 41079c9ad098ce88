"""Practice: drills on necks whose truth is hidden until they are answered."""

from deft_bench.web.practice import (
    attempts,
    challenges,
    culprit,
    hand_pages,
    intonate,
    order,
    people,
    rounds,
    straight,
    whole,
)
from deft_bench.web.practice.screen import screen

__all__ = [
    "attempts",
    "challenges",
    "culprit",
    "hand_pages",
    "intonate",
    "order",
    "people",
    "rounds",
    "screen",
    "straight",
    "whole",
]
