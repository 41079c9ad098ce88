"""Schedule: the bench's days as rails, pins and what they cost, promises at risk, hours, and the calendar."""

from deft_bench.web.schedule.views import screen

__all__ = ["screen"]
