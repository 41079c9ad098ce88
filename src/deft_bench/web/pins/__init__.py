"""Pins: a photograph and a line of text where the flaw is."""

from deft_bench.web.pins.views import screen

__all__ = ["screen"]
