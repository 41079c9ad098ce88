"""A whole job on a practice neck: its wood and the job's book, which stay true to each other.

What is done by hand on the stage is recorded in the book as on any instrument. What is recorded on the usual screens is
done on the wood by a steady hand, just as it was recorded: the neck as it stands is its truth, worked on by both in the
order of time.
"""

from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from datetime import datetime
from typing import Any
from uuid import uuid4

from deft_bench.bench.practice.attempts import PracticeError, person_named, refused, seed_or_new
from deft_bench.bench.practice.whole_kind import Step, WholeJob, WholeKind
from deft_bench.bench.practice.whole_level import LevelKind
from deft_bench.bench.practice.whole_setup import SetupKind
from deft_bench.bench.surveying import accept_reading, cursor_order, start_survey, usual_head
from deft_bench.core.practice.drills import WHOLE
from deft_bench.core.practice.whole_setup import PracticeSetup
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey import SurveyHead, cursor_places
from deft_bench.core.survey_kinds import PER_CENT, SURVEY_KINDS, Place
from deft_bench.core.times import stamp
from deft_bench.store import acts, instruments, jobs, practice_necks, surveys
from deft_bench.store.database import Connection, transaction
from deft_bench.store.practice import BY_HAND

AnyJob = WholeJob[Any, Any]
WHOLE_KINDS: Mapping[str, WholeKind[Any, Any]] = {one.drill: one for one in (LevelKind(), SetupKind())}
"""The whole jobs, by the codes of their drills."""
MOST_DEEDS = 1000
HANDED_IN = "This job is handed in: its debrief is here."


def kind_of(kept: practice_necks.Kept) -> WholeKind[Any, Any]:
    """What kind of whole job a practice neck is for."""
    return next(one for one in WHOLE_KINDS.values() if one.job_kind == kept.job_kind)


def begin_whole(
    db: Connection,
    now: datetime,
    person: str,
    level: int,
    seed: int | None = None,
    *,
    calls: bool = True,
    drill: str = WHOLE,
) -> int:
    """Lay a practice neck on the bench with its whole job; its id. Raises PracticeError."""
    kind = WHOLE_KINDS[drill]
    if level not in kind.levels:
        raise PracticeError(f"Choose a level from 1 to {max(kind.levels)}.")
    seed = seed_or_new(seed)
    return begin_on_truth(db, now, drill, person, level, seed, kind.drawn(seed, level), calls=calls)


def begin_on_truth(
    db: Connection, now: datetime, drill: str, person: str, level: int, seed: int, truth: Any, *, calls: bool = True
) -> int:
    """Lay a neck of a given truth on the bench; its id. Raises PracticeError."""
    person, kind = person_named(person), WHOLE_KINDS[drill]
    spec = replace(
        kind.spec(truth),
        name="Practice neck by hand" if seed == BY_HAND else f"Practice neck {seed}",
        note=f"practice, level {level}: no instrument",
    )
    with transaction(db):
        instrument_id = instruments.add(db, spec, stamp(now))
        job_id = jobs.open_job(db, instrument_id, kind.job_kind, stamp(now), None, "Practice")
        return practice_necks.start(
            db, instrument_id, job_id, level, seed, person, calls, kind.as_json(truth), stamp(now)
        )


def whole_job(db: Connection, neck_id: int, *, every_neck: bool = False) -> AnyJob:
    """A practice neck as it stands, with the neck after each step where that is asked for; raises KeyError where there
    is none.
    """
    kept = practice_necks.get(db, neck_id)
    kind = kind_of(kept)
    steps = [
        Step(kind.deed_from(one.deed), one.neck and kind.neck_from(one.neck), one.act, one.at)
        for one in practice_necks.deeds(db, neck_id, every_neck=every_neck)
    ]
    truth, stored = kind.neck_from(kept.truth), len(steps)
    job = jobs.get(db, kept.job_id)
    by_hand = {(step.act, step.at) for step in steps if step.act}
    for act in acts.of_instrument(db, kept.instrument_id):
        # what is recorded after it was handed in is of another day
        if (act.kind, act.at) not in by_hand and act.at <= (kept.handed_in_at or act.at):
            neck, deed = kind.recorded(db, job, steps[-1].neck if steps else truth, act, steps)
            steps.append(Step(deed, neck, act.kind, act.at))
    seconds = sum(step.deed.seconds for step in steps)
    read = practice_necks.read_counts(db, job.id)
    seconds += sum(kind.reading_seconds.get(survey, 5.0) * n for survey, n in read.items())
    return WholeJob(kind, kept, instruments.get(db, kept.instrument_id), job, truth, steps, stored, seconds)


def open_job(db: Connection, neck_id: int) -> AnyJob:
    """A practice neck that is not handed in; raises KeyError where there is none, PracticeError for another."""
    found = whole_job(db, neck_id)
    if found.kept.handed_in_at is not None:
        raise PracticeError(HANDED_IN)
    return found


def work(db: Connection, now: datetime, neck_id: int, what: str, *args: Any, **how: Any) -> AnyJob:
    """Do one thing by hand, as the core's `do` of its kind takes it, and record it in the book; the job with it. Raises
    KeyError, PracticeError.
    """
    with transaction(db):
        found = open_job(db, neck_id)
        if len(found.steps) >= MOST_DEEDS:
            raise PracticeError(f"{MOST_DEEDS} things were done: hand it in, or lay another neck on the bench.")
        with refused():
            neck, deed = found.kind.do(found.neck, what, *args, **how)
        _keep_recorded(db, found)
        act = found.kind.into_the_book(db, now, found, deed)
        practice_necks.add_deed(db, neck_id, found.kind.as_json(deed), found.kind.as_json(neck), act, stamp(now))
    step = Step(deed, neck, act, stamp(now))
    steps = [*found.steps, step]
    return replace(found, steps=steps, stored=len(steps), seconds=found.seconds + deed.seconds)


def _keep_recorded(db: Connection, found: AnyJob) -> None:
    """Keep what only the book has so far: from now on it stays in its place in time."""
    for step in found.steps[found.stored :]:
        deed, neck = found.kind.as_json(step.deed), found.kind.as_json(step.neck)
        practice_necks.add_deed(db, found.kept.id, deed, neck, step.act, step.at)


# --- reading


def tool_answers(db: Connection, survey: surveys.Survey) -> practice_necks.Kept | None:
    """The practice neck that answers a survey's tool; None for a real one, another survey, one of another neck than it
    is (its specification was changed), or one that is handed in.
    """
    kept = practice_necks.of_instrument(db, survey.instrument_id)
    if kept is None or kept.handed_in_at:
        return None
    kind = kind_of(kept)
    spec = kind.spec(kind.neck_from(kept.truth))
    same = survey.frets == spec.frets and survey.head.strings in (0, spec.strings)
    return kept if same and survey.head.kind in kind.reading_seconds else None


def tool_reads(db: Connection, survey: surveys.Survey, place: Place) -> int | None:
    """What the survey's tool reads at a place, as it is stored; None where it does not answer."""
    kept = tool_answers(db, survey)
    if kept is None or place not in cursor_order(db, survey):
        return None
    found = whole_job(db, kept.id)
    return found.kind.answered(found.neck, survey.head, place)


def as_typed(survey: surveys.Survey, stored: int) -> str:
    """A reading of a survey's tool as it would be typed."""
    kind = SURVEY_KINDS[survey.head.kind]
    if kind.unit == "answer":
        return next(key for key, (value, _) in kind.answers.items() if value == stored)
    return f"{stored / PER_CENT:g}" if kind.unit == "cents" else f"{stored / 1000:g} mm"


def read_what_is_left(db: Connection, settings: ShopSettings, now: datetime, survey: surveys.Survey) -> int:
    """Take the tool's readings at all places that are not read yet; how many. Raises PracticeError."""
    kept = tool_answers(db, survey)
    if kept is None:
        raise PracticeError("Only a practice neck that is not handed in answers its tools, and no such survey.")
    read = surveys.readings(db, survey.id)
    left = [place for place in cursor_order(db, survey) if place not in read]
    _read_into(db, settings, now, survey, whole_job(db, kept.id), left)
    return len(left)


def _read_into(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    survey: surveys.Survey,
    found: AnyJob,
    places: Sequence[Place],
) -> None:
    """Take the tool's readings at some places, in place of what stands there."""
    read = surveys.readings(db, survey.id)
    with transaction(db):
        for place in places:
            typed = as_typed(survey, found.kind.answered(found.neck, survey.head, place))
            stands = read[place].id if place in read else None
            accept_reading(db, settings, now, survey, place, typed, token=uuid4().hex, expects=stands, sure=typed)


def read_on_the_stage(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    neck_id: int,
    kind: str,
    frets: Sequence[int] = (),
    lanes: Sequence[str] = (),
) -> surveys.Survey:
    """Read with a tool on the stage: at some frets and in some lanes, or all; into the job's last survey of the kind
    that still holds, or one that is begun now. Raises KeyError, PracticeError.
    """
    found = open_job(db, neck_id)
    if kind not in found.kind.reading_seconds:
        raise PracticeError(f"Choose one of: {', '.join(found.kind.reading_seconds)}.")
    strings = found.instrument.spec.strings if SURVEY_KINDS[kind].per_string else 0
    head = usual_head(db, settings, now, found.job, found.instrument, kind).of(kind, strings)
    head = replace(found.kind.headed(head, found.neck), reach=1)

    def wanted(order: Sequence[Place]) -> list[Place]:
        return [place for place in order if (not lanes or place[0] in lanes) and (not frets or place[1] in frets)]

    survey = _survey_that_holds(db, found, head)
    if survey is None or not wanted(cursor_order(db, survey)):
        if not wanted(cursor_places(head, found.instrument.spec.frets)):
            raise PracticeError("That tool does not stand there: choose another fret or lane.")
        survey = surveys.get(db, start_survey(db, now, found.job, found.instrument, head))
    if tool_answers(db, survey) is None:
        raise PracticeError("Its specification was changed: put the frets and strings back that it came with.")
    _read_into(db, settings, now, survey, found, wanted(cursor_order(db, survey)))
    return survey


def _survey_that_holds(db: Connection, found: AnyJob, head: SurveyHead) -> surveys.Survey | None:
    """The job's last survey that is read so, while it holds; None where another is due."""
    of_kind = [one for one in surveys.of_job(db, found.job.id) if one.head.kind == head.kind and one.head.reach == 1]
    last = of_kind[-1] if of_kind else None
    if last is None or not surveys.read_from(db, last.id) or not found.kind.holds(db, found, last):
        return None
    return last if (last.head.method, last.head.surface) == (head.method, head.surface) else None


def strings_of(db: Connection, survey: surveys.Survey) -> tuple[PracticeSetup, int] | None:
    """The strings of the practice neck that a survey listens to as they are now, and its number; None for a real one,
    or one that is handed in.
    """
    kept = tool_answers(db, survey)
    neck = whole_job(db, kept.id).neck if kept is not None else None
    return (neck, kept.seed) if kept is not None and isinstance(neck, PracticeSetup) else None


# --- the debrief


def keep_outcome(db: Connection, now: datetime, found: AnyJob, score: Any, program: Sequence[str]) -> None:
    """Hand the job in with what it was worth and what the program did; closes it. Raises PracticeError, also where it
    was worked on since `found`.
    """
    with transaction(db):
        if len(whole_job(db, found.kept.id).steps) != len(found.steps):
            raise PracticeError("It was worked on meanwhile, in another window: look, and hand it in again.")
        _keep_recorded(db, found)
        try:
            practice_necks.hand_in(db, found.kept.id, {"score": asdict(score), "program": list(program)}, stamp(now))
        except KeyError as error:
            raise PracticeError(HANDED_IN) from error
        if jobs.get(db, found.job.id).closed_at is None:
            jobs.close(db, found.job.id, stamp(now), "practice, handed in")
