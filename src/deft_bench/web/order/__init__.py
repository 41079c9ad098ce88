"""Order: the steps of a level-and-dress job with their gates, and what doing one too early spoils."""

from deft_bench.web.order.views import screen

__all__ = ["screen"]
