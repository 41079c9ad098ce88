"""Plans are made one at a time, and on a server in a process of their own: planning takes seconds of every core, and
the bench's other pages must not wait for it.
"""

import time
from collections.abc import Callable
from concurrent.futures import Future
from dataclasses import dataclass, field
from threading import Event, Lock
from typing import Protocol

from deft_bench.core.work.schedule.bench import Bench
from deft_bench.core.work.schedule.deadline import Found, Watch
from deft_bench.core.work.schedule.planning import Planned, plan_bench


@dataclass(slots=True)
class Progress:
    """A plan that is being made: since when (on the clock that never jumps), for how long at most, and where it stands
    (None before a first answer); `stop` is set by whoever wants the best so far.
    """

    seconds: float
    began: float = field(default_factory=time.monotonic)
    found: Found | None = None
    stop: Event = field(default_factory=Event)

    @property
    def gone(self) -> float:
        """Seconds since it began."""
        return time.monotonic() - self.began

    def tell(self, found: Found) -> None:
        """Take where it stands."""
        self.found = found


class Elsewhere(Protocol):
    """Something that plans, in a process of its own."""

    def plan(self, bench: Bench, progress: Progress) -> Planned:
        """Plan a bench; raises ScheduleError."""


class Planner:
    """Lets one plan be made at a time; who asks for a plan that is being made already is given that one.

    What plans otherwise than by `plan` does it by `make` while it holds `turn`. Without somewhere else to make them
    plans are made by whoever asks.
    """

    def __init__(self) -> None:
        self.turn, self._asking = Lock(), Lock()
        self._made: dict[str, Future[Planned]] = {}
        self.elsewhere: Elsewhere | None = None
        self.progress: Progress | None = None

    def plan(self, key: str, make: Callable[[], Planned]) -> Planned:
        """Make a plan, or join the one of the same key that is being made; raises what making it raises.

        `key` must say everything that the plan depends on.
        """
        with self._asking:
            joined = self._made.get(key)
            mine: Future[Planned] = joined or Future()
            self._made[key] = mine
        if joined is not None:
            return joined.result()
        try:
            with self.turn:
                mine.set_result(make())
        except BaseException as error:
            mine.set_exception(error)
            raise
        finally:
            with self._asking:
                del self._made[key]
        return mine.result()

    def make(self, bench: Bench, seconds: float) -> Planned:
        """Plan a bench within some seconds, or until `stop`; raises ScheduleError. The caller holds `turn`."""
        progress = self.progress = Progress(seconds)
        try:
            if self.elsewhere is not None:
                return self.elsewhere.plan(bench, progress)
            return plan_bench(bench, seconds, Watch(progress.stop.is_set, progress.tell))
        finally:
            self.progress = None

    def stop(self) -> None:
        """Have the plan that is being made end with the best so far."""
        if (progress := self.progress) is not None:
            progress.stop.set()
