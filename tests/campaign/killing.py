"""Work done in a process of its own that is killed at some instant, and what it had said to be done by then."""

import os
import resource
import signal
import sys
import time
import traceback
import warnings
from collections.abc import Callable
from dataclasses import dataclass

Say = Callable[[str], None]
Work = Callable[[Say], None]
NOBODY = 65534


@dataclass(frozen=True, slots=True)
class Ended:
    """What a process said line by line, whether it was still at work when it was killed, and the error that ended it
    before that.
    """

    said: tuple[str, ...]
    killed: bool
    error: str


def killed(work: Work, after_s: float, meanwhile: Callable[[], object] | None = None) -> Ended:
    """Do some work and kill it after a time. `meanwhile` begins here once it has begun: a file of the database that is
    open here before would be open there too, and one program may not take another's open database along.
    """
    return _run(work, after_s, meanwhile)


def done(work: Work, *, as_nobody: Callable[[], object] | None = None, most_bytes: int | None = None) -> Ended:
    """Do some work to its end: as a user who may write nothing here, after something done as oneself, or where no file
    may grow beyond a size.
    """

    def within(say: Say) -> None:
        if most_bytes is not None:
            signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
            resource.setrlimit(resource.RLIMIT_FSIZE, (most_bytes, most_bytes))
        if as_nobody is not None:
            as_nobody()
            if os.getuid() == 0:
                os.setgid(NOBODY)
                os.setuid(NOBODY)
        work(say)

    return _run(within, None)


def _run(work: Work, after_s: float | None, meanwhile: Callable[[], object] | None = None) -> Ended:
    read, write = os.pipe()
    sys.stdout.flush()
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)  # of a fork where threads run: none of ours hold a lock
        child = os.fork()
    if not child:
        _in_the_child(work, write)
    os.close(write)
    if meanwhile is not None:
        meanwhile()
    if after_s is not None:
        time.sleep(after_s)
        os.kill(child, signal.SIGKILL)
    with os.fdopen(read, "rb") as heard:
        lines = heard.read().decode().splitlines(keepends=True)
    _, status = os.waitpid(child, 0)
    whole = [line.rstrip("\n") for line in lines if line.endswith("\n")]
    errors = [line.removeprefix("! ") for line in whole if line.startswith("! ")]
    return Ended(
        tuple(line for line in whole if not line.startswith("! ")),
        os.WIFSIGNALED(status),
        errors[0] if errors else "" if os.WIFSIGNALED(status) or not os.WEXITSTATUS(status) else "ended without a word",
    )


def _in_the_child(work: Work, write: int) -> None:
    def say(line: str) -> None:
        os.write(write, f"{line}\n".encode())

    try:
        work(say)
    except BaseException as error:
        where = traceback.extract_tb(error.__traceback__)[-1]
        say(f"! {type(error).__name__}: {error} ({where.filename}:{where.lineno})".replace("\n", " "))
    os._exit(0)
