"""Level: the height map, the level line, the metal budget and the call."""

from deft_bench.web.level.views import screen

__all__ = ["screen"]
