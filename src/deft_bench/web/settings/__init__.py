"""Settings: units, how the neck lies, how the cursor walks, the shop's own limits."""

from deft_bench.web.settings.views import screen

__all__ = ["screen"]
