"""Setup: strings over frets, buzz, nut, saddle and intonation."""

from deft_bench.web.setup.views import screen

__all__ = ["screen"]
