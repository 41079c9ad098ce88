"""What drills that work wood or metal by hand have in common: the truth, and what was done to it step by step."""

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import TYPE_CHECKING, Any, Generic, Protocol, TypeVar, cast

from deft_bench.bench.practice.attempts import PracticeError, begin, close, keep, of_drill, refused
from deft_bench.core.practice.worth import Timed, took
from deft_bench.store import practice
from deft_bench.store.database import Connection
from deft_bench.store.practice import Attempt

if TYPE_CHECKING:
    from _typeshed import DataclassInstance


Piece = TypeVar("Piece")


class Kinded(Timed, Protocol):
    """One thing done, of a kind."""

    @property
    def what(self) -> str:
        """Its kind."""
        ...


Deed = TypeVar("Deed", bound=Kinded)


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
        return took(self.done)

    def last(self, *whats: str) -> Deed | None:
        """What was last done of some kinds; None where none of them was."""
        return next((one for one in reversed(self.done) if one.what in whats), None)

    def after(self, said: Deed, piece: Piece) -> "ByHand[Piece, Deed]":
        """With one more thing done."""
        return ByHand(self.attempt, self.truth, [*self.steps, (said, piece)])


class Scored(Protocol):
    """What work was worth."""

    @property
    def points(self) -> int:
        """Of 100."""
        ...


Score = TypeVar("Score", bound=Scored)


@dataclass(frozen=True)
class HandDrill(Generic[Piece, Deed, Score]):
    """A drill that works a piece by hand. `kept_as` is the piece's name in what is kept, `named` what is named when the
    work is handed in, `first` what is said where the truth is asked for before that.
    """

    code: str
    kept_as: str
    named: str
    first: str
    draw: Callable[[int, int], Piece]
    piece_from: Callable[[Any], Piece]
    deed_from: Callable[[Any], Deed]
    by_program: Callable[[Piece], tuple[list[Deed], Piece]]
    score: Callable[[Piece, Sequence[Deed], Piece, tuple[Sequence[Deed], Piece]], Score]

    def start(self, db: Connection, now: datetime, person: str, level: int, seed: int | None = None) -> int:
        """Start the drill; its id. Raises PracticeError."""
        return begin(db, now, self.code, person, level, lambda seed, level: _as_json(self.draw(seed, level)), seed)

    def at_work(self, db: Connection, attempt_id: int) -> ByHand[Piece, Deed]:
        """An attempt as it stands; raises KeyError where there is none."""
        attempt = of_drill(db, attempt_id, self.code)
        kept = practice.readings(db, attempt_id)
        steps = [(self.deed_from(one["done"]), self.piece_from(one[self.kept_as])) for one in kept]
        return ByHand(attempt, self.piece_from(attempt.truth), steps)

    def work(
        self, db: Connection, now: datetime, found: ByHand[Piece, Deed], act: Callable[[Piece], tuple[Piece, Deed]]
    ) -> ByHand[Piece, Deed]:
        """Do one thing to an attempt as it stands, and keep what it said; the attempt with it. Raises PracticeError,
        where it stands otherwise by now too.
        """
        with refused():
            piece, said = act(found.piece)
        keep(db, now, found.attempt.id, {"done": _as_json(said), self.kept_as: _as_json(piece)}, len(found.steps))
        return found.after(said, piece)

    def hand_in(self, db: Connection, now: datetime, attempt_id: int) -> None:
        """Say that it is done; raises KeyError, PracticeError."""
        close(db, now, attempt_id, self.named, self._judged(self.at_work(db, attempt_id))[0].points)

    def debrief(self, found: ByHand[Piece, Deed]) -> tuple[Score, Sequence[Deed], Piece]:
        """What an answered attempt was worth, what the program would have done, and the piece after that; raises
        PracticeError where it is not answered yet.
        """
        if found.attempt.named is None:
            raise PracticeError(self.first)
        return self._judged(found)

    def _judged(self, found: ByHand[Piece, Deed]) -> tuple[Score, Sequence[Deed], Piece]:
        done, end = self.by_program(found.truth)
        return self.score(found.truth, found.done, found.piece, (done, end)), done, end


def _as_json(one: object) -> dict[str, Any]:
    return asdict(cast("DataclassInstance", one))
