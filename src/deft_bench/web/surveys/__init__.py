"""Survey: readings entered on the neck itself, by key, finger or sheet."""

from deft_bench.web.surveys import drift, follow, sheets, starting, views
from deft_bench.web.surveys.screen import screen

__all__ = ["drift", "follow", "screen", "sheets", "starting", "views"]
