"""Who has a database file: a server shares it, and what would put another file in its place wants it alone."""

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from deft_bench.store.database import StoreError


@contextmanager
def held(path: Path, *, alone: bool) -> Iterator[None]:
    """Hold a database for as long as the block runs: shared by servers, or `alone`; raises StoreError when that cannot
    be.

    The lock lies on a file beside the database and goes with the process, however that ends.
    """
    beside = path.with_name(f"{path.name}.lock")
    try:
        file = beside.open("a")
    except OSError as error:
        raise StoreError(f"{beside} cannot be written: {error.strerror}.") from error
    with file:
        try:
            fcntl.flock(file, (fcntl.LOCK_EX if alone else fcntl.LOCK_SH) | fcntl.LOCK_NB)
        except OSError as error:
            raise StoreError(
                f"{path} is in use: stop the server first."
                if alone
                else f"{path} is just being replaced: try again in a moment."
            ) from error
        yield
