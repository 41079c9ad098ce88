"""Planning in a process of its own: it waits for benches to plan, tells where each search stands, and ends with whoever
started it.
"""

import signal
from contextlib import suppress
from importlib import import_module
from multiprocessing import get_context
from multiprocessing.connection import Connection as Pipe
from multiprocessing.process import BaseProcess
from threading import Lock

from deft_bench.bench.planner import Progress
from deft_bench.core.work.schedule.bench import Bench
from deft_bench.core.work.schedule.deadline import Watch
from deft_bench.core.work.schedule.grid import ScheduleError
from deft_bench.core.work.schedule.planning import Planned, plan_bench

STOP = "stop"
LOOK_SECONDS = 0.1
CLOSE_SECONDS = 2.0
TRIES = 2


class PlanningProcess:
    """Plans one bench at a time elsewhere. It is started by `start`, or by the first plan; one that is lost is started
    once more.
    """

    def __init__(self) -> None:
        self._turn = Lock()
        self._process: BaseProcess | None = None
        self._pipe: Pipe | None = None

    def start(self) -> None:
        """Start it where it does not run; it loads what takes long to load, and waits."""
        with self._turn:
            self._running()

    def _running(self) -> Pipe:
        if self._process is None or self._pipe is None or not self._process.is_alive():
            context = get_context("spawn")
            ours, theirs = context.Pipe()
            process = context.Process(target=_work, args=(theirs,), daemon=True, name="planning")
            process.start()
            theirs.close()
            self._process, self._pipe = process, ours
        return self._pipe

    def plan(self, bench: Bench, progress: Progress) -> Planned:
        """Plan a bench; raises ScheduleError, also where the process is lost again and again."""
        with self._turn:
            for _ in range(TRIES):
                try:
                    pipe = self._running()
                    pipe.send((bench, progress.seconds))
                    return _answer(pipe, progress)
                except (EOFError, OSError):
                    self.close()
        raise ScheduleError("bench", "the program that plans was ended while it worked; plan again")

    def close(self) -> None:
        """End it, whatever it does."""
        process, pipe, self._process, self._pipe = self._process, self._pipe, None, None
        if pipe is not None:
            with suppress(OSError):
                pipe.close()
        if process is not None:
            process.terminate()
            process.join(CLOSE_SECONDS)


def _answer(pipe: Pipe, progress: Progress) -> Planned:
    """What comes of a plan that was asked for, and meanwhile where it stands; a wish to stop is passed on once."""
    asked = False
    while True:
        if progress.stop.is_set() and not asked:
            pipe.send(STOP)
            asked = True
        if not pipe.poll(LOOK_SECONDS):
            continue
        what, said = pipe.recv()
        if what == "found":
            progress.tell(said)
        elif what == "refused":
            raise said
        else:
            planned: Planned = said
            return planned


def _work(pipe: Pipe) -> None:
    """Plan whatever is asked for, until nobody is there any more."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # whoever started it says when it ends
    import_module("ortools.sat.python.cp_model")
    import_module("scipy.optimize")
    with suppress(EOFError, OSError):
        while True:
            asked = pipe.recv()
            if asked != STOP:  # a plan was over before it could be stopped
                _plan(pipe, *asked)


def _plan(pipe: Pipe, bench: Bench, seconds: float) -> None:
    stopped = False

    def look() -> bool:
        nonlocal stopped
        stopped = stopped or (pipe.poll() and pipe.recv() == STOP)
        return stopped

    try:
        planned = plan_bench(bench, seconds, Watch(look, lambda found: pipe.send(("found", found))))
        pipe.send(("planned", planned))
    except ScheduleError as error:
        pipe.send(("refused", error))
