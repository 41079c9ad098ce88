"""Practice: drills on necks whose truth is hidden until they are answered."""

from deft_bench.web.practice.views import screen

__all__ = ["screen"]
