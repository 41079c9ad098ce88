"""Practice: drills on necks whose truth is hidden until they are answered."""

from deft_bench.web.practice import attempts, culprit, order, straight
from deft_bench.web.practice.screen import screen

__all__ = ["attempts", "culprit", "order", "screen", "straight"]
