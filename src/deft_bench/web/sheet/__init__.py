"""Run sheet: the steps of a job as a bench wants to read them, with gates, timers, cautions and what spoils the
work.
"""

from deft_bench.web.sheet.views import screen

__all__ = ["screen"]
