"""Help inside the program: the methods behind the calls, the words used here, the cautions. All of it ships with it."""

from deft_bench.web.help.views import screen

__all__ = ["screen"]
