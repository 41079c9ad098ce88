"""How far an archive that is being brought in has come."""

from collections.abc import Callable, Iterable, Iterator
from typing import TypeVar

Found = TypeVar("Found")
Tell = Callable[[str, int], None]
"""Given what is being done, and how many in a hundred of it are done."""


class Progress:
    """Tells of each stage in turn, at most once for each in a hundred of it."""

    def __init__(self, tell: Tell) -> None:
        self._tell = tell
        self.stage("Reading it", 1)

    def stage(self, words: str, total: int) -> None:
        """Another stage begins, of so many bytes or instruments."""
        self.words, self.total, self.done, self.told = words, max(1, total), 0, -1
        self.more(0)

    def more(self, many: int = 1) -> None:
        """So many more of them are done."""
        self.done += many
        in_hundred = min(100, 100 * self.done // self.total)
        if in_hundred > self.told:
            self.told = in_hundred
            self._tell(self.words, in_hundred)

    def each(self, words: str, found: Iterable[Found]) -> Iterator[Found]:
        """A stage that goes over what was found, one by one."""
        every = list(found)
        self.stage(words, len(every))
        for one in every:
            yield one
            self.more()


def untold(words: str, in_hundred: int) -> None:
    """Where nobody asks."""
