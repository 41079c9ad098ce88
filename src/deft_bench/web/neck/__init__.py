"""Neck: the bow and where it is, the two gates, and the truss rod's next turn."""

from deft_bench.web.neck.views import screen

__all__ = ["screen"]
