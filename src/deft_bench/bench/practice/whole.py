"""A whole job on a practice neck: its wood and the job's book, which stay true to each other.

What is done by hand on the stage is recorded in the book as on any instrument. What is recorded on the usual screens is
done on the wood by a steady hand, just as it was recorded: the neck as it stands is its truth, worked on by both in the
order of time.
"""

from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from uuid import uuid4

from deft_bench.bench.level_planning import base_survey
from deft_bench.bench.likely import Likely, likely
from deft_bench.bench.practice.attempts import PracticeError, person_named, refused, seed_or_new
from deft_bench.bench.survey_results import moved_since_read
from deft_bench.bench.surveying import accept_reading, cursor_order, start_survey, usual_head
from deft_bench.core.acts import MOVES_BOW, MOVES_HEIGHTS, Act
from deft_bench.core.frets.heights import LANES
from deft_bench.core.instrument import STARTING
from deft_bench.core.practice.whole_neck import (
    CROWN_MM,
    LEVELS,
    READING_SECONDS,
    CutTo,
    Deed,
    PracticeNeck,
    What,
    WholeScore,
    answered,
    as_json,
    cut_to_plan,
    deed_from,
    do,
    in_line,
    lifted,
    neck_from,
    practice_neck,
    replaced,
)
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey_kinds import SURVEY_KINDS, Place
from deft_bench.core.times import stamp
from deft_bench.store import acts, instruments, jobs, practice_necks, rod_turns, seating, surveys
from deft_bench.store.database import Connection, transaction
from deft_bench.store.practice import BY_HAND

JOB_KIND = "level_and_dress"
MOST_DEEDS = 1000
HANDED_IN = "This job is handed in: its debrief is here."
BOARD = "board"


@dataclass(frozen=True, slots=True)
class Step:
    """One thing done, by hand or as the book says (`act` its kind there), when, and the neck after it, None where only
    the last was asked for.
    """

    deed: Deed
    after: PracticeNeck | None
    act: str
    at: str

    @property
    def neck(self) -> PracticeNeck:
        """The neck after it."""
        assert self.after is not None
        return self.after


@dataclass(frozen=True, slots=True)
class WholeJob:
    """A practice neck with its job: the truth it began with and all that was done to it; `stored` of the steps are
    kept, the rest stand in the book alone.
    """

    kept: practice_necks.Kept
    instrument: instruments.Instrument
    job: jobs.Job
    truth: PracticeNeck
    steps: Sequence[Step]
    stored: int
    seconds: float

    @property
    def neck(self) -> PracticeNeck:
        """The neck as it stands."""
        return self.steps[-1].neck if self.steps else self.truth

    @property
    def score(self) -> WholeScore | None:
        """What it was worth, once it is handed in."""
        return None if self.kept.outcome is None else WholeScore(**self.kept.outcome["score"])


def begin_whole(
    db: Connection, now: datetime, person: str, level: int, seed: int | None = None, *, calls: bool = True
) -> int:
    """Lay a practice neck on the bench with a level-and-dress job; its id. Raises PracticeError."""
    if level not in LEVELS:
        raise PracticeError(f"Choose a level from 1 to {max(LEVELS)}.")
    seed = seed_or_new(seed)
    return begin_on_truth(db, now, person, level, seed, practice_neck(seed, level), calls=calls)


def begin_on_truth(
    db: Connection, now: datetime, person: str, level: int, seed: int, truth: PracticeNeck, *, calls: bool = True
) -> int:
    """Lay a neck of a given truth on the bench; its id. Raises PracticeError."""
    person = person_named(person)
    spec = replace(
        STARTING["electric"],
        name="Practice neck by hand" if seed == BY_HAND else f"Practice neck {seed}",
        note=f"practice, level {level}: no instrument",
        bass_scale_um=round(1000 * truth.neck.scale_mm),
        treble_scale_um=round(1000 * truth.neck.scale_mm),
        frets=truth.neck.frets,
        fret_height_um=round(1000 * CROWN_MM),
        rod="dual",
    )
    with transaction(db):
        instrument_id = instruments.add(db, spec, stamp(now))
        job_id = jobs.open_job(db, instrument_id, JOB_KIND, stamp(now), None, "Practice")
        return practice_necks.start(db, instrument_id, job_id, level, seed, person, calls, as_json(truth), stamp(now))


def whole_job(db: Connection, neck_id: int, *, every_neck: bool = False) -> WholeJob:
    """A practice neck as it stands, with the neck after each step where that is asked for; raises KeyError where there
    is none.
    """
    kept = practice_necks.get(db, neck_id)
    steps = [
        Step(deed_from(one.deed), one.neck and neck_from(one.neck), one.act, one.at)
        for one in practice_necks.deeds(db, neck_id, every_neck=every_neck)
    ]
    truth, stored = neck_from(kept.truth), len(steps)
    job = jobs.get(db, kept.job_id)
    by_hand = {(step.act, step.at) for step in steps if step.act}
    for act in acts.of_instrument(db, kept.instrument_id):
        # what is recorded after it was handed in is of another day
        if (act.kind, act.at) not in by_hand and act.at <= (kept.handed_in_at or act.at):
            neck, deed = _as_recorded(db, job, steps[-1].neck if steps else truth, act, steps)
            steps.append(Step(deed, neck, act.kind, act.at))
    seconds = sum(step.deed.seconds for step in steps)
    seconds += sum(READING_SECONDS.get(kind, 5.0) * n for kind, n in practice_necks.read_counts(db, job.id).items())
    return WholeJob(kept, instruments.get(db, kept.instrument_id), job, truth, steps, stored, seconds)


def _as_recorded(
    db: Connection, job: jobs.Job, neck: PracticeNeck, act: Act, before: Sequence[Step]
) -> tuple[PracticeNeck, Deed]:
    """What the book says was done, done by a steady hand."""
    if act.kind == "rod":
        turn = next(one for one in rod_turns.of_instrument(db, job.instrument_id) if one.at == act.at)
        rod, feel = neck.rod.turned(turn.turns)
        return replace(neck, rod=rod.waited()), Deed("turn", sixteenths=round(16 * turn.turns), feel=feel)
    plan = next((one for one in jobs.plans(db, job.id) if one.done_at == act.at), None)
    if act.kind == "level":
        if plan is None or any(step.deed.what == "stroke" and step.at >= plan.accepted_at for step in before):
            return neck, Deed("plan")
        return cut_to_plan(neck, _lines_of(plan))
    frets = act.frets or tuple(range(1, neck.neck.frets + 1))
    if act.kind == "reseat":
        return do(neck, "tap", frets)
    if act.kind == "refret":
        return replaced(neck, frets), Deed("replace", frets)
    if act.kind == "spot":
        after, off = in_line(neck, frets, up=False)
        return after, Deed("spot", frets, off_mm=off)
    if plan is not None and plan.level.raise_um:
        raised = {fret: um / 1000 for fret, um in plan.level.raise_um.items()}
        return lifted(neck, raised), Deed("lift", tuple(raised), mm=max(raised.values()))
    return in_line(neck, frets, up=True)[0], Deed("lift", frets)


def _lines_of(plan: jobs.AcceptedPlan) -> dict[str, CutTo]:
    level = plan.level
    only = frozenset(level.touched()) if level.school == "marked" else None
    if only is None and level.left_out:
        only = frozenset(range(1, len(level.drops_um) + 1)) - set(level.left_out)
    return {
        lane: CutTo(
            level.heights_mm[lane],
            line["offset_um"] / 1000,
            line["slope_um_per_m"] / 1e6,
            level.drops_mm,
            only,
        )
        for lane, line in plan.outcome["lines"].items()
    }


def open_job(db: Connection, neck_id: int) -> WholeJob:
    """A practice neck that is not handed in; raises KeyError where there is none, PracticeError for another."""
    found = whole_job(db, neck_id)
    if found.kept.handed_in_at is not None:
        raise PracticeError(HANDED_IN)
    return found


def work(
    db: Connection,
    now: datetime,
    neck_id: int,
    what: What,
    frets: Sequence[int] = (),
    *,
    sixteenths: int = 0,
    lanes: Sequence[str] = (),
    firm: bool = False,
    mm: float = 0.0,
) -> WholeJob:
    """Do one thing by hand and record it in the book; the job with it. Raises KeyError, PracticeError."""
    with transaction(db):
        found = open_job(db, neck_id)
        if len(found.steps) >= MOST_DEEDS:
            raise PracticeError(f"{MOST_DEEDS} things were done: hand it in, or lay another neck on the bench.")
        with refused():
            neck, deed = do(found.neck, what, frets, sixteenths=sixteenths, lanes=lanes, firm=firm, mm=mm)
        for step in found.steps[found.stored :]:
            practice_necks.add_deed(db, neck_id, as_json(step.deed), as_json(step.neck), step.act, step.at)
        act = _into_the_book(db, now, found, deed)
        practice_necks.add_deed(db, neck_id, as_json(deed), as_json(neck), act, stamp(now))
    step = Step(deed, neck, act, stamp(now))
    steps = [*found.steps, step]
    return replace(found, steps=steps, stored=len(steps), seconds=found.seconds + deed.seconds)


def _into_the_book(db: Connection, now: datetime, found: WholeJob, deed: Deed) -> str:
    """Record what was done, and what was found home, as the usual screens would; the kind of act, empty for what is
    none.
    """
    at, job = stamp(now), found.job
    if deed.what == "turn" and deed.feel not in ("stops", "forced"):
        rod_turns.add(db, found.instrument.id, at, 4 * deed.sixteenths)
        return "rod"
    if deed.what == "tap" and deed.gives:
        acts.keep(db, job.id, "reseat", deed.frets, at)
        return "reseat"
    if deed.what == "press" and not deed.gives:
        base = base_survey(db, job)
        if base is not None:
            seating.keep(db, job.id, base.id, deed.frets, at)
        return ""
    if deed.what == "lift":
        acts.keep(db, job.id, "lift", deed.frets, at)
        return "lift"
    if deed.what == "stroke" and deed.off_mm > 0:
        return _spot(db, at, found, deed)
    return ""


def _spot(db: Connection, at: str, found: WholeJob, deed: Deed) -> str:
    """Strokes toward an accepted plan are recorded when it is marked done; others touch single frets, once for all
    strokes between two readings.
    """
    plan = jobs.last_plan(db, found.job.id)
    if plan is not None and not plan.done_at and plan.level.kind == "level":
        return ""
    last = next((act for act in reversed(acts.of_instrument(db, found.instrument.id)) if act.kind == "spot"), None)
    read_since = last is None or practice_necks.read_last(db, found.job.id) > last.at
    if last is not None and not read_since and set(deed.frets) <= set(last.frets):
        return ""
    acts.keep(db, found.job.id, "spot", deed.frets, at)
    return "spot"


# --- reading


def tool_answers(db: Connection, survey: surveys.Survey) -> practice_necks.Kept | None:
    """The practice neck that answers a survey's tool; None for a real one, another survey, or one that is handed in."""
    kept = practice_necks.of_instrument(db, survey.instrument_id)
    return kept if kept is not None and not kept.handed_in_at and survey.head.kind in READING_SECONDS else None


def tool_reads(db: Connection, survey: surveys.Survey, place: Place) -> int | None:
    """What the survey's tool reads at a place, as it is stored; None where it does not answer."""
    kept = tool_answers(db, survey)
    if kept is None or place not in cursor_order(db, survey):
        return None
    return answered(whole_job(db, kept.id).neck, survey.head, place)


def as_typed(survey: surveys.Survey, stored: int) -> str:
    """A reading of a survey's tool as it would be typed."""
    kind = SURVEY_KINDS[survey.head.kind]
    if kind.unit == "answer":
        return next(key for key, (value, _) in kind.answers.items() if value == stored)
    return f"{stored / 1000:g} mm"


def read_what_is_left(db: Connection, settings: ShopSettings, now: datetime, survey: surveys.Survey) -> int:
    """Take the tool's readings at all places that are not read yet; how many. Raises PracticeError."""
    kept = tool_answers(db, survey)
    if kept is None:
        raise PracticeError("Only a practice neck that is not handed in answers its tools, and no such survey.")
    read = surveys.readings(db, survey.id)
    left = [place for place in cursor_order(db, survey) if place not in read]
    _read_into(db, settings, now, survey, whole_job(db, kept.id).neck, left)
    return len(left)


def _read_into(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    survey: surveys.Survey,
    neck: PracticeNeck,
    places: Sequence[Place],
) -> None:
    """Take the tool's readings at some places, in place of what stands there."""
    read = surveys.readings(db, survey.id)
    with transaction(db):
        for place in places:
            typed = as_typed(survey, answered(neck, survey.head, place))
            stands = read[place].id if place in read else None
            accept_reading(db, settings, now, survey, place, typed, token=uuid4().hex, expects=stands, sure=typed)


def read_on_the_stage(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    neck_id: int,
    kind: str,
    frets: Sequence[int] = (),
    lanes: Sequence[str] = LANES,
) -> surveys.Survey:
    """Read with a tool on the stage: at some frets, or all; into the job's last survey of the kind that still holds,
    or one that is begun now. Raises KeyError, PracticeError.
    """
    found = open_job(db, neck_id)
    if kind not in READING_SECONDS:
        raise PracticeError(f"Choose one of: {', '.join(READING_SECONDS)}.")
    survey = _survey_that_holds(db, settings, now, found, kind)
    order = cursor_order(db, survey)
    places = [place for place in order if place[0] in lanes and (not frets or place[1] in frets)]
    if not places:
        raise PracticeError("That tool does not stand there: choose another fret or lane.")
    _read_into(db, settings, now, survey, found.neck, places)
    return survey


def _survey_that_holds(
    db: Connection, settings: ShopSettings, now: datetime, found: WholeJob, kind: str
) -> surveys.Survey:
    moves = MOVES_BOW if kind == "straightness" else MOVES_HEIGHTS
    of_kind = [one for one in surveys.of_job(db, found.job.id) if one.head.kind == kind and one.head.reach == 1]
    last = of_kind[-1] if of_kind else None
    if last is not None and surveys.read_from(db, last.id) and moved_since_read(db, last, moves) is None:
        return last
    head = usual_head(db, settings, now, found.job, found.instrument, kind).of(kind, 0)
    if kind == "straightness":
        head = replace(head, method="gap", surface=BOARD)
    if kind == "fret_heights":
        head = replace(head, resolution_um=10)
    if SURVEY_KINDS[kind].named_frets == "span":
        head = replace(head, at_frets=(1, found.neck.neck.frets))
    return surveys.get(db, start_survey(db, now, found.job, found.instrument, replace(head, reach=1)))


# --- the debrief


def believed_at(db: Connection, settings: ShopSettings, found: WholeJob, at: str) -> Likely | None:
    """The likely neck by what was read and done up to a moment; None before anything was read."""
    return likely(db, settings, found.job, found.instrument, until=at)


def keep_outcome(db: Connection, now: datetime, found: WholeJob, score: WholeScore, program: Sequence[str]) -> None:
    """Hand the job in with what it was worth and what the program did; closes it. Raises PracticeError, also where it
    was worked on since `found`.
    """
    with transaction(db):
        if len(whole_job(db, found.kept.id).steps) != len(found.steps):
            raise PracticeError("It was worked on meanwhile, in another window: look, and hand it in again.")
        for step in found.steps[found.stored :]:
            practice_necks.add_deed(db, found.kept.id, as_json(step.deed), as_json(step.neck), step.act, step.at)
        try:
            practice_necks.hand_in(db, found.kept.id, {"score": asdict(score), "program": list(program)}, stamp(now))
        except KeyError as error:
            raise PracticeError(HANDED_IN) from error
        if jobs.get(db, found.job.id).closed_at is None:
            jobs.close(db, found.job.id, stamp(now), "practice, handed in")
