"""Survey: readings entered on the neck itself, by key, finger or sheet."""

from deft_bench.web.surveys.views import screen

__all__ = ["screen"]
