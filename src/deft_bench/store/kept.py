"""What was worked out from an instrument's rows, kept until one of them is changed.

Triggers count how often something of an instrument was changed, and of what the shop set (migration 0024): a result is
given again while neither count has moved since it was made, and all that it was asked with is the same. Whoever writes
a bench file, another program too, moves the counts in the same transaction.
"""

from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from functools import wraps
from threading import Lock
from typing import Any, Concatenate, ParamSpec, TypeVar

from deft_bench.store.database import Connection
from deft_bench.store.instruments import Instrument
from deft_bench.store.jobs import Job

SHOP, EVERY = 0, -1
"""Whose count it is where it is no instrument's: what the shop set; anything of any instrument."""
MOST = 2000
"""Results kept at once; the longest unused go first."""

P = ParamSpec("P")
R = TypeVar("R")
Asked = Callable[[Connection], object]
"""Asks for a result over every instrument, by whichever connection."""


class NotKnownError(Exception):
    """What is asked for would have to be worked out, and whoever asks does not wait for that."""


@dataclass(frozen=True, slots=True)
class Result:
    """A result with the counts of changes that it was made at, what it was asked with, and the results over every
    instrument that it was made with: what gives them again, and what they were.
    """

    counts: tuple[int, ...]
    asked: object
    found: Any
    over_all: tuple[tuple[Asked, object], ...]


class Kept:
    """The results of one bench, shared by its connections."""

    def __init__(self, most: int = MOST) -> None:
        self._most, self._lock = most, Lock()
        self._found: OrderedDict[object, Result] = OrderedDict()
        self._making: dict[object, tuple[Lock, int]] = {}

    @contextmanager
    def alone(self, key: object) -> Iterator[None]:
        """One at a time works out what stands under a key: who comes meanwhile waits, and is given the same."""
        with self._lock:
            turn, others = self._making.get(key, (Lock(), 0))
            self._making[key] = turn, others + 1
        try:
            with turn:
                yield
        finally:
            with self._lock:
                others = self._making[key][1] - 1
                self._making[key] = turn, others
                if not others:
                    del self._making[key]

    def of(self, key: object, counts: tuple[int, ...], asked: object) -> Result | None:
        """The result under a key, if it was asked with the same, and at these counts or since."""
        with self._lock:
            known = self._found.get(key)
            if known is not None:
                self._found.move_to_end(key)
        if known is None or known.asked != asked:
            return None
        return known if all(at >= count for at, count in zip(known.counts, counts, strict=True)) else None

    def keep(self, key: object, result: Result) -> None:
        """Keep a result in place of what was kept under its key."""
        with self._lock:
            self._found[key] = result
            self._found.move_to_end(key)
            while len(self._found) > self._most:
                self._found.popitem(last=False)


class Keeper:
    """The results of a bench as one connection is given them, and the counts of changes as it read them last."""

    def __init__(self, kept: Kept) -> None:
        self._kept = kept
        self._times: dict[int, int] = {}
        self._written = -1
        self._making: list[list[tuple[Asked, object]]] = []
        self._known_only = False

    @contextmanager
    def known_only(self) -> Iterator[None]:
        """Within the block nothing is worked out: what is not known raises NotKnownError."""
        self._known_only = True
        try:
            yield
        finally:
            self._known_only = False

    def times(self, db: Connection, whose: int) -> int:
        """How often something of an instrument was changed, or of `SHOP` or `EVERY`."""
        if self._written != db.total_changes:
            rows = db.execute(
                "SELECT instrument_id, times FROM changed WHERE instrument_id IN (-1, 0) UNION ALL"
                " SELECT c.instrument_id, c.times FROM bench_job j JOIN changed c ON c.instrument_id = j.instrument_id"
                " WHERE j.closed_at IS NULL AND j.withdrawn_at IS NULL"
            )
            self._times, self._written = dict(rows.fetchall()), db.total_changes
        if whose not in self._times:
            row = db.execute("SELECT times FROM changed WHERE instrument_id = ?", (whose,)).fetchone()
            self._times[whose] = row[0] if row else 0
        return self._times[whose]

    def given(
        self,
        db: Connection,
        key: object,
        counts: tuple[int, ...],
        asked: object,
        make: Callable[[], R],
        again: Asked | None = None,
    ) -> R:
        """The result under a key if it was asked with the same and nothing has changed, else a new one; `again` asks
        for one over every instrument, on which whatever is made with it hangs.
        """
        result = self._known(db, key, counts, asked)
        if result is None and self._known_only:
            raise NotKnownError
        if result is None:
            with self._kept.alone(key):
                result = self._known(db, key, counts, asked) or self._made(key, counts, asked, make)
        if self._making:
            self._making[-1] += [(again, result.found)] if again else result.over_all
        given: R = result.found
        return given

    def _known(self, db: Connection, key: object, counts: tuple[int, ...], asked: object) -> Result | None:
        result = self._kept.of(key, counts, asked)
        return result if result and all(ask(db) == was for ask, was in result.over_all) else None

    def _made(self, key: object, counts: tuple[int, ...], asked: object, make: Callable[[], object]) -> Result:
        self._making.append([])
        try:
            found = make()
        finally:
            over_all = self._making.pop()
        result = Result(counts, asked, found, tuple(over_all))
        self._kept.keep(key, result)
        return result


def kept(make: Callable[Concatenate[Connection, P], R]) -> Callable[Concatenate[Connection, P], R]:
    """Keep what a function works out from the rows of the instrument that it is asked about, directly or by a job, and
    from what the shop set; from what the shop set alone where it is asked about none.

    The result must never be changed by who is given it, nor depend on the time. What it takes from other instruments
    must come by functions that are `kept_of_all`.
    """
    return _kept(make, everywhere=False)


def kept_of_all(make: Callable[Concatenate[Connection, P], R]) -> Callable[Concatenate[Connection, P], R]:
    """Keep what a function works out from the rows of any instrument: until anything of any of them is changed."""
    return _kept(make, everywhere=True)


def _kept(
    make: Callable[Concatenate[Connection, P], R], *, everywhere: bool
) -> Callable[Concatenate[Connection, P], R]:
    @wraps(make)
    def given(db: Connection, /, *args: P.args, **more: P.kwargs) -> R:
        keeper = db.keeper
        # within a transaction the counts may be of what is never committed
        if keeper is None or db.in_transaction:
            return make(db, *args, **more)
        whose = EVERY if everywhere else next((one for one in map(_instrument, args) if one is not None), SHOP)
        asked = [*args, *more.values()]
        key = make.__module__, make.__qualname__, whose, *map(_name, asked)
        counts = keeper.times(db, SHOP), keeper.times(db, whose)
        again: Asked | None = (lambda here: given(here, *args, **more)) if everywhere else None
        return keeper.given(db, key, counts, asked, lambda: make(db, *args, **more), again)

    return given


def _instrument(asked: object) -> int | None:
    """The instrument that an argument is, or is about."""
    if isinstance(asked, Instrument):
        return asked.id
    return asked.instrument_id if isinstance(asked, Job) else None


def _name(asked: object) -> object:
    """What sets results apart that stand beside each other: the row, or a plain value; of the rest the last one asked
    with is kept.
    """
    if isinstance(asked, Instrument | Job):
        return asked.id
    return asked if isinstance(asked, str | int | float | None) else None
