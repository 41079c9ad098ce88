"""Plans are made one at a time: planning takes seconds of every core, and the bench's other pages must not wait for
a queue of them.
"""

from collections.abc import Callable
from concurrent.futures import Future
from threading import Lock

from deft_bench.core.work.schedule.planning import Planned


class Planner:
    """Lets one plan be made at a time; who asks for a plan that is being made already is given that one.

    What plans otherwise than by `plan` does it while it holds `turn`.
    """

    def __init__(self) -> None:
        self.turn, self._asking = Lock(), Lock()
        self._made: dict[str, Future[Planned]] = {}

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
