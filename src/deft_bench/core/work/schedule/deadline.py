"""How long a search may go on: by the clock for somebody who waits, or by work done, which is the same on any
machine, however busy; and what whoever waits is told meanwhile, and may do: stop it with the best so far.
"""

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from threading import Event, Thread

LISTS_A_SECOND = 60
"""The work of a second, in lists made out: about what one processor does."""


STOP_SECONDS = 0.1
"""How often the solver is asked whether it was stopped."""


@dataclass(frozen=True, slots=True)
class Found:
    """Where a search stands: the aim that is worked on, what is reached of it, and what it cannot go under."""

    aim: str
    value: int
    bound: int


@dataclass(frozen=True, slots=True)
class Watch:
    """Whoever waits for a search: `stopped` says that they want the best so far, `told` takes where it stands."""

    stopped: Callable[[], bool] = lambda: False
    told: Callable[[Found], None] = lambda found: None


NOBODY = Watch()


@dataclass(slots=True)
class _Work:
    """The lists that were made out since a search began."""

    lists: int = 0


@dataclass(frozen=True, slots=True)
class Deadline:
    """A moment on the wall clock or (`by_work`) in work done, in seconds."""

    at: float
    by_work: bool
    work: _Work = field(default_factory=_Work)
    watch: Watch = NOBODY

    @classmethod
    def after(cls, seconds: float, *, by_work: bool = False, watch: Watch = NOBODY) -> "Deadline":
        """The deadline some seconds from now."""
        return cls(seconds if by_work else time.monotonic() + seconds, by_work, watch=watch)

    @property
    def left(self) -> float:
        """Seconds that are left; less than nothing when it has passed, or when the search was stopped."""
        return -1.0 if self.watch.stopped() else self.at - self._now()

    def share(self, part: float) -> "Deadline":
        """The deadline of a part of what is left."""
        return Deadline(self._now() + self.left * part, self.by_work, self.work, self.watch)

    @contextmanager
    def stopping(self, stop: Callable[[], object]) -> Iterator[None]:
        """Call `stop` within the block when the search is stopped: for what cannot ask by itself."""
        over = Event()

        def look() -> None:
            while not over.wait(STOP_SECONDS):
                if self.watch.stopped():
                    stop()
                    return

        looking = Thread(target=look, daemon=True, name="stopping")
        if self.watch is not NOBODY:
            looking.start()
        try:
            yield
        finally:
            over.set()
            if self.watch is not NOBODY:
                looking.join()

    def spend(self) -> None:
        """Count one list made out."""
        self.work.lists += 1

    def _now(self) -> float:
        return self.work.lists / LISTS_A_SECOND if self.by_work else time.monotonic()
