"""Refret: the wire and how it fits, slot depths, the cut list, seating, and the ends."""

from deft_bench.web.refret.views import screen

__all__ = ["screen"]
