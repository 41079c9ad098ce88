"""Dress: crowning with its gate, and the polish ladder."""

from deft_bench.web.dress.views import screen

__all__ = ["screen"]
