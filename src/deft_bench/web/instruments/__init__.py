"""Instruments: the list, entering and editing one, and its own page."""

from deft_bench.web.instruments import listing, specification, views
from deft_bench.web.instruments.screen import screen

__all__ = ["listing", "screen", "specification", "views"]
