"""Level: the height map, the level line, the metal budget and the call."""

from deft_bench.web.level import acts, views
from deft_bench.web.level.screen import screen

__all__ = ["acts", "screen", "views"]
