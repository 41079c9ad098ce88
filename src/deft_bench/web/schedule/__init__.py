"""Schedule: when each open job is done, which promise cannot be kept, and why."""

from deft_bench.web.schedule import acts, feeds, hours, views
from deft_bench.web.schedule.screen import screen

__all__ = ["acts", "feeds", "hours", "screen", "views"]
