"""A whole setup on a practice neck: what the book says done on it, what stands in the book, and what was believed."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from deft_bench.bench.practice.whole_kind import Step, WholeJob, WholeKind
from deft_bench.bench.practice.whole_level import as_recorded
from deft_bench.core.acts import Act
from deft_bench.core.instrument import Spec
from deft_bench.core.practice.drills import WHOLE_SETUP
from deft_bench.core.practice.whole_setup import (
    LEVELS,
    READING_SECONDS,
    SPEC,
    Deed,
    PracticeSetup,
    What,
    WholeSetupScore,
    answered,
    as_json,
    deed_from,
    do,
    practice_setup,
    score,
    setup_from,
    with_rod,
)
from deft_bench.core.survey import UNDER_STRING, SurveyHead
from deft_bench.core.survey_kinds import ACTION_FRET, PER_CENT, Place
from deft_bench.core.times import stamp
from deft_bench.store import jobs, rod_turns, setups, surveys
from deft_bench.store.database import Connection

SetupJob = WholeJob[PracticeSetup, Deed]
GAP_FRET = 8
"""Relief is read over it, under a string that a capo holds on fret 1 and a finger on the last."""
FINE_UM, TUNER = 10, 10
"""What blades tell on the stage, and the tuner, hundredths of a cent."""
MOVES: Mapping[str, tuple[str, ...]] = {
    "straightness": ("turn", "wait", "rest", "frets"),
    "strings": ("turn", "wait", "rest", "file", "touch", "screw", "frets"),
    "intonation": ("turn", "wait", "rest", "file", "touch", "screw", "along", "frets"),
    "buzz": ("turn", "wait", "rest", "file", "touch", "screw", "frets"),
}
"""What is done after which a survey of a kind tells of the neck as it was."""


class SetupKind(WholeKind[PracticeSetup, Deed]):
    """A setup."""

    drill = WHOLE_SETUP
    job_kind = "setup"
    levels = LEVELS
    reading_seconds = READING_SECONDS

    def spec(self, truth: PracticeSetup) -> Spec:
        return SPEC

    def drawn(self, seed: int, level: int) -> PracticeSetup:
        return practice_setup(seed, level)

    def as_json(self, one: PracticeSetup | Deed) -> dict[str, Any]:
        return as_json(one)

    def neck_from(self, kept: Mapping[str, Any]) -> PracticeSetup:
        return setup_from(kept)

    def deed_from(self, kept: Mapping[str, Any]) -> Deed:
        return deed_from(kept)

    def score(
        self,
        truth: PracticeSetup,
        end: PracticeSetup,
        seconds: float,
        program_end: PracticeSetup,
        program_seconds: float,
    ) -> WholeSetupScore:
        return score(end, seconds, program_end, program_seconds)

    def score_from(self, kept: Mapping[str, Any]) -> WholeSetupScore:
        return WholeSetupScore(**kept)

    def do(self, neck: PracticeSetup, what: What, *args: Any, **how: Any) -> tuple[PracticeSetup, Deed]:
        return do(neck, what, *args, **how)

    def recorded(
        self, db: Connection, job: jobs.Job, neck: PracticeSetup, act: Act, before: Sequence[Step[PracticeSetup, Deed]]
    ) -> tuple[PracticeSetup, Deed]:
        worked, deed = as_recorded(db, job, neck.neck, act, lambda since: False)
        if act.kind == "rod":
            return with_rod(neck, worked.rod), Deed("turn", sixteenths=deed.sixteenths, feel=deed.feel)
        return replace(neck, neck=worked), Deed("frets")

    def into_the_book(self, db: Connection, now: datetime, found: SetupJob, deed: Deed) -> str:
        if deed.what != "turn" or deed.feel in ("stops", "forced"):
            return ""
        rod_turns.add(db, found.instrument.id, stamp(now), 4 * deed.sixteenths)
        return "rod"

    def answered(self, neck: PracticeSetup, head: SurveyHead, place: Place) -> int:
        return answered(neck, head, place)

    def headed(self, head: SurveyHead, neck: PracticeSetup) -> SurveyHead:
        head = replace(head, string_state="tuned", resolution_um=TUNER if head.kind == "intonation" else FINE_UM)
        if head.kind == "straightness":
            return replace(head, method=UNDER_STRING[0], surface="fret_tops", tool="feeler gauge under a string")
        return replace(head, at_frets=(ACTION_FRET,)) if head.kind == "intonation" else head

    def holds(self, db: Connection, found: SetupJob, survey: surveys.Survey) -> bool:
        done = [step.at for step in found.steps if step.deed.what in MOVES.get(survey.head.kind, ())]
        accepted = setups.last_accepted(db, found.job.id)
        since = [*done, accepted.accepted_at] if accepted else done
        return all(at <= survey.taken_at for at in since)


@dataclass(frozen=True, slots=True)
class Known:
    """What was last read by some moment, mm and cents by string, None or absent where nothing was; and the places where
    a string buzzed when it was last played. `old` names the kinds of survey since which something was done.
    """

    relief_mm: float | None = None
    gaps_mm: Mapping[int, float] = field(default_factory=dict)
    actions_mm: Mapping[int, float] = field(default_factory=dict)
    cents: Mapping[int, float] = field(default_factory=dict)
    buzzing: Mapping[int, Sequence[int]] = field(default_factory=dict)
    old: frozenset[str] = frozenset()


def known(db: Connection, found: SetupJob, until: str = "9999") -> Known:
    """What the job's surveys told by a moment, the newest reading of each place."""
    read, last = _read_by(db, found, until)
    strings, cents, played = (read.get(kind, {}) for kind in ("strings", "intonation", "buzz"))
    return Known(
        next((um / 1000 for um in read.get("straightness", {}).values()), None),
        {int(lane): um / 1000 for (lane, fret), um in strings.items() if fret == 1},
        {int(lane): um / 1000 for (lane, fret), um in strings.items() if fret != 1},
        {int(lane): value / PER_CENT for (lane, fret), value in cents.items() if fret == ACTION_FRET},
        {
            string: sorted(fret for (lane, fret), buzzes in played.items() if int(lane) == string and buzzes)
            for string in {int(lane) for lane, _ in played}
        },
        frozenset(kind for kind, at in last.items() if _done_since(found, kind, at, until)),
    )


def _read_by(db: Connection, found: SetupJob, until: str) -> tuple[dict[str, dict[Place, int]], dict[str, str]]:
    """What was read by a moment and when last, by kind of survey; of straightness the gap under a string alone."""
    read: dict[str, dict[Place, int]] = {}
    last: dict[str, str] = {}
    for survey in surveys.of_job(db, found.job.id):
        kind, bow = survey.head.kind, survey.head.kind == "straightness"
        for one in surveys.history(db, survey.id):
            relief = survey.head.method in UNDER_STRING and one.fret == GAP_FRET
            if one.at <= until and one.value_um is not None and (relief or not bow):
                read.setdefault(kind, {})[one.lane, one.fret] = one.value_um
                last[kind] = max(one.at, last.get(kind, ""))
    return read, last


def _done_since(found: SetupJob, kind: str, at: str, until: str) -> bool:
    """Whether something was done since a moment that a survey of a kind does not tell of."""
    return any(at < step.at <= until for step in found.steps if step.deed.what in MOVES.get(kind, ()))
