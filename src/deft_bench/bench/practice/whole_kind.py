"""What the whole jobs on practice necks have in common: the neck of any kind, its steps, and what each kind answers."""

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any, Generic, TypeVar

from deft_bench.bench.practice.by_hand import Kinded
from deft_bench.core.acts import Act
from deft_bench.core.instrument import Spec
from deft_bench.core.survey import SurveyHead
from deft_bench.core.survey_kinds import Place
from deft_bench.store import instruments, jobs, practice_necks, surveys
from deft_bench.store.database import Connection

N = TypeVar("N")
D = TypeVar("D", bound=Kinded)


@dataclass(frozen=True)
class Step(Generic[N, D]):
    """One thing done, by hand or as the book says (`act` its kind there), when, and the neck after it, None where only
    the last was asked for.
    """

    deed: D
    after: N | None
    act: str
    at: str

    @property
    def neck(self) -> N:
        """The neck after it."""
        assert self.after is not None
        return self.after


@dataclass(frozen=True)
class WholeJob(Generic[N, D]):
    """A practice neck with its job: the truth it began with and all that was done to it; `stored` of the steps are
    kept, the rest stand in the book alone.
    """

    kind: "WholeKind[N, D]"
    kept: practice_necks.Kept
    instrument: instruments.Instrument
    job: jobs.Job
    truth: N
    steps: Sequence[Step[N, D]]
    stored: int
    seconds: float

    @property
    def neck(self) -> N:
        """The neck as it stands."""
        return self.steps[-1].neck if self.steps else self.truth

    @property
    def score(self) -> Any:
        """What it was worth, once it is handed in."""
        return None if self.kept.outcome is None else self.kind.score_from(self.kept.outcome["score"])


class WholeKind(ABC, Generic[N, D]):
    """A kind of whole job: its necks, what is done to them, what their tools read, and how it stands in the book."""

    drill: str
    job_kind: str
    levels: Mapping[int, str]
    reading_seconds: Mapping[str, float]

    @abstractmethod
    def spec(self, truth: N) -> Spec:
        """The instrument that it is, but for its name and note."""

    @abstractmethod
    def drawn(self, seed: int, level: int) -> N:
        """The neck of a seed and a level; raises ValueError for another."""

    @abstractmethod
    def as_json(self, one: N | D) -> dict[str, Any]:
        """As it is kept."""

    @abstractmethod
    def neck_from(self, kept: Mapping[str, Any]) -> N:
        """A neck as it was kept."""

    @abstractmethod
    def deed_from(self, kept: Mapping[str, Any]) -> D:
        """A deed as it was kept."""

    @abstractmethod
    def score(self, truth: N, end: N, seconds: float, program_end: N, program_seconds: float) -> Any:
        """What a job was worth, against the program's own play of the same neck."""

    @abstractmethod
    def score_from(self, kept: Mapping[str, Any]) -> Any:
        """What it was worth, as it was kept."""

    @abstractmethod
    def do(self, neck: N, what: Any, *args: Any, **how: Any) -> tuple[N, D]:
        """Do one thing by hand; the neck after it, and what it told. Raises ValueError where it cannot be done."""

    @abstractmethod
    def recorded(self, db: Connection, job: jobs.Job, neck: N, act: Act, before: Sequence[Step[N, D]]) -> tuple[N, D]:
        """What the book says was done, done by a steady hand."""

    @abstractmethod
    def into_the_book(self, db: Connection, now: datetime, found: WholeJob[N, D], deed: D) -> str:
        """Record what was done, and what was found home, as the usual screens would; the kind of act, empty for what is
        none.
        """

    @abstractmethod
    def answered(self, neck: N, head: SurveyHead, place: Place) -> int:
        """What a survey of this heading reads at a place, as it is stored, rounded to what its tool tells."""

    @abstractmethod
    def headed(self, head: SurveyHead, neck: N) -> SurveyHead:
        """The heading of a survey that is begun on the stage."""

    @abstractmethod
    def holds(self, db: Connection, found: WholeJob[N, D], survey: surveys.Survey) -> bool:
        """Whether a survey goes on when more is read with its tool."""
