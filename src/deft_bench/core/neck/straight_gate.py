"""The straight gate before fretwork: the reading it rests on, and whether wood and fret tops agree."""

from dataclasses import dataclass

from deft_bench.core.limits import DISAGREE_MM
from deft_bench.core.neck.straightness import Straightness


@dataclass(frozen=True, slots=True)
class StraightGate:
    """The straight gate: the reading that it rests on, and whether wood and fret tops disagree."""

    found: Straightness | None
    tops: Straightness | None
    board: Straightness | None
    overridden: bool

    @property
    def passes(self) -> bool:
        """Whether levelling may go on: straight, or passed over with a note."""
        return self.overridden or self.found is None or self.found.frets_can_be_judged

    @property
    def disagree(self) -> bool:
        """Whether bow on wood and on fret tops differ by more than a seated board allows."""
        if self.tops is None or self.board is None:
            return False
        return abs(self.tops.relief_mm - self.board.relief_mm) > DISAGREE_MM
