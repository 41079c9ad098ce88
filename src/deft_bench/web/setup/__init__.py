"""Setup: strings over frets, buzz, nut, saddle and intonation."""

from deft_bench.web.setup import listen, pages, play, views
from deft_bench.web.setup.screen import screen

__all__ = ["listen", "pages", "play", "screen", "views"]
