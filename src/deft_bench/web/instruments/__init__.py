"""Instruments: the list, entering and editing one, and its own page."""

from deft_bench.web.instruments.views import screen

__all__ = ["screen"]
