"""Buzz: what was heard, what causes it, and the hand of this player."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime

from deft_bench.bench.setup.readings import SetupSurveys, assembled, latest_read
from deft_bench.core.calls import Call
from deft_bench.core.instrument import Spec
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.assembled import Assembled
from deft_bench.core.strings.buzz_call import buzz_call, cause_words, percent, undoing_words
from deft_bench.core.strings.buzz_causes import ReadSd
from deft_bench.core.strings.diagnose import Cause, Diagnosis, Heard, diagnose, learned_hand
from deft_bench.core.strings.setup_plan import SetupPlan, string_names
from deft_bench.core.survey_kinds import BUZZES_UM
from deft_bench.core.times import stamp
from deft_bench.store import instruments, setups, surveys
from deft_bench.store.database import Connection

MOST_CAUSES, WORTH_SHOWING = 6, 0.005
UNREAD = ReadSd(relief_mm=0.10, action_mm=0.30, nut_mm=0.06, fret_mm=0.02)
"""How far things may lie off what is taken as usual where they were not read."""
LEARNED_SHARE = 0.12
"""How well a hand that was heard before is known."""
LEAST_FORCE_N, MOST_FORCE_N = 0.05, 20.0
"""Between which a learned plucking force is kept."""


@dataclass(frozen=True, slots=True)
class Explained:
    """A cause in words: what, its cure, its chance and what the cure takes; `first` is the cure to try first."""

    cause: Cause
    what: str
    cure: str
    chance: str
    takes: str
    first: bool


@dataclass(frozen=True, slots=True)
class BuzzFindings:
    """The notes heard, what explains them, and each cause with its words; no call while nothing was played."""

    heard: list[Heard]
    diagnosis: Diagnosis
    causes: list["Explained"]
    call: Call | None

    @property
    def marks(self) -> Mapping[tuple[int, int], bool]:
        """Whether a note buzzed, by string and fret."""
        return {(note.string, note.fret): note.buzz for note in self.heard}

    @property
    def as_read(self) -> str:
        """The chance that none of the causes is there, in words."""
        return percent(self.diagnosis.as_read)


def heard_in(db: Connection, found: SetupSurveys, frets: int) -> list[Heard]:
    """The notes of the latest buzz survey that are on a neck of so many frets: it may have been counted again since."""
    survey = found.of.get("buzz")
    played = sorted(surveys.values(db, survey.id).items()) if survey else []
    return [Heard(int(lane), fret, um == BUZZES_UM) for (lane, fret), um in played if fret < frets]


def read_sd(plan: SetupPlan, found: SetupSurveys, at: Assembled) -> ReadSd:
    """How well each thing that a diagnosis rests on is known: by its tool where it was read."""
    sure = ReadSd()
    tool = {kind: survey.head.resolution_um / 1000 for kind, survey in found.of.items()}
    unread = set(at.unread)
    return ReadSd(
        UNREAD.relief_mm if "relief" in unread else max(sure.relief_mm, tool.get("straightness", 0.0)),
        UNREAD.action_mm if "action" in unread else max(sure.action_mm, tool.get("strings", 0.0)),
        UNREAD.nut_mm if "first-fret gap" in unread else max(sure.nut_mm, tool.get("strings", 0.0) / 2),
        UNREAD.fret_mm if "fret heights" in unread else sure.fret_mm,
        LEARNED_SHARE if len(plan.pluck_n) == len(plan.strings) else sure.pluck_share,
    )


def buzz_findings(
    db: Connection, settings: ShopSettings, spec: Spec, plan: SetupPlan, found: SetupSurveys, now: Assembled
) -> BuzzFindings:
    """What was heard on the strings as last read, and its causes."""
    names, length, rod = string_names(plan), settings.display.fine_mm, spec.rod != "none"
    heard = heard_in(db, found, spec.frets)
    diagnosis = diagnose(now.frame, now.strings, heard, now.stroke, read_sd(plan, found, now))
    causes = [
        Explained(
            cause,
            *cause_words(cause, length, names, rod),
            percent(cause.chance),
            undoing_words(cause, length),
            cause is diagnosis.cure,
        )
        for cause in diagnosis.causes[:MOST_CAUSES]
        if cause.chance >= WORTH_SHOWING or cause is diagnosis.cure
    ]
    return BuzzFindings(heard, diagnosis, causes, buzz_call(diagnosis, heard, names, length, rod) if heard else None)


def forget_hand(db: Connection, now: datetime, instrument: instruments.Instrument, plan: SetupPlan) -> None:
    """Go back to the hand of the specification."""
    setups.PLANS.save(db, instrument.id, replace(plan, pluck_n=()), stamp(now))


def learn_hand(
    db: Connection, settings: ShopSettings, now: datetime, instrument: instruments.Instrument, plan: SetupPlan
) -> bool:
    """Keep this player's hand, as heard, for the next setup; False when nothing was played yet."""
    found = latest_read(db, settings, instrument)
    heard = heard_in(db, found, instrument.spec.frets)
    if not heard or instrument.spec.frets < 12:
        return False
    strings = assembled(db, instrument, plan, found)
    diagnosis = diagnose(strings.frame, strings.strings, heard, strings.stroke, read_sd(plan, found, strings))
    force = learned_hand(diagnosis.hand, {string.string: string.pluck_n for string in strings.strings})
    kept = tuple(round(min(MOST_FORCE_N, max(LEAST_FORCE_N, force[string.string])), 3) for string in strings.strings)
    setups.PLANS.save(db, instrument.id, replace(plan, pluck_n=kept), stamp(now))
    return True
