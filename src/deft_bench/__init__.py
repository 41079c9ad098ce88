"""Deft Bench: measure, the call, do it, measure again."""

__version__ = "0.1.0"
