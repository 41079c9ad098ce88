"""Surveys at the bench: which is due, how one starts, where its cursor goes, and taking a reading."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from deft_bench.bench.climate import near
from deft_bench.bench.level_planning import Choices, base_survey, make_plan
from deft_bench.bench.likely import TELLING
from deft_bench.bench.refret_progress import daylight_of
from deft_bench.bench.rocker_results import rocker_results
from deft_bench.bench.setup.readings import setup_stage
from deft_bench.bench.survey_results import facts_of, moved_since_read, survey_results
from deft_bench.core.acts import MOVES_HEIGHTS
from deft_bench.core.calls import frets_named
from deft_bench.core.doubts import all_finer, doubt_of
from deft_bench.core.frets.heights import LANES, deviations
from deft_bench.core.level_job import level_now
from deft_bench.core.refret import slot_needs
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey import UNDER_STRING, SurveyHead, blade_problem, cursor_places, heights_from, places
from deft_bench.core.survey_kinds import SURVEY_KINDS, Order, Place
from deft_bench.core.times import stamp
from deft_bench.core.units import LengthError
from deft_bench.store import boards, devices, instruments, jobs, refrets, surveys
from deft_bench.store.database import Connection, transaction

USUAL_INTONATION_FRETS = (1, 3, 5, 7, 12)
USUAL_STROKES = 3


WITHDRAWN = "This survey is withdrawn: put it back first."


class ReadingRefusedError(ValueError):
    """A reading that cannot be taken; the message says why and what is accepted."""


class ReadingQuestionedError(ReadingRefusedError):
    """A reading that can hardly be; it is taken when it is entered again. The message says why."""


@dataclass(frozen=True, slots=True)
class UsualHead:
    """What a new survey's heading starts with: as the last of its kind was read, in the bench's present climate."""

    when: str
    method: str
    surface: str
    tool: str
    resolution: int
    string_state: str
    at_frets: tuple[int, ...]
    order: Order
    temperature_c: float | None
    humidity: float | None
    strokes: int
    blades_um: tuple[int, ...]
    reach: int

    def of(self, kind: str, strings: int) -> SurveyHead:
        """The heading as it is of a survey of the strings."""
        return SurveyHead(
            kind,
            self.when,
            self.method,
            self.surface,
            self.tool,
            self.resolution,
            self.string_state,
            self.temperature_c,
            self.humidity,
            self.order,
            "",
            strings,
            self.at_frets if SURVEY_KINDS[kind].named_frets in ("must", "span") else (),
            self.strokes if SURVEY_KINDS[kind].asks_strokes else 0,
            self.blades_um if SURVEY_KINDS[kind].asks_blades else (),
            self.reach if SURVEY_KINDS[kind].asks_reach else 1,
        )


def usual_head(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    job: jobs.Job | None,
    instrument: instruments.Instrument,
    kind: str,
) -> UsualHead:
    """The heading to begin with."""
    of = SURVEY_KINDS[kind]
    # one gap at the rod is no survey to go on from
    read = [one.head for one in surveys.of_instrument(db, instrument.id, kind, 12)]
    head = next((one for one in read if one.method not in UNDER_STRING), None)
    shops = head or surveys.last_head(db, kind) if of.per_string else head
    climate, gauge = near(db, now), gauge_of(db, kind)
    tool, resolution = (shops.tool, shops.resolution_um) if shops else (of.tool, of.resolution_um)
    if gauge is not None:
        tool, resolution = gauge.setup.name, gauge.setup.resolution_um
    return UsualHead(
        due_when(db, job, kind) if job else "before",
        head.method if head else of.methods[0],
        head.surface if head else of.surfaces[0],
        tool,
        resolution,
        head.string_state if head else "tuned" if job and job.kind == "setup" else "off",
        head.at_frets if head else USUAL_INTONATION_FRETS if of.named_frets == "must" else (),
        settings.reading_order,
        climate[0] if climate else None,
        climate[1] if climate else None,
        *((head.strokes, head.blades_um, head.reach) if head else (USUAL_STROKES, settings.feelers_um, 1)),
    )


def gauge_of(db: Connection, kind: str) -> devices.StoredDevice | None:
    """The gauge that enters its readings in surveys of a kind: of lengths that no blades are tried for."""
    of = SURVEY_KINDS[kind]
    return devices.used_for(db, "readings") if of.unit == "length" and not of.asks_blades else None


def due_when(db: Connection, job: jobs.Job, kind: str) -> str:
    """Whether a survey started now is before the work, between, or after it."""
    if job.kind == "setup":
        return setup_stage(db, job, kind)
    if job.kind == "refret" and kind != "fret_heights":
        return "after" if refrets.fitted(db, job.id) else "before"
    plan = jobs.last_plan(db, job.id)
    if plan is not None and plan.done_at:
        return "after" if plan.level.kind == "level" else "between"
    return "between" if surveys.of_job(db, job.id) else "before"


def survey_to_go_on_with(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> int | None:
    """The survey of the frets that a job goes on with; None when a new one is due."""
    facts = facts_of(db, settings, job, instrument)
    code, _ = level_now(facts)
    heights = [survey for survey in surveys.of_job(db, job.id) if survey.head.kind in TELLING]
    if not heights or facts.stale:
        return None
    plan = jobs.last_plan(db, job.id)
    carried_out = plan is not None and plan.done_at is not None and heights[-1].id <= plan.survey_id
    return None if carried_out and code in ("survey", "after") else heights[-1].id


def readable_alone(db: Connection, job: jobs.Job | None) -> tuple[surveys.Survey, str] | None:
    """The job's last complete height survey, from which unread frets may stand, and the frets lifted since as a
    suggestion.

    None when there is none, or when metal has come off or the neck was bent since: then every fret is read again.
    """
    if job is None:
        return None
    heights = [survey for survey in surveys.of_job(db, job.id) if survey.head.kind == "fret_heights"]
    if not heights or surveys.counts(db, [heights[-1].id])[heights[-1].id] < 3 * heights[-1].frets:
        return None
    last = heights[-1]
    if moved_since_read(db, last, MOVES_HEIGHTS - {"reseat", "lift"}) is not None:
        return None
    plan = jobs.last_plan(db, job.id)
    if plan is not None and plan.done_at is not None and last.id <= plan.survey_id:
        lifted = ", ".join(map(str, plan.level.frets))
        return (last, lifted) if plan.level.kind == "lift" else None
    loose = sorted(daylight_of(db, job)[0]) if moved_since_read(db, last, frozenset({"reseat"})) else []
    return last, ", ".join(map(str, loose))


def start_survey(
    db: Connection,
    now: datetime,
    job: jobs.Job,
    instrument: instruments.Instrument,
    head: SurveyHead,
    only: tuple[int, ...] = (),
) -> int:
    """Start a survey and return its id. With `only`, the other frets stand as they were read before.

    Raises ReadingRefusedError when the others were read another way.
    """
    before = readable_alone(db, job) if only and SURVEY_KINDS[head.kind].named_frets == "may" else None
    if before is not None and before[0].head.method != head.method:
        raise ReadingRefusedError("Read them the same way as the others, or empty this box and read all.")
    named, gauge = only if before is not None else head.at_frets, gauge_of(db, head.kind)
    spread = gauge.spread_um if gauge is not None and gauge.setup.name == head.tool else None
    begun = replace(head, at_frets=named, spread_um=spread)
    with transaction(db):
        made = surveys.start(db, instrument.id, job.id, instrument.spec.frets, begun, stamp(now))
        if before is not None:
            rows = [
                (place, um, "as before")
                for place, um in surveys.values(db, before[0].id).items()
                if um is not None and place[1] not in only
            ]
            surveys.add_many(db, made, rows, stamp(now))
    return made


def start_check(db: Connection, now: datetime, instrument: instruments.Instrument, head: SurveyHead) -> int:
    """Start a straightness check outside any job, kept as an inspection of its own; returns the survey's id."""
    with transaction(db):
        job_id = jobs.open_job(db, instrument.id, "inspection", stamp(now), None, "Straightness check")
        survey_id = surveys.start(db, instrument.id, job_id, instrument.spec.frets, head, stamp(now))
        jobs.close(db, job_id, stamp(now))
    return survey_id


READ_BY = {"rocker": "rocker", "heights": "fret_heights", "daylight": "light"}
"""The survey that takes the reading that would help."""


def place_that_helps(
    db: Connection, settings: ShopSettings, now: datetime, job: jobs.Job, instrument: instruments.Instrument
) -> tuple[int, Place] | None:
    """The survey and place of the reading that would help most, in the last of its kind while it still holds, or in
    one that is started now as the last was read; None where no reading would help.
    """
    base = base_survey(db, job)
    if base is None:
        return None
    try:
        # as the Level screen judges it
        read = survey_results(db, settings, base, instrument)
        found = make_plan(db, settings, job, instrument, read, Choices()).likely
    except ValueError:
        return None
    helps = found.judged.next if found is not None else None
    if helps is None:
        return None
    kind = READ_BY[helps.kind]
    place = LANES[helps.lane], helps.frets[1] if helps.kind == "rocker" else helps.frets[0]
    # the reading that would help is of neighbours
    of_kind = [one for one in surveys.of_job(db, job.id) if one.head.kind == kind and one.head.reach == 1]
    last = of_kind[-1] if of_kind else None
    holds = last is not None and moved_since_read(db, last, MOVES_HEIGHTS) is None
    if last is not None and holds and place in cursor_order(db, last):
        return last.id, place
    head = replace(usual_head(db, settings, now, job, instrument, kind).of(kind, 0), reach=1)
    return start_survey(db, now, job, instrument, head), place


def cursor_order(db: Connection, survey: surveys.Survey) -> list[Place]:
    """The places of a survey in the cursor's order; where a partial refret is read, only the frets that it replaces."""
    order = cursor_places(survey.head, survey.frets)
    if SURVEY_KINDS[survey.head.kind].refret_only and survey.job_id:
        plan = refrets.PLANS.last(db, survey.job_id)
        if plan is not None:
            return [place for place in order if place[1] in plan.frets] or order
    return order


def accept_reading(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    survey: surveys.Survey,
    place: Place,
    typed: str | None,
    *,
    token: str,
    expects: int | None,
    sure: str = "",
) -> surveys.Reading:
    """Take one reading as it was typed, saved before this returns; None withdraws what stands there. `sure` is the
    text that was questioned and entered again: it is taken as it is.

    Raises ReadingRefusedError for a place that the survey does not read or a reading that cannot be meant,
    ReadingQuestionedError for one that can hardly be, and surveys.ReadingConflictError when another window has read
    the place since.
    """
    if survey.withdrawn_at is not None:
        raise ReadingRefusedError(WITHDRAWN)
    order = cursor_order(db, survey)
    if place not in order or not token:
        raise ReadingRefusedError(_not_here(survey, place, order))
    value = None
    if typed is not None:
        kind = SURVEY_KINDS[survey.head.kind]
        try:
            value = kind.read(typed, settings.system, hundredths=settings.hundredths == "yes")
        except LengthError as error:
            raise ReadingRefusedError(str(error)) from None
        problem = kind.problem(value, place[1]) or blade_problem(survey.head, value, settings.display)
        if problem:
            raise ReadingRefusedError(problem)
        if sure != typed:
            _question(db, settings, survey, place, value)
    return surveys.accept(
        db, survey.id, place, value, typed or "", stamp(now), token=f"{survey.id}:{token}", expects=expects
    )


def _question(db: Connection, settings: ShopSettings, survey: surveys.Survey, place: Place, value_um: int) -> None:
    """Raise ReadingQuestionedError for a reading that can hardly be. A tool that was stated too coarse is asked about
    once a survey.
    """
    values = surveys.values(db, survey.id)
    usual = usual_on(db, survey)
    doubt = doubt_of(survey.head, place, value_um, values, settings.display.fine_mm, usual)
    if doubt is not None and not all_finer(survey.head, values):
        raise ReadingQuestionedError(f"{doubt.why[0].upper()}{doubt.why[1:]}.")


def usual_on(db: Connection, survey: surveys.Survey) -> tuple[int, int] | None:
    """What is usual on this instrument, µm, where that is narrower than for its kind: no crown stands higher than its
    wire did when new.
    """
    usual = SURVEY_KINDS[survey.head.kind].usual_um
    if survey.head.kind != "crown_height" or usual is None:
        return None
    new_um = instruments.get(db, survey.instrument_id).spec.fret_height_um
    return usual[0], min(usual[1], new_um + survey.head.resolution_um)


def _not_here(survey: surveys.Survey, place: Place, order: Sequence[Place]) -> str:
    if place in places(survey.head, survey.frets):
        named = sorted({fret for _, fret in order})
        return (
            f"This survey reads only {frets_named(named)}: the others stand as they were. Start another to read them."
        )
    return "That place is not on this neck."


def off_mm(
    db: Connection,
    settings: ShopSettings,
    survey: surveys.Survey,
    instrument: instruments.Instrument,
    values: dict[Place, int | None],
) -> dict[str, list[float | None]]:
    """By lane, what is drawn at each place, mm: off the lane's fair line, as it was read, too shallow by, or what
    explains the tests.

    Lanes of strings begin with the open string; the others with fret 1.
    """
    kind = SURVEY_KINDS[survey.head.kind]
    if kind.drawn == "explained":
        found = rocker_results(db, settings, survey, instrument, values, settings.rock_mm)
        return found.off_mm(survey.frets, values)
    if kind.drawn == "off_line":
        positions = instrument.spec.positions_mm(survey.frets)
        lanes = heights_from(values, survey.head.method, survey.frets)
        return {lane: deviations(positions, heights) for lane, heights in lanes.items()}
    needs = _slot_needs(db, survey, instrument) if kind.drawn == "too_shallow" else None

    def drawn(um: int | None) -> float | None:
        return None if um is None else um / 1000 if needs is None else needs - um / 1000

    frets = range(0 if kind.per_string else 1, survey.frets + 1)
    return {lane: [drawn(values.get((lane, fret))) for fret in frets] for lane in kind.lanes_of(survey.head.strings)}


def _slot_needs(db: Connection, survey: surveys.Survey, instrument: instruments.Instrument) -> float:
    """The least depth of a slot, mm: for the tang of the job's refret, else for the instrument's own."""
    plan = refrets.PLANS.last(db, survey.job_id) if survey.job_id else None
    if plan is not None:
        return slot_needs(plan.tang_depth_um, plan.gap_um)
    gap = boards.plan_of(db, instrument.id, instrument.spec).under_tang_gap_um
    return slot_needs(instrument.spec.tang_depth_um, gap)
