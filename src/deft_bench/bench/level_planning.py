"""What the Level screen works from: the survey, the choices in the address, the plan and the gates before it."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from deft_bench.bench.likely import Likely, likely, telling_surveys
from deft_bench.bench.metal import metal_now
from deft_bench.bench.refret_progress import daylight_of, seated_with
from deft_bench.bench.rod import advice_for, recorded_turns
from deft_bench.bench.survey_results import SurveyResults, moved_since_read, survey_results
from deft_bench.core.acts import MOVES_BOW, MOVES_HEIGHTS, MOVES_TOPS, Act, moved_call
from deft_bench.core.board.arch import humps
from deft_bench.core.board.plan import layout_of
from deft_bench.core.calls import Call, Length
from deft_bench.core.doubts import Doubt, doubted_call, doubts
from deft_bench.core.evidence.actions import Action
from deft_bench.core.frets.heights import LANES, Fall, Heights
from deft_bench.core.frets.knock_on import KnockOn, knock_on
from deft_bench.core.frets.level_call import (
    ENOUGH_OF_LANE,
    Budget,
    chosen_call,
    less_by_marks,
    marked_call,
    metal_budget,
    option_to_call,
)
from deft_bench.core.frets.levelling import (
    LevelOption,
    LevelPlan,
    LevelRequest,
    marked_option,
    most_removed,
    option_of,
    plan_level,
)
from deft_bench.core.frets.likely_call import LOCAL, likely_call, look_under
from deft_bench.core.frets.metal import MetalNow
from deft_bench.core.frets.plan_record import AcceptedLevel, Circumstances, PlanKind, record_inputs, record_outcome
from deft_bench.core.neck.rod_call import next_turn_words
from deft_bench.core.neck.straight_gate import StraightGate
from deft_bench.core.neck.straightness import Straightness, straightness_call
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.survey import heights_from
from deft_bench.core.survey_figures import bow_of_tops
from deft_bench.core.units import LengthError, parse_length
from deft_bench.store import acts, boards, instruments, jobs, seating, surveys
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept


@dataclass(frozen=True, slots=True)
class Choices:
    """What the person at the bench has set on this page; lengths micrometres, `lift` None = the best option,
    `leave` the last frets that are left low with it.

    `change` asks for a new plan although one is accepted and waiting.
    """

    lift: tuple[int, ...] | None = None
    leave: tuple[int, ...] = ()
    left_out: frozenset[int] = frozenset()
    objective: str = "least_metal"
    fall_from: int | None = None
    fall_drop_um: int = 0
    change: bool = False
    school: str = "full"
    errors: Mapping[str, str] = field(default_factory=dict)

    def query(self, **changed: Any) -> dict[str, str]:
        """The choices as an address holds them, with some changed; defaults are left out."""
        found = replace(self, **changed)
        asked = {
            "lift": None if found.lift is None else ",".join(map(str, found.lift)) or "none",
            "leave": ",".join(map(str, found.leave)) or None,
            "left_out": ",".join(map(str, sorted(found.left_out))) or None,
            "objective": found.objective if found.objective != "least_metal" else None,
            "fall_from": str(found.fall_from) if found.fall_from else None,
            # with its unit: an address must mean the same after the unit switch
            "fall_drop": f"{found.fall_drop_um / 1000:g} mm" if found.fall_drop_um else None,
            "change": "1" if found.change else None,
            "school": "marked" if found.school == "marked" else None,
        }
        return {name: value for name, value in asked.items() if value is not None}

    def toggled(self, fret: int) -> dict[str, str]:
        """The address with one fret left out, or taken back."""
        return self.query(left_out=self.left_out ^ {fret}, lift=None, leave=())


def read_choices(settings: ShopSettings, asked: Mapping[str, str], frets: int) -> Choices:
    """Choices from an address or a form; what cannot be meant is named in `errors` and left at its default."""
    errors: dict[str, str] = {}

    def numbers(name: str) -> tuple[int, ...]:
        words = [word.strip() for word in asked.get(name, "").split(",") if word.strip() and word.strip() != "none"]
        good = tuple(
            sorted({int(word) for word in words if word.isascii() and word.isdigit() and 1 <= int(word) <= frets})
        )
        if len(good) != len(set(words)):
            errors[name] = f"Frets are whole numbers from 1 to {frets}."
        return good

    fall_from, drop = None, 0
    typed = asked.get("fall_drop", "").strip()
    if typed:
        try:
            drop = parse_length(typed, settings.display.system)
            if not 0 <= drop <= 1000:
                errors["fall_drop"] = f"Accepted: 0 to {settings.display.fine(1000)} at the last fret."
                drop = 0
        except LengthError as error:
            errors["fall_drop"] = str(error)
    start = asked.get("fall_from", "").strip()
    if start:
        if start.isascii() and start.isdigit() and 1 <= int(start) < frets:
            fall_from = int(start)
        else:
            errors["fall_from"] = f"It starts at a fret from 1 to {frets - 1}."
    if drop and fall_from is None and "fall_from" not in errors:
        errors["fall_from"] = "From which fret?"
    return Choices(
        lift=numbers("lift") if asked.get("lift") else None,
        leave=numbers("leave"),
        left_out=frozenset(numbers("left_out")),
        objective="least_worst" if asked.get("objective") == "least_worst" else "least_metal",
        fall_from=fall_from,
        fall_drop_um=drop if fall_from else 0,
        change="change" in asked,
        school="marked" if asked.get("school") == "marked" else "full",
        errors=errors,
    )


@dataclass(frozen=True, slots=True)
class Planning:
    """Everything that the Level screen shows of a plan in the making; `metal` is what the frets held before it, `home`
    are frets checked and found home, `suspects` those that the call asks to check (`look` says how), `doubts` readings
    that can hardly be, `marked` the marked frets only where that takes less.
    """

    base: SurveyResults
    choices: Choices
    straight: StraightGate
    plan: LevelPlan
    chosen: LevelOption
    budget: Budget
    follows: KnockOn
    land_mm: float
    call: Call
    metal: MetalNow
    home: frozenset[int] = frozenset()
    suspects: tuple[int, ...] = ()
    doubts: tuple[Doubt, ...] = ()
    marked: LevelOption | None = None
    likely: Likely | None = None
    action: Action | None = None
    look: str = ""

    @property
    def from_readings(self) -> bool:
        """Whether it is planned from numbers, place by place; else from the likely neck."""
        return self.base.survey.head.kind == "fret_heights"

    @property
    def local(self) -> bool:
        """Whether only some frets are taken down and the others stay."""
        return self.choices.school == "marked" or self.called_local

    @property
    def called_local(self) -> bool:
        """Whether the call itself is for some frets only."""
        some = self.action is not None and self.action.do in LOCAL
        return some and self.choices.lift is None and self.choices.school == "full"

    @property
    def school(self) -> str:
        """The school that accepting it follows."""
        return "marked" if self.local else self.choices.school

    def chosen_query(self) -> dict[str, str]:
        """The choices with the chosen option, as a form sends them."""
        if self.called_local:
            return self.choices.query()
        return self.choices.query(lift=self.chosen.lift, leave=self.chosen.leave)

    @property
    def offered(self) -> list[LevelOption]:
        """The options to choose from, with the chosen one."""
        offered = self.plan.offered
        found = [option for option in self.plan.options if option in offered or option is self.chosen]
        return found if any(option is self.chosen for option in found) else [self.chosen, *found]

    @property
    def stale(self) -> bool:
        """Whether the heights are older than what was done to the neck: nothing is planned from them."""
        return self.call.do == "read_again"

    @property
    def kind(self) -> PlanKind:
        """What accepting does: `lift` frets first, `refret` some, or `level`."""
        if self.call.do in ("partial_refret", "refret"):
            return "refret"
        return "lift" if self.chosen.lift else "level"

    @property
    def refret(self) -> list[int]:
        """The frets that accepting would replace: all of them, or the short ones with those too low to keep."""
        if self.kind != "refret":
            return []
        if self.call.do == "refret":
            return list(range(1, len(self.plan.request.positions_mm) + 1))
        if self.action is not None and self.action.do == "partial_refret":
            return list(self.action.frets)
        return sorted({*self.plan.below_least(self.chosen), *self.chosen.lift})


def home_frets(db: Connection, job: jobs.Job) -> frozenset[int]:
    """Frets that were checked and found home, as far as it still holds: until something moved them."""
    done = [act for act in acts.of_instrument(db, job.instrument_id) if act.kind in MOVES_TOPS]

    def moved(fret: int, at: str) -> bool:
        return any(act.at >= at and (not act.frets or fret in act.frets) for act in done)

    said = seating.in_force(db, job.id)
    return frozenset(fret for found in said for fret in found.frets if not moved(fret, found.at))


def level_request(
    settings: ShopSettings,
    instrument: instruments.Instrument,
    frets: int,
    heights: dict[str, Heights],
    choices: Choices,
    metal: MetalNow,
) -> LevelRequest:
    """The core's request for these heights and choices; raises ValueError when too little is read."""
    spec = instrument.spec
    positions = spec.positions_mm(frets)
    fall = Fall(choices.fall_from, choices.fall_drop_um / 1000) if choices.fall_from and choices.fall_drop_um else None
    now = metal.heights_mm
    return LevelRequest(
        positions_mm=tuple(positions),
        heights=heights,
        drops_mm=tuple(fall.drops(positions) if fall else [0.0] * frets),
        left_out=choices.left_out,
        objective="least_worst" if choices.objective == "least_worst" else "least_metal",
        fret_height_mm=(now + (now[-1],) * frets)[:frets],
        least_height_mm=settings.least_kept_mm(spec.fret_height_um / 1000),
        polish_loss_mm=settings.polish_loss_mm,
        rock_mm=settings.rock_mm,
        crown_width_mm=spec.crown_width_um / 1000,
        crown_heights_mm={lane: (*read, *[None] * frets)[:frets] for lane, read in metal.lanes_mm.items()},
    )


def straight_gate(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    request: LevelRequest,
    base: surveys.Survey,
    carried_mm: list[float] | None,
) -> StraightGate:
    """The straight gate on the surface it was read on: wood when it was read since the last heights, else fret tops.

    `carried_mm` is the drop that a level has cut already: that is shape, not bow. A drop only planned is not there yet.
    """
    drops = carried_mm or [0.0] * len(request.positions_mm)
    shaped: dict[str, Heights] = {
        lane: [None if h is None else h + drop for h, drop in zip(heights, drops, strict=True)]
        for lane, heights in request.heights.items()
    }
    numbers = base.head.kind == "fret_heights"  # of the likely neck the bow is in its own judgement
    tops = bow_of_tops(shaped, list(request.positions_mm)) if numbers else None
    all_of_job = surveys.of_job(db, job.id)
    earlier = [survey.id for survey in all_of_job if survey.head.kind == "fret_heights" and survey.id < base.id]
    board = fresh_bow(db, settings, job, instrument, max(earlier, default=0))
    return StraightGate(board or tops, tops, board, bool(job.override_note))


def fresh_bow(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument, after_survey: int = 0
) -> Straightness | None:
    """The job's last straightness survey after another one, with nothing done to the neck since; None without one."""
    done = acts.of_instrument(db, instrument.id)
    for survey in reversed(surveys.of_job(db, job.id)):
        if survey.head.kind != "straightness" or survey.id <= after_survey:
            continue
        straightness = survey_results(db, settings, survey, instrument).figures.straight
        if straightness is not None and moved_since_read(db, survey, MOVES_BOW, done) is None:
            return straightness
    return None


def make_plan(
    db: Connection,
    settings: ShopSettings,
    job: jobs.Job,
    instrument: instruments.Instrument,
    base: SurveyResults,
    choices: Choices,
    carried_mm: list[float] | None = None,
    planned_from: AcceptedLevel | None = None,
) -> Planning:
    """Plan from a survey under the choices; raises ValueError when too few frets are read.

    `planned_from` is a plan that is shown as it was accepted, whatever was read or done since.
    """
    frets = base.survey.frets
    heights = planned_from.heights_mm if planned_from else _heights_to_plan(db, settings, job, instrument, base)
    metal = metal_now(db, instrument)
    if planned_from is not None:
        metal = replace(metal, heights_mm=planned_from.fret_heights_mm, lanes_mm=planned_from.crown_heights_mm)
    request = level_request(settings, instrument, frets, heights, choices, metal)
    plan = plan_level(request)
    past = [um / 1000 for um in jobs.past_levels(db, instrument.id)]
    straight = straight_gate(db, settings, job, instrument, request, base.survey, carried_mm)
    length = settings.display.fine_mm
    daylight, all_home = daylight_of(db, job)
    home = frozenset(range(1, base.survey.frets + 1)) if all_home else home_frets(db, job)
    moved = moved_since_read(db, base.survey, MOVES_HEIGHTS) if planned_from is None else None
    if moved is not None:
        bow = fresh_bow(db, settings, job, instrument)
        straight = StraightGate(bow, None, bow, bool(job.override_note))
    if planned_from is not None:
        found, action, chosen, call = None, None, option_to_call(plan), Call(planned_from.say, planned_from.do)
    else:
        found = likely(db, settings, job, instrument, as_it_lies=straight.found is not None and straight.passes)
        if found is None:
            raise ValueError("no fret is read yet")
        seated = seated_with(db, settings, job)
        called = likely_call(found.judged, plan, daylight, home, past, seated_with=seated, length=length)
        call, chosen, action = called.call, called.chosen, called.action
        if (first := _before_frets(db, settings, instrument, straight, moved, found)) is not None:
            call, chosen, action = first, option_to_call(plan), None
    do = call.do
    chosen, call = _as_chosen(plan, choices, chosen, call, past, length)
    questioned = _questioned(base, found, settings) if planned_from is None else []
    if questioned:
        call = doubted_call(call, questioned)
    lands = plan.lands(chosen) or [0.0]
    under = action.frets if action is not None and action.do in ("check_seating", "reseat") else ()
    return Planning(
        base,
        choices,
        straight,
        plan,
        chosen,
        metal_budget(plan, chosen, past),
        knock_on(request.positions_mm, most_removed(chosen)),
        max(lands),
        call,
        metal,
        home,
        under,
        tuple(questioned),
        less_by_marks(plan, chosen) if do == "level" and choices.school == "full" else None,
        found,
        action,
        look_under(under, length) if under else "",
    )


def _before_frets(
    db: Connection,
    settings: ShopSettings,
    instrument: instruments.Instrument,
    straight: StraightGate,
    moved: Act | None,
    found: Likely,
) -> Call | None:
    """What comes before the frets are judged: reading again what was moved, or straightening; None for nothing."""
    if moved is not None and straight.passes:
        return moved_call(moved, bow_is_read=straight.found is not None)
    if straight.found is None or straight.passes:
        return None
    advice = advice_for(instrument, straight.found, 0.0, recorded_turns(db, settings, instrument))
    length = settings.display.fine_mm
    call = straightness_call(straight.found, instrument.spec.rod, length, next_turn_words(advice))
    first = found.judged.compared.actions[0]
    return replace(call, sure=found.judged.sure if first.do == "straighten" else "likely")


def _heights_to_plan(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument, base: SurveyResults
) -> dict[str, Heights]:
    """What the exact plan works from: numbers where they were read, else the likely height of every place."""
    frets = base.survey.frets
    if not base.values:
        raise ValueError("no fret is read yet")
    if base.survey.head.kind == "fret_heights":
        return heights_from(base.values, base.survey.head.method, frets)
    found = likely(db, settings, job, instrument)
    return {lane: list(row) for lane, row in found.heights_mm().items()} if found is not None else {}


def _questioned(base: SurveyResults, found: Likely | None, settings: ShopSettings) -> list[Doubt]:
    """Readings of a survey that can hardly be, by their neighbours or by all that was read."""
    length = settings.display.fine_mm
    odd = doubts(base.survey.head, base.values, length) if base.survey.head.kind == "fret_heights" else []
    named = {doubt.place for doubt in odd}
    for survey_id, place, meant in found.slip_places() if found is not None else []:
        if survey_id == base.survey.id and place not in named:
            why = (
                f"{length(meant)} was probably meant"
                if meant is not None
                else "all else that was read speaks against it"
            )
            odd.append(Doubt(place, why))
    return odd


def _as_chosen(
    plan: LevelPlan, choices: Choices, called: LevelOption, call: Call, past_mm: list[float], length: Length
) -> tuple[LevelOption, Call]:
    """The option that was chosen, the called one where none was, and the call for it: the headline follows the
    choice.
    """
    chosen = called if choices.lift is None else option_of(plan, choices.lift, choices.leave)
    asked = choices.lift is not None and (chosen is not called or call.do == "none")
    if asked and call.do in ("level", "lift", "none"):
        call = chosen_call(plan, chosen, call, past_mm, length)
    if choices.school == "marked" and call.do in ("level", "none"):
        chosen = marked_option(plan)
        call = marked_call(plan, chosen, call, length)
    return chosen, call


def beam_paths(db: Connection, instrument: instruments.Instrument) -> tuple[float, float] | None:
    """(greatest hump, all that it comes to over the frets of the outer strings' paths), mm, on an arched board.

    A beam along the strings' paths takes that much off; along the centreline the hump stays under the outer strings.
    None on a flat board or where nothing is to be gained.
    """
    layout = layout_of(instrument.spec, boards.plan_of(db, instrument.id, instrument.spec))
    found = humps(instrument.spec, layout)
    greatest = max(hump.hump_mm for hump in found)
    return None if greatest < 0.005 else (greatest, found[0].total_mm + found[-1].total_mm)


@kept
def call_of(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> str | None:
    """The sentence that the Level screen would open with, or None when too little is read for one."""
    base = base_survey(db, job)
    try:
        return (
            make_plan(db, settings, job, instrument, survey_results(db, settings, base, instrument), Choices()).call.say
            if base is not None
            else None
        )
    except ValueError:
        return None


def base_survey(db: Connection, job: jobs.Job) -> surveys.Survey | None:
    """The survey that a plan is made from: the latest heights, unless they tell of little and something else was read
    since; None before anything is.
    """
    read = telling_surveys(db, job)
    heights = [survey for survey in read if survey.head.kind == "fret_heights"]
    if not heights:
        return read[-1] if read else None
    last = heights[-1]
    few = surveys.counts(db, [last.id])[last.id] < ENOUGH_OF_LANE * len(LANES) * last.frets
    others = [survey for survey in read if survey.head.kind != "fret_heights"]
    return others[-1] if few and others else last


def records(
    planning: Planning, instrument: instruments.Instrument, job: jobs.Job
) -> tuple[dict[str, Any], dict[str, Any]]:
    """The inputs and outcome of a plan as they are stored when it is accepted."""
    around = Circumstances(
        planning.base.survey.uid,
        round(instrument.spec.mean_scale_mm * 1000),
        job.nut,
        planning.choices.fall_from,
        planning.choices.fall_drop_um,
        bool(planning.home),
        job.override_note,
        planning.school,
    )
    frets = planning.refret or list(planning.chosen.lift)
    return (
        record_inputs(planning.plan, planning.chosen, around),
        record_outcome(planning.plan, planning.chosen, planning.kind, frets, planning.call),
    )


def calc_request(planning: Planning, instrument: instruments.Instrument) -> dict[str, Any]:
    """The same plan as a `deft-bench calc level-plan` request."""
    request, choices = planning.plan.request, planning.choices
    asked: dict[str, Any] = {
        "scale_mm": instrument.spec.mean_scale_mm,
        "frets": len(request.positions_mm),
        "divisions": instrument.spec.divisions,
        "heights_mm": {lane: list(heights) for lane, heights in request.heights.items()},
        "left_out": sorted(request.left_out),
        "objective": request.objective,
        "fret_height_mm": list(request.fret_height_mm),
        "least_fret_height_mm": request.least_height_mm,
        "polish_loss_mm": request.polish_loss_mm,
        "rock_mm": request.rock_mm,
        "crown_width_mm": request.crown_width_mm,
    }
    if request.crown_heights_mm:
        asked["crown_heights_mm"] = {lane: list(read) for lane, read in request.crown_heights_mm.items()}
    if choices.fall_from and choices.fall_drop_um:
        asked["fall_away"] = {"from_fret": choices.fall_from, "drop_mm": choices.fall_drop_um / 1000}
    return asked
