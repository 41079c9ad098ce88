"""Estimate: what a job will cost, its alternatives side by side, and what it came to."""

from deft_bench.web.estimate.views import screen

__all__ = ["screen"]
