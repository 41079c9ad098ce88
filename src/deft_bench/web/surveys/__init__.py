"""Survey: readings entered on the neck itself, by key, finger or sheet."""

from deft_bench.web.surveys import follow, sheets, starting, views
from deft_bench.web.surveys.screen import screen

__all__ = ["follow", "screen", "sheets", "starting", "views"]
