"""Taking back what a slip of the finger recorded."""

from deft_bench.web.undo.views import screen

__all__ = ["screen"]
