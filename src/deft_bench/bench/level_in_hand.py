"""What the Level screen is about: a plan that was accepted and waits, or the plan that the latest heights ask for."""

from collections.abc import Mapping
from dataclasses import dataclass

from deft_bench.bench.level_acceptance import carried_out
from deft_bench.bench.level_planning import Planning, base_survey, make_plan, read_choices
from deft_bench.bench.likely import telling_surveys
from deft_bench.bench.survey_results import planned_drops, survey_results
from deft_bench.core.frets.fall_away_tape import TapeFall, fall_by_first_fret
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.level_gate import LevelGate
from deft_bench.core.frets.plan_record import whole_um
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey import heights_from
from deft_bench.core.survey_kinds import Place
from deft_bench.store import instruments, jobs, surveys
from deft_bench.store.database import Connection

MOST_TAPE_MM = 2.0
MOST_FALL_MM = 1.0
"""The most tape that a beam still rides on, and the most fall-away that is planned at the last fret."""


class SurveyFirstError(ValueError):
    """There is nothing to plan from; the words say what to read. `survey_id` is the survey to go on with, None for
    the one that is due.
    """

    def __init__(self, why: str, survey_id: int | None = None) -> None:
        self.survey_id = survey_id
        super().__init__(why)


@dataclass(frozen=True, slots=True)
class LevelInHand:
    """The plan shown; the plan that was accepted and is not carried out yet, if that is what is shown; and how the
    survey after the last level judges it, where there is one.
    """

    planning: Planning
    accepted: jobs.AcceptedPlan | None = None
    gate: LevelGate | None = None


def level_in_hand(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    asked: Mapping[str, str],
) -> LevelInHand:
    """What to show; `asked` are the choices as an address holds them. Raises SurveyFirstError."""
    read, base_of = telling_surveys(db, job), base_survey(db, job)
    if base_of is None:
        raise SurveyFirstError("Survey the frets first: by rocker, ink, blades or numbers. The call is made from them.")
    accepted = jobs.last_plan(db, job.id)
    if accepted is not None and accepted.done_at is None and "change" not in asked:
        return LevelInHand(_as_accepted(db, settings, job, instrument, accepted), accepted)
    gate = carried_out(db, settings, job, instrument)
    if accepted is not None and accepted.done_at and read[-1].id <= accepted.survey_id:
        if gate is not None and gate[1].passes:
            # nothing rocks: what was planned is shown as it was accepted
            return LevelInHand(_as_accepted(db, settings, job, instrument, accepted), gate=gate[1])
        raise SurveyFirstError("That plan is carried out: survey again before the next call.")
    choices = read_choices(settings, asked, base_of.frets)
    if gate is not None:
        # what is left is planned toward the shape that was asked for, with the frets that were left as they are
        before = {**_fall_asked(gate[0]), "left_out": ",".join(map(str, gate[0].level.left_out))}
        choices = read_choices(settings, {**before, **asked}, base_of.frets)
    carried = planned_drops(gate[0]) if gate else None
    base = survey_results(db, settings, base_of, instrument, carried)
    try:
        planning = make_plan(db, settings, job, instrument, base, choices, carried)
    except ValueError as error:
        raise SurveyFirstError(f"Too little is read for a call: {error}.", base_of.id) from error
    return LevelInHand(planning, gate=gate[1] if gate else None)


def _fall_asked(plan: jobs.AcceptedPlan) -> dict[str, str]:
    fall = plan.level.fall_away
    return {"fall_from": str(fall.from_fret), "fall_drop": f"{fall.drop_um / 1000} mm"} if fall else {}


def _as_accepted(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    accepted: jobs.AcceptedPlan,
) -> Planning:
    """The plan as it was accepted, whatever has become of the readings since."""
    level = accepted.level
    base = surveys.get(db, accepted.survey_id)
    asked = {
        "lift": ",".join(map(str, level.lift)) or "none",
        "left_out": ",".join(map(str, level.left_out)),
        "objective": level.objective,
        "school": level.school,
        **_fall_asked(accepted),
    }
    return make_plan(
        db,
        settings,
        job,
        instrument,
        survey_results(db, settings, base, instrument),
        read_choices(settings, asked, base.frets),
        planned_from=level,
    )


def latest_planning(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    asked: Mapping[str, str],
) -> Planning:
    """The plan by the latest heights, whatever was accepted. Raises SurveyFirstError."""
    base_of = base_survey(db, job)
    if base_of is None:
        raise SurveyFirstError("no frets surveyed in this job")
    choices = read_choices(settings, asked, base_of.frets)
    base = survey_results(db, settings, base_of, instrument)
    try:
        return make_plan(db, settings, job, instrument, base, choices)
    except ValueError as error:
        raise SurveyFirstError(f"too little is read for a plan: {error}", base_of.id) from error


def corrected_since(db: Connection, accepted: jobs.AcceptedPlan) -> list[Place]:
    """The places whose readings are others than those that a plan was made from, in the order of lanes and frets."""
    survey = surveys.get(db, accepted.survey_id)
    if survey.head.kind != "fret_heights":
        return []
    now = heights_from(surveys.values(db, survey.id), survey.head.method, survey.frets)
    unread = [None] * survey.frets
    return [
        (lane, fret)
        for lane in LANES
        for fret, (read, planned) in enumerate(
            zip(whole_um(now.get(lane, unread)), accepted.level.heights_um.get(lane, unread), strict=True), 1
        )
        if read != planned
    ]


def marks_of(planning: Planning) -> dict[int, set[str]]:
    """By fret: `left-out`, `lift`, `short` for one that the plan leaves without metal."""
    marks: dict[int, set[str]] = {fret: {"left-out"} for fret in {*planning.choices.left_out, *planning.chosen.leave}}
    for fret in planning.chosen.lift:
        marks.setdefault(fret, set()).add("lift")
    for fret in planning.plan.below_least(planning.chosen):
        marks.setdefault(fret, set()).add("short")
    return marks


def fall_by_tape(
    settings: ShopSettings, instrument: instruments.Instrument, tape_fret: int, height_mm: float, first_cut: int
) -> TapeFall:
    """The fall-away that tape of a height over one fret makes, cut from another fret on. Raises ValueError with what
    cannot be.
    """
    if not 0 < height_mm <= MOST_TAPE_MM:
        raise ValueError(f"the tape must be more than nothing and at most {MOST_TAPE_MM:g} mm in all")
    positions = instrument.spec.positions_mm()
    fall = fall_by_first_fret(positions, tape_fret, height_mm, first_cut)
    if fall.last_drop_mm > MOST_FALL_MM:
        length = settings.display.fine_mm
        raise ValueError(
            f"that would drop the last fret by {length(fall.last_drop_mm)}; at most {length(MOST_FALL_MM)} is planned"
        )
    return fall
