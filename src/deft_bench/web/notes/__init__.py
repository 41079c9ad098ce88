"""Notes: a photograph and a line of text where the flaw is."""

from deft_bench.web.notes.views import screen

__all__ = ["screen"]
