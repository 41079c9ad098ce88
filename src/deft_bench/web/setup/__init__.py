"""Setup: strings over frets, buzz, nut, saddle and intonation."""

from deft_bench.web.setup import heard, listen, pages, play, views
from deft_bench.web.setup.screen import screen

__all__ = ["heard", "listen", "pages", "play", "screen", "views"]
