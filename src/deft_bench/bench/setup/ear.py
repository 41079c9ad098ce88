"""Buzz by the machine's ear: what it heard in the last pass of notes, offered with its chance and confirmed by hand."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from deft_bench.bench.setup.readings import SetupSurveys, latest_read, played_as_it_is
from deft_bench.bench.survey_results import moved_since_read
from deft_bench.bench.surveying import start_survey, usual_head
from deft_bench.core.acts import MOVES_HEIGHTS
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.ear.features import COUNT, features
from deft_bench.core.strings.ear.hearing import Learned, learned_from
from deft_bench.core.strings.pitch import Samples
from deft_bench.core.survey_kinds import BUZZES_UM, CLEAN_UM
from deft_bench.core.times import stamp
from deft_bench.formats.buzz_ear import buzz_ear
from deft_bench.store import acts, ear, instruments, jobs, setups, surveys
from deft_bench.store.database import Connection, transaction
from deft_bench.store.ear import EarNote

OFFERED = 0.25
"""A note from this chance on is asked about one by one; what is under it sounds clean."""


class NothingToConfirmError(ValueError):
    """There is no such note to confirm; the words say why."""


@dataclass(frozen=True, slots=True)
class EarHeard:
    """A note that was heard: its log odds, and the chance that it buzzes."""

    note: EarNote
    log_odds: float
    chance: float


@dataclass(frozen=True, slots=True)
class EarFindings:
    """What may buzz, the likeliest first, and what sounds clean; those that are confirmed; and what the bench has
    taught the ear.
    """

    survey: surveys.Survey
    offered: Sequence[EarHeard]
    clean: Sequence[EarHeard]
    confirmed: Sequence[EarHeard]
    learned: Learned

    def named(self, row: int) -> EarHeard | None:
        """A note by its row."""
        return next((one for one in (*self.offered, *self.clean, *self.confirmed) if one.note.id == row), None)


def figures_of(samples: Samples, rate: float, hz: float) -> tuple[float, ...] | None:
    """What a note has of a buzz, as it is kept with it."""
    found = features(samples, rate, hz)
    return None if found is None else tuple(np.round(found, 2).tolist())


def chances(db: Connection, survey_id: int) -> Mapping[tuple[int, int], float]:
    """The chance that each note of a survey buzzes, by string and fret, as the bench has taught the ear."""
    return {
        (one.note.string, one.note.fret): one.chance for one in _heard(db, survey_id, learned_from(ear.lessons(db)))
    }


def ear_findings(db: Connection, instrument: instruments.Instrument, found: SetupSurveys) -> EarFindings | None:
    """What the ear heard on the setup as it is; None where nothing was played to it since."""
    survey = found.of.get("intonation")
    if survey is None or moved_since_read(db, survey, MOVES_HEIGHTS, acts.of_instrument(db, instrument.id)) is not None:
        return None
    since, learned = _accepted_at(db, survey.job_id), learned_from(ear.lessons(db))
    heard = [one for one in _heard(db, survey.id, learned) if one.note.at >= since]
    if not heard:
        return None
    left = sorted((one for one in heard if one.note.buzzes is None), key=lambda one: -one.chance)
    many = sum(one.chance >= OFFERED for one in left)
    return EarFindings(survey, left[:many], left[many:], [one for one in heard if one.note.buzzes is not None], learned)


def _accepted_at(db: Connection, job_id: int | None) -> str:
    """When a job's setup was accepted; empty before that."""
    accepted = setups.last_accepted(db, job_id) if job_id is not None else None
    return accepted.accepted_at if accepted else ""


def _heard(db: Connection, survey_id: int, learned: Learned) -> list[EarHeard]:
    """Every note of a survey, each heard beside the others of its string."""
    by_string: dict[int, list[EarNote]] = {}
    for one in ear.notes(db, survey_id):
        if len(one.figures) == COUNT:
            by_string.setdefault(one.string, []).append(one)
    return [
        EarHeard(note, float(odds), learned.chance(float(odds)))
        for notes in by_string.values()
        for note, odds in zip(notes, buzz_ear().log_odds([np.array(one.figures) for one in notes]), strict=True)
    ]


def confirm_heard(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    instrument: instruments.Instrument,
    said: Mapping[int, bool],
) -> int:
    """Keep of notes, by their row, whether they buzz: each a reading of the job's buzz survey, another one where its
    notes were played on another setup; one that was asked about alone is a lesson too.

    Returns how many were kept; raises NothingToConfirmError.
    """
    found = latest_read(db, settings, instrument)
    heard = ear_findings(db, instrument, found)
    some = [(one, buzzes) for row, buzzes in said.items() if heard and (one := heard.named(row))]
    if not some:
        raise NothingToConfirmError(
            "That note was played again, or the setup was changed since: see what is heard now."
        )
    job = jobs.open_of(db, [instrument.id]).get(instrument.id)
    if job is None:
        raise NothingToConfirmError("Open a job first: what is played is part of its record.")
    open_one, done = found.of.get("buzz"), acts.of_instrument(db, instrument.id)
    stands = played_as_it_is(db, found, _accepted_at(db, job.id), done)
    with transaction(db):
        if open_one is None or open_one.job_id != job.id or not stands:
            head = usual_head(db, settings, now, job, instrument, "buzz").of("buzz", instrument.spec.strings)
            survey_id = start_survey(db, now, job, instrument, head)
        else:
            survey_id = open_one.id
        rows = [
            (
                (str(one.note.string), one.note.fret),
                BUZZES_UM if buzzes else CLEAN_UM,
                f"heard, chance {one.chance:.2f}, confirmed",
            )
            for one, buzzes in some
        ]
        surveys.add_many(db, survey_id, rows, stamp(now))
        for one, buzzes in some:
            ear.confirm(db, one.note.id, buzzes, one.log_odds, stamp(now), alone=len(some) == 1)
    return len(some)
