"""What drills that work wood or metal by hand have in common: the truth, and what was done to it step by step."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Generic, Protocol, TypeVar

from deft_bench.store.practice import Attempt


class Timed(Protocol):
    """One thing done."""

    @property
    def seconds(self) -> float:
        """What it takes on a bench."""
        ...


Piece = TypeVar("Piece")
Deed = TypeVar("Deed", bound=Timed)


@dataclass(frozen=True)  # with slots a generic one cannot be made
class ByHand(Generic[Piece, Deed]):
    """An attempt with its truth before anything was done, and what was done so far, each with the piece after it."""

    attempt: Attempt
    truth: Piece
    steps: Sequence[tuple[Deed, Piece]]

    @property
    def piece(self) -> Piece:
        """The neck or blank as it stands."""
        return self.steps[-1][1] if self.steps else self.truth

    @property
    def done(self) -> list[Deed]:
        """What was done so far."""
        return [one for one, _ in self.steps]

    @property
    def seconds(self) -> float:
        """What all that was done takes on a bench."""
        return sum(one.seconds for one, _ in self.steps)

    def after(self, said: Deed, piece: Piece) -> "ByHand[Piece, Deed]":
        """With one more thing done."""
        return ByHand(self.attempt, self.truth, [*self.steps, (said, piece)])
