"""Today: what to pick up now, and the bench's climate."""

from deft_bench.web.today.views import screen

__all__ = ["screen"]
