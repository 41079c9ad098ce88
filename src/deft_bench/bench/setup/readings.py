"""What has been read of an instrument's setup, and how far its setup job has come."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from deft_bench.bench.rod import answers, recorded_turns
from deft_bench.bench.survey_results import moved_since_read, survey_results
from deft_bench.core.acts import MOVES_BOW, MOVES_HEIGHTS, MOVES_TOPS, Act
from deft_bench.core.calls import Call
from deft_bench.core.frets.heights import Heights
from deft_bench.core.limits import GATE_CENTS, RELIEF_GATE_MM
from deft_bench.core.neck.truss_rod import response
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.assembled import Assembled, Trial, assemble, errors_of
from deft_bench.core.strings.intonation import CentsReading, reachable_cents
from deft_bench.core.strings.reachable import Reach, action_within, cents_within, on_one_saddle, relief_within
from deft_bench.core.strings.setup_job import SetupFacts, SetupReadings, SetupTarget
from deft_bench.core.strings.setup_plan import SetupPlan, scales
from deft_bench.core.survey import heights_from
from deft_bench.core.survey_kinds import PER_CENT, Place
from deft_bench.store import acts, instruments, jobs, setups, surveys
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept

SETUP_KINDS = ("strings", "intonation", "buzz")
"""Kinds of survey that read the strings; the relief is read by straightness."""


@dataclass(frozen=True, slots=True)
class SetupSurveys:
    """The figures of a setup and the surveys that they are from, by kind; `moved` says what was done to the neck since
    action and gaps were read (empty: they hold).
    """

    found: SetupReadings
    of: Mapping[str, surveys.Survey]
    moved: str = ""


def setup_stage(db: Connection, job: jobs.Job, kind: str) -> str:
    """Before anything is accepted it is intake; after that the readings between, and what follows a played-clean
    neck is after.
    """
    if setups.last_accepted(db, job.id) is None:
        return "before"
    return "after" if kind in ("buzz", "intonation") else "between"


def readings_of(
    db: Connection,
    settings: ShopSettings,
    instrument: instruments.Instrument,
    found: Sequence[surveys.Survey],
    done: Sequence[Act] | None = None,
) -> SetupSurveys:
    """Figures from surveys given newest first: of each kind the newest that holds readings counts; what it did not read
    of action and gaps stands as the job read it before, unless the neck was moved since.

    With `done`, the acts on record, a relief that was read before the neck was moved is left out: nobody knows it now;
    action and gaps are kept, as old.
    """
    of: dict[str, surveys.Survey] = {}
    values: dict[str, dict[Place, int | None]] = {}
    relief = None
    for survey in found:
        kind = survey.head.kind
        if kind == "straightness" and kind not in of:
            relief = _relief(db, settings, survey, instrument, done)
            if relief is not None:
                of[kind] = survey
        elif kind in SETUP_KINDS and survey.head.strings == instrument.spec.strings:
            newest = of.get(kind)
            if newest is None and (read := surveys.values(db, survey.id)):
                of[kind], values[kind] = survey, read
            elif newest is not None and _stands_beside(db, survey, newest, done):
                values[kind] = surveys.values(db, survey.id) | values[kind]
    figures = _figures(relief, *(values.get(kind, {}) for kind in SETUP_KINDS))
    return SetupSurveys(figures, of, _moved_since_strings(db, of.get("strings"), done))


def _stands_beside(db: Connection, survey: surveys.Survey, newest: surveys.Survey, done: Sequence[Act] | None) -> bool:
    """Whether action and gaps that an earlier survey of the same job read still hold where the newest has none."""
    if survey.head.kind != "strings" or survey.job_id != newest.job_id:
        return False
    return done is None or moved_since_read(db, survey, MOVES_HEIGHTS, done) is None


def _figures(
    relief: float | None,
    strings: Mapping[Place, int | None],
    cents: Mapping[Place, int | None],
    played: Mapping[Place, int | None],
) -> SetupReadings:
    sharp: dict[int, dict[int, float]] = {}
    for (lane, fret), value in sorted(cents.items()):
        sharp.setdefault(int(lane), {})[fret] = (value or 0) / PER_CENT
    return SetupReadings(
        relief,
        {int(lane): (um or 0) / 1000 for (lane, fret), um in strings.items() if fret != 1},
        {int(lane): (um or 0) / 1000 for (lane, fret), um in strings.items() if fret == 1},
        sharp,
        sum(bool(value) for value in played.values()) if played else None,
        len(played),
    )


def _moved_since_strings(db: Connection, strings: surveys.Survey | None, done: Sequence[Act] | None) -> str:
    """What was done to the neck since action and gaps were read, in words; empty where they hold."""
    moved = moved_since_read(db, strings, MOVES_HEIGHTS, done) if done and strings is not None else None
    return "" if moved is None else moved.said


def as_read_before(call: Call, moved: str) -> Call:
    """A call on action or gaps that were read before the neck was moved: unsure until they are read again."""
    if not moved:
        return call
    again = "action and first-fret gaps, read again at pitch"
    because = (f"Since action and gaps were read {moved}.", *call.because)
    return replace(call, because=because, sure="unsure", settle=again)


def _relief(
    db: Connection,
    settings: ShopSettings,
    survey: surveys.Survey,
    instrument: instruments.Instrument,
    done: Sequence[Act] | None,
) -> float | None:
    """Relief by a straightness survey, mm; None when its strings were not at pitch, too little was read, or the neck
    was moved since.
    """
    if survey.head.string_state != "tuned":
        return None
    straight = survey_results(db, settings, survey, instrument).figures.straight
    if straight is None or (done and moved_since_read(db, survey, MOVES_BOW, done) is not None):
        return None
    return straight.relief_mm


def latest_read(db: Connection, settings: ShopSettings, instrument: instruments.Instrument) -> SetupSurveys:
    """What was last read of an instrument, in whatever job."""
    newest = [
        survey
        for kind in ("straightness", *SETUP_KINDS)
        for survey in surveys.of_instrument(db, instrument.id, kind, 6)
    ]
    return readings_of(db, settings, instrument, newest, acts.of_instrument(db, instrument.id))


@kept
def last_setup(db: Connection, settings: ShopSettings, instrument: instruments.Instrument) -> SetupReadings:
    """Action, gaps and cents as last read, for a list: no relief, no notes."""
    newest = [
        survey for kind in ("strings", "intonation") for survey in surveys.of_instrument(db, instrument.id, kind, 2)
    ]
    return readings_of(db, settings, instrument, newest).found


@kept
def setup_facts(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> SetupFacts:
    """What has been recorded of a setup job, for its steps."""
    found = list(reversed(surveys.of_job(db, job.id)))
    before = readings_of(db, settings, instrument, [survey for survey in found if survey.head.when == "before"])
    done = acts.of_instrument(db, instrument.id)
    latest = readings_of(db, settings, instrument, found, done)
    accepted = setups.last_accepted(db, job.id)
    since = accepted.accepted_at if accepted else ""

    def fresh(kind: str) -> bool:
        return bool(since) and kind in latest.of and latest.of[kind].taken_at >= since

    return SetupFacts(
        strings=instrument.spec.strings,
        before=before.found,
        latest=latest.found if played_as_it_is(db, latest, since, done) else not_played(latest.found),
        target=accepted.target if accepted else None,
        relief_since=fresh("straightness"),
        strings_since=fresh("strings") and not latest.moved,
        cents_within=GATE_CENTS[instrument.spec.bridge],
        closed=job.closed_at is not None,
        reach=setup_reach(db, settings, instrument, latest, accepted.target if accepted else None),
        signed=jobs.signed_off(db, job.id, since),
    )


def played_as_it_is(db: Connection, latest: SetupSurveys, since: str, done: Sequence[Act]) -> bool:
    """Whether the notes were played on the setup that is wanted, and on the neck as it is."""
    survey = latest.of.get("buzz")
    return survey is None or (survey.taken_at >= since and moved_since_read(db, survey, MOVES_HEIGHTS, done) is None)


def not_played(found: SetupReadings) -> SetupReadings:
    """The readings without the notes: they were heard on another setup."""
    return replace(found, buzzes=None, played=0)


def setup_reach(
    db: Connection,
    settings: ShopSettings,
    instrument: instruments.Instrument,
    read: SetupSurveys,
    target: SetupTarget | None,
) -> Reach:
    """How near the gates of a setup can ask for: by the rod as it has answered, the bridge and the tools that read."""
    spec, found = instrument.spec, read.found
    tool = {kind: survey.head.resolution_um / 1000 for kind, survey in read.of.items()}
    off: list[float] = []
    per_turn = 0.0
    if target is not None:
        if found.action_mm.keys() >= target.action_mm.keys():
            off = [found.action_mm[number] - mm for number, mm in sorted(target.action_mm.items())]
        if found.relief_mm is not None and abs(found.relief_mm - target.relief_mm) > RELIEF_GATE_MM:
            # only here does the rod's own step matter, and its turns are many readings
            per_turn, _ = response(answers(recorded_turns(db, settings, instrument)))
    gate = GATE_CENTS[spec.bridge]
    length, cents = scales(spec), dict[int, float]()
    for group in on_one_saddle(spec.bridge, spec.strings):
        if heard := [number for number in group if found.cents.get(number)]:
            best = reachable_cents([length[n - 1] for n in heard], [cents_of(found, n) for n in heard])
            cents |= {number: cents_within(gate, worst) for number, worst in zip(heard, best, strict=True)}
    thread = setups.plan_of(db, instrument.id, spec).height_thread_um / 1000
    return Reach(
        relief_within(spec.rod, per_turn, tool.get("straightness", 0.0)),
        action_within(spec.bridge, off, tool.get("strings", 0.0), thread),
        {number: within for number, within in cents.items() if within > gate},
    )


def cents_of(found: SetupReadings, number: int) -> list[CentsReading]:
    """The intonation readings of one string, by fret."""
    return [CentsReading(fret, cents) for fret, cents in found.cents.get(number, {}).items()]


def fret_errors(db: Connection, instrument: instruments.Instrument) -> dict[str, list[float]]:
    """How the frets stand off their lanes' lines, mm, by the latest height survey that is complete enough."""
    done = acts.of_instrument(db, instrument.id)
    for survey in surveys.of_instrument(db, instrument.id, "fret_heights", 4):
        if survey.frets != instrument.spec.frets or moved_since_read(db, survey, MOVES_TOPS, done) is not None:
            continue
        heights: dict[str, Heights] = heights_from(surveys.values(db, survey.id), survey.head.method, survey.frets)
        errors = errors_of(heights, instrument.spec.mean_scale_mm, survey.frets)
        if errors:
            return errors
    return {}


def assembled(
    db: Connection, instrument: instruments.Instrument, plan: SetupPlan, read: SetupSurveys, trial: Trial | None = None
) -> Assembled:
    """Neck and strings as last read, or as tried."""
    return assemble(plan, instrument.spec, read.found, fret_errors(db, instrument), trial)
