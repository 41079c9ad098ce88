"""Survey: readings entered on the neck itself, by key, finger or sheet."""

import math
from collections.abc import Callable
from dataclasses import replace
from typing import Any
from uuid import uuid4

from flask import Blueprint, flash, jsonify, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.refret_progress import daylight_of
from deft_bench.bench.rocker_results import RockerResults, edges, rocker_results
from deft_bench.bench.setup_readings import setup_stage
from deft_bench.bench.survey_results import facts_of, moved_since_read
from deft_bench.core.acts import MOVES_HEIGHTS
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.calls import frets_named
from deft_bench.core.frets.heights import LANES, deviations
from deft_bench.core.level_job import now as step_now
from deft_bench.core.limits import SEATING_GAP_MM, SPROUT_MM
from deft_bench.core.refret import slot_needs
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.core.survey import (
    ACTION_FRET,
    ANSWERS,
    KINDS,
    METHODS,
    ONLY_METHOD,
    PER_CENT,
    PER_STRING,
    STAGES,
    STRING_STATES,
    SURFACES,
    Place,
    SurveyHead,
    cursor_places,
    head_problems,
    heights_from,
    lanes_of,
    parse_reading,
    places,
    reading_problem,
    reading_words,
    unit_of,
)
from deft_bench.core.units import Display, LengthError
from deft_bench.formats.readings_csv import MOST_BYTES, read_sheet, write_sheet
from deft_bench.store import boards, instruments, jobs, notes, refrets, setups, shop, surveys
from deft_bench.store.database import transaction
from deft_bench.web.drawing.neck_drawing import neck_drawing, off_number, off_words, shape_of, short_unit
from deft_bench.web.errors import wants_json
from deft_bench.web.places import linked_next, linked_steps
from deft_bench.web.support import Form, db, display, or_404, rock_mm, settings, stamp

screen = Blueprint(
    "surveys", __name__, template_folder="templates", static_folder="static", static_url_path="/surveys/static"
)

TOOLS = {
    "fret_heights": ("straightedge and feeler gauges", 20),
    "straightness": ("notched straightedge and feeler gauges", 20),
    "slot_depth": ("depth gauge", 20),
    "seating": ("feeler gauges against the light", 10),
    "sprout": ("feeler gauges and a straightedge along the edge", 20),
    "rocker": ("fret rocker", 20),
    "crown_line": ("loupe with a scale", 50),
    "crown_offset": ("loupe with a scale", 50),
    "strings": ("feeler gauges and a string-height rule", 50),
    "intonation": ("tuner", 100),
    "buzz": ("by ear", 1),
}
LEGENDS = {
    "fret_heights": "Fret heights, in three lanes",
    "straightness": "Straightness, along the middle",
    "slot_depth": "Slot depth, in three places each",
    "seating": "Daylight under the crowns, in three lanes",
    "sprout": "How far the fret ends stand out, both sides",
    "rocker": "Rocker, three frets at a time, in three lanes",
    "crown_line": "Width of the line left on each crown",
    "crown_offset": "How far each line lies off centre",
    "strings": "Action over fret 12 and the gap over fret 1, string by string",
    "intonation": "Cents against the open string, string by string",
    "buzz": "Play every note, string by string",
}
OFFERED = {
    "refret": ("slot_depth", "straightness", "seating", "sprout", "rocker", "fret_heights"),
    "level_and_dress": ("fret_heights", "rocker", "straightness", "seating", "sprout", "crown_line", "crown_offset"),
    "work": ("fret_heights", "straightness", "seating", "strings", "intonation", "buzz"),
    "setup": ("straightness", "strings", "intonation", "buzz", "fret_heights"),
}


@screen.get("/jobs/<int:job_id>/survey")
def next_of(job_id: int) -> Response:
    """Go on with the job's unfinished survey, or start the one that is due."""
    with or_404():
        job = jobs.get(db(), job_id)
        instrument = instruments.get(db(), job.instrument_id)
    if job.kind == "setup":
        return redirect(linked_next(job, instrument).href)
    facts = facts_of(db(), settings(), job, instrument)
    code, _ = step_now(facts)
    heights = [survey for survey in surveys.of_job(db(), job_id) if survey.head.kind == "fret_heights"]
    plan = next(reversed(jobs.plans(db(), job_id)), None)
    fresh = bool(heights) and plan is not None and plan.done_at is not None and heights[-1].id <= plan.survey_id
    if heights and not facts.stale and not (code in ("survey", "after") and fresh):
        return redirect(url_for(".show", survey_id=heights[-1].id))
    return redirect(url_for(".new", job_id=job_id))


@screen.route("/instruments/<int:instrument_id>/check", methods=["GET", "POST"])
def check(instrument_id: int) -> str | Response | tuple[str, int]:
    """A straightness check outside any job is kept as an inspection of its own; within one it belongs to it."""
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    job = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    if job is not None:
        return redirect(url_for(".new", job_id=job.id, kind="straightness"))
    if request.method == "GET":
        return _new_page(None, instrument, "straightness", _starting(None, instrument, "straightness"), {})
    form = Form()
    head = _read_head(form, "straightness", instrument)
    if head is None:
        return _new_page(None, instrument, "straightness", form.sent, form.errors), 422
    made = jobs.open_job(db(), instrument_id, "inspection", stamp(), None, "Straightness check")
    survey_id = surveys.start(db(), instrument_id, made, instrument.spec.frets, head, stamp())
    jobs.close(db(), made, stamp())
    return redirect(url_for(".show", survey_id=survey_id))


def _due_stage(job: jobs.Job, kind: str) -> str:
    if job.kind == "setup":
        return setup_stage(db(), job, kind)
    if job.kind == "refret" and kind != "fret_heights":
        return "after" if refrets.fitted(db(), job.id) else "before"
    plans = jobs.plans(db(), job.id)
    if plans and plans[-1].done_at:
        return "after" if plans[-1].outcome["kind"] == "level" else "between"
    return "between" if surveys.of_job(db(), job.id) else "before"


@screen.route("/jobs/<int:job_id>/surveys/new", methods=["GET", "POST"])
def new(job_id: int) -> str | Response | tuple[str, int]:
    """Say how the survey is read, once; then the readings."""
    with or_404():
        job = jobs.get(db(), job_id)
        instrument = instruments.get(db(), job.instrument_id)
    kind = request.values.get("kind", "fret_heights")
    kind = kind if kind in KINDS and not (kind == "rocker" and instrument.spec.frets < 3) else "fret_heights"
    if kind in PER_STRING and instrument.spec.frets < ACTION_FRET:
        kind = "fret_heights"
    if request.method == "POST":
        form = Form()
        before = readable_alone(job) if kind == "fret_heights" else None
        only = form.frets("only", instrument.spec.frets) if before else ()
        if not only:
            before = None
        head = _read_head(form, kind, instrument)
        if head is not None and before is not None and before[0].head.method != head.method:
            form.errors["only"] = "Read them the same way as the others, or empty this box and read all."
        if head is not None and not form.errors:
            with transaction(db()):
                survey_id = surveys.start(
                    db(),
                    instrument.id,
                    job_id,
                    instrument.spec.frets,
                    replace(head, at_frets=only or head.at_frets),
                    stamp(),
                )
                if before is not None:
                    _carry(before[0], survey_id, only)
            return redirect(url_for(".show", survey_id=survey_id))
        return _new_page(job, instrument, kind, form.sent, form.errors), 422
    return _new_page(job, instrument, kind, _starting(job, instrument, kind), {})


def readable_alone(job: jobs.Job | None) -> tuple[surveys.Survey, str] | None:
    """The job's last complete height survey, from which unread frets may stand, and the frets lifted since as a suggestion.

    None when there is none, or when metal has come off or the neck was bent since: then every fret is read again.
    """
    if job is None:
        return None
    heights = [one for one in surveys.of_job(db(), job.id) if one.head.kind == "fret_heights"]
    if not heights or surveys.counts(db(), [heights[-1].id])[heights[-1].id] < 3 * heights[-1].frets:
        return None
    if moved_since_read(db(), heights[-1], MOVES_HEIGHTS - {"reseat", "lift"}) is not None:
        return None
    plan = next(reversed(jobs.plans(db(), job.id)), None)
    if plan is not None and plan.done_at is not None and heights[-1].id <= plan.survey_id:
        return (heights[-1], ", ".join(map(str, plan.outcome["frets"]))) if plan.outcome["kind"] == "lift" else None
    loose = sorted(daylight_of(db(), job)[0]) if moved_since_read(db(), heights[-1], frozenset({"reseat"})) else []
    return heights[-1], ", ".join(map(str, loose))


def _carry(before: surveys.Survey, survey_id: int, only: tuple[int, ...]) -> None:
    """Let the frets that were not touched stand as they were read."""
    rows = [
        (place, um, "as before")
        for place, um in surveys.values(db(), before.id).items()
        if um is not None and place[1] not in only
    ]
    surveys.add_many(db(), survey_id, rows, stamp())


def _starting(job: jobs.Job | None, instrument: instruments.Instrument, kind: str) -> dict[str, Any]:
    """What a new survey's heading starts with: as the last one of its kind was read, in the bench's present climate."""
    tool, resolution = TOOLS[kind]
    before = next(iter(surveys.of_instrument(db(), instrument.id, kind, 1)), None)
    climate = shop.latest_climate(db())
    return {
        "stage": _due_stage(job, kind) if job else "before",
        "method": before.head.method if before else ONLY_METHOD.get(kind, "gap"),
        "surface": before.head.surface
        if before
        else ("board" if kind in ("straightness", "slot_depth") else "fret_tops"),
        "tool": before.head.tool if before else tool,
        "resolution_um": _resolution(kind, before.head.resolution_um if before else resolution),
        "string_state": before.head.string_state if before else ("tuned" if job and job.kind == "setup" else "off"),
        "at_frets": ", ".join(map(str, before.head.at_frets)) if before else "1, 3, 5, 7, 12",
        "order": settings().reading_order,
        "temperature_c": f"{climate[1]:g}" if climate else "",
        "humidity": f"{climate[2]:g}" if climate else "",
        "note": "",
    }


def _resolution(kind: str, stored: int) -> str:
    return f"{stored / PER_CENT:g}" if kind == "intonation" else display().entry(stored)


def _read_head(form: Form, kind: str, instrument: instruments.Instrument) -> SurveyHead | None:
    if kind == "intonation":
        cents = form.number("resolution_um", 0.01, 5)
        resolution = None if cents is None else max(1, round(cents * PER_CENT))
    else:
        resolution = 1 if kind in ANSWERS else form.length("resolution_um")
    temperature = form.number("temperature_c", -20, 60, optional=True)
    humidity = form.number("humidity", 0, 100, optional=True)
    at_frets = form.frets("at_frets", instrument.spec.frets) if kind == "intonation" else ()
    if kind == "intonation" and not at_frets:
        form.errors.setdefault(
            "at_frets", "Name at least one fret: 12 alone is enough, 1, 3, 5, 7 and 12 tell nut from saddle."
        )
    if form.errors or resolution is None:
        return None
    head = SurveyHead(
        kind=kind,
        stage=form.text("stage"),
        method=ONLY_METHOD.get(kind) or form.text("method"),
        surface=form.text("surface") if kind == "straightness" else "board" if kind == "slot_depth" else "fret_tops",
        tool=form.text("tool"),
        resolution_um=resolution,
        string_state="tuned" if kind in PER_STRING else form.text("string_state"),
        temperature_c=temperature,
        humidity=humidity,
        order="fret_by_fret" if form.text("order") == "fret_by_fret" else "lane_by_lane",
        note=form.text("note")[:400],
        strings=instrument.spec.strings if kind in PER_STRING else 0,
        at_frets=at_frets,
    )
    form.errors |= head_problems(head)
    return None if form.errors else head


def _new_page(
    job: jobs.Job | None, instrument: instruments.Instrument, kind: str, values: Any, errors: dict[str, str]
) -> str:
    return render_template(
        "surveys/new.html", section="instruments", job=job, instrument=instrument, kind=kind, values=values, errors=errors,
        stages=STAGES, methods=METHODS, surfaces=SURFACES, states=STRING_STATES,
        steps=linked_steps(job, instrument), tape_at=_tape_at(job, kind, values["stage"]), legend=LEGENDS[kind], per_string=kind in PER_STRING, answered=kind in ANSWERS, unit=unit_of(kind, display()),
        alone=readable_alone(job) if kind == "fret_heights" else None, offered={code: KINDS[code] for code in OFFERED.get(job.kind if job else "", ())}, height_methods={code: METHODS[code] for code in ("gap", "height")},
    )  # fmt: skip


def _tape_at(job: jobs.Job | None, kind: str, when: str) -> str:
    """Which step of the job's tape a survey belongs to."""
    if job is not None and job.kind == "refret":
        return {"slot_depth": "slots", "seating": "seat", "straightness": "straight", "sprout": "ends"}.get(
            kind, "level"
        )
    if job is not None and job.kind == "setup":
        return "intake" if when == "before" else {"straightness": "relief", "strings": "saddle"}.get(kind, kind)
    return "after" if when == "after" else "survey"


def _order(survey: surveys.Survey) -> list[Place]:
    """The places of a survey in the cursor's order; of slots and seating only the frets that a partial refret replaces."""
    order = cursor_places(survey.head, survey.frets)
    if survey.head.kind in ("slot_depth", "seating") and survey.job_id:
        plan = refrets.plan_of(db(), survey.job_id)
        if plan is not None:
            return [place for place in order if place[1] in plan.frets] or order
    return order


@screen.get("/surveys/<int:survey_id>")
def show(survey_id: int) -> str:
    """The survey on the neck: where the cursor is, what is read, what each place shows."""
    with or_404():
        survey = surveys.get(db(), survey_id)
        instrument = instruments.get(db(), survey.instrument_id)
    job = jobs.get(db(), survey.job_id) if survey.job_id else None
    readings = surveys.readings(db(), survey_id)
    values = {place: reading.value_um for place, reading in readings.items()}
    order = _order(survey)
    at = _asked_place(order) or next((place for place in order if place not in readings), order[-1])
    flaws = [note for note in notes.of_instrument(db(), instrument.id) if note.settled_at is None]
    off = off_of(survey, instrument, values)
    neck = neck_drawing(
        instrument.spec, display(), nut_side=settings().nut_side, off_mm=off, rock_mm=least_shown(survey.head.kind), words=words_of(survey.head.kind), one_sided=survey.head.kind in ("seating", "sprout", "slot_depth"),
        lanes=lanes_of(survey.head.kind, survey.head.strings) if survey.head.kind in PER_STRING else LANES, label=label_of(survey.head.kind), open_too=survey.head.kind == "buzz",
        notes=[(note.fret, note.lane, note.text) for note in flaws],
    )  # fmt: skip
    corrected = {(item.lane, item.fret) for item in surveys.history(db(), survey_id) if item.replaces}
    return render_template(
        "surveys/show.html",
        section="instruments",
        survey=survey,
        instrument=instrument,
        job=job,
        steps=linked_steps(job, instrument),
        tape_at=_tape_at(job, survey.head.kind, survey.head.stage),
        kinds=KINDS,
        rocked=rocker_results(db(), settings(), survey, instrument, values, rock_mm()) if survey.head.kind == "rocker" else None,
        edges=edges(instrument, survey.frets) if survey.head.kind == "rocker" else {},
        reading_words=reading_words,
        least_shown=least_shown(survey.head.kind),
        neck=neck,
        lanes=tuple(reversed(lanes_of(survey.head.kind, survey.head.strings))),
        columns=sorted({fret for _, fret in order}, reverse=survey.head.kind == "strings") if survey.head.kind in PER_STRING else list(range(1, survey.frets + 1)),
        names=string_names(setups.plan_of(db(), instrument.id, instrument.spec)) if survey.head.kind in PER_STRING else {},
        bearing=setups.plan_of(db(), instrument.id, instrument.spec).bearing_fret if survey.head.kind == "strings" else 2,
        answers=ANSWERS.get(survey.head.kind, {}),
        unit=unit_of(survey.head.kind, display()),
        order={place: i for i, place in enumerate(order)},
        readings=readings,
        read=sum(place in readings for place in order),
        corrected=corrected,
        at=at,
        token=uuid4().hex,
        places=len(order),
        short_unit=short_unit(display()),
        surfaces=SURFACES,
        methods=METHODS,
        states=STRING_STATES,
    )  # fmt: skip


def _asked_place(order: list[Place]) -> Place | None:
    place = request.args.get("lane", ""), request.args.get("fret", 0, type=int)
    return place if place in order else None


def off_of(
    survey: surveys.Survey, instrument: instruments.Instrument, values: dict[Place, int | None]
) -> dict[str, list[float | None]]:
    """How far each place lies off its lane's fair line, mm; of a slot how much it is too shallow, of seating and sprout the reading."""
    if survey.head.kind == "rocker":
        return rocker_results(db(), settings(), survey, instrument, values, rock_mm()).off_mm(survey.frets, values)
    if survey.head.kind in PER_STRING:
        # cents and tests are drawn as they are, with the scale of their own kind
        return {
            lane: [None if (um := values.get((lane, fret))) is None else um / 1000 for fret in range(survey.frets + 1)]
            for lane in lanes_of(survey.head.kind, survey.head.strings)
        }
    if survey.head.kind in ("seating", "sprout", "slot_depth", "crown_line", "crown_offset"):
        needs = _slot_needs(survey, instrument) if survey.head.kind == "slot_depth" else None
        return {
            lane: [
                None if (um := values.get((lane, fret))) is None else um / 1000 if needs is None else needs - um / 1000
                for fret in range(1, survey.frets + 1)
            ]
            for lane in lanes_of(survey.head.kind)
        }
    positions = fret_positions(instrument.spec.mean_scale_mm, survey.frets)
    lanes = heights_from(values, survey.head.method, survey.frets)
    return {lane: deviations(positions, heights) for lane, heights in lanes.items()}


def _slot_needs(survey: surveys.Survey, instrument: instruments.Instrument) -> float:
    """The least depth of a slot, mm: for the tang of the job's refret, else for the instrument's own."""
    plan = refrets.plan_of(db(), survey.job_id) if survey.job_id else None
    if plan is not None:
        return slot_needs(plan.tang_depth_um, plan.gap_um)
    gap = boards.plan_of(db(), instrument.id, instrument.spec).under_tang_gap_um
    return slot_needs(instrument.spec.tang_depth_um, gap)


def least_shown(kind: str) -> float:
    """From where on a place is drawn as a wedge, mm."""
    return {
        "seating": SEATING_GAP_MM, "sprout": SPROUT_MM, "slot_depth": 0.005, "rocker": 0.005, "strings": math.inf,
        "intonation": 2 * PER_CENT / 1000, "buzz": 0.001,
    }.get(kind, rock_mm())  # fmt: skip


def label_of(kind: str) -> Callable[[float, str, Display], str] | None:
    """What stands beside a place, where it is not the usual short number."""
    if kind not in PER_STRING:
        return None

    def label(mm: float, shape: str, shown: Display) -> str:
        return "" if kind == "buzz" else reading_words(round(mm * 1000), kind, shown)

    return label


def words_of(kind: str) -> Callable[[float | None, Display], str]:
    """How a place's deviation is said for this kind of survey."""
    if kind == "rocker":
        return _rocker_words
    if kind in PER_STRING:

        def as_read(mm: float | None, shown: Display) -> str:
            return (
                "not read"
                if mm is None
                else f"{reading_words(round(mm * 1000), kind, shown)} {unit_of(kind, shown)}".strip()
            )

        return as_read
    said = {
        "seating": "of daylight",
        "sprout": "standing out",
        "slot_depth": "too shallow",
        "crown_line": "wide",
        "crown_offset": "off centre",
    }.get(kind)
    if said is None:
        return lambda mm, shown: off_words(mm, shown, rock_mm())
    home = {
        "seating": "home",
        "sprout": "flush",
        "slot_depth": "deep enough",
        "crown_line": "narrow enough",
        "crown_offset": "centred",
    }[kind]

    def words(mm: float | None, shown: Display) -> str:
        return "not read" if mm is None else home if abs(mm) < least_shown(kind) else f"{shown.fine_mm(abs(mm))} {said}"

    return words


def _rocker_words(mm: float | None, shown: Display) -> str:
    if mm is None:
        return "not tested"
    return (
        "nothing against it"
        if not mm
        else f"{'proud' if mm > 0 else 'low'} by {shown.fine_mm(abs(mm))} or more explains it"
    )


@screen.post("/surveys/<int:survey_id>/readings")
def accept(survey_id: int) -> Response | tuple[Response, int]:
    """Accept one reading: saved before the answer is given. An empty reading withdraws what stands there.

    Answers JSON to a script and a redirect to a plain form. 422 when it cannot be meant, 409 when another window has
    read this place since the page last saw it.
    """
    with or_404():
        survey = surveys.get(db(), survey_id)
        instrument = instruments.get(db(), survey.instrument_id)
    order = _order(survey)
    place = request.form.get("lane", ""), request.form.get("fret", 0, type=int)
    typed = request.form.get("reading", "")[:60].strip()
    token = request.form.get("token", "")[:64]
    expects = request.form.get("expects", type=int)
    if place not in order or not token:
        return _refuse(survey_id, place, _not_here(survey, place), 422)
    value = None
    if "withdraw" not in request.form:
        try:
            value = parse_reading(typed, survey.head.kind, display().system)
        except LengthError as error:
            return _refuse(survey_id, place, str(error), 422)
        problem = reading_problem(value, survey.head.kind, place[1])
        if problem:
            return _refuse(survey_id, place, problem, 422)
    try:
        made = surveys.accept(
            db(), survey_id, place, value, typed, stamp(), token=f"{survey_id}:{token}", expects=expects
        )
    except surveys.ReadingConflictError as error:
        current = error.current
        shown = (
            "withdrawn"
            if current is None or current.value_um is None
            else f"read as {_said(current.value_um, survey.head.kind)}"
        )
        words = f"Fret {place[1]} {place[0]} was {shown} in another window meanwhile. Accept again to replace that."
        return _refuse(survey_id, place, words, 409, current)
    if not wants_json():
        after = order[min(order.index(place) + 1, len(order) - 1)]
        return redirect(url_for(".show", survey_id=survey_id, lane=after[0], fret=after[1]))
    values = surveys.values(db(), survey_id)
    return jsonify(
        id=made.id if made.value_um is not None else None,
        value="" if made.value_um is None else reading_words(made.value_um, survey.head.kind, display()),
        corrected=made.replaces is not None,
        read=sum(place in values for place in order),
        lane=_lane_state(survey, instrument, values, place[0]),
        rocker=_rocker_state(rocker_results(db(), settings(), survey, instrument, values, rock_mm()))
        if survey.head.kind == "rocker"
        else None,
    )


def _not_here(survey: surveys.Survey, place: Place) -> str:
    if place in places(survey.head, survey.frets):
        named = sorted({fret for _, fret in _order(survey)})
        return (
            f"This survey reads only {frets_named(named)}: the others stand as they were. Start another to read them."
        )
    return "That place is not on this neck."


def _said(um: int, kind: str) -> str:
    return f"{reading_words(um, kind, display())} {unit_of(kind, display())}".strip()


def _rocker_state(found: RockerResults) -> dict[str, Any]:
    """The call and the next test as a script shows them."""
    at = found.next_test
    return {
        "say": found.call.say if found.call else "",
        "sure": found.call.sure if found.call else "",
        "next": {"lane": at[0], "fret": at[1]} if at else None,
        "disagree": "; ".join(f"fret {fret} {lane}: {words}" for lane, fret, words in found.disagree),
    }


def _lane_state(
    survey: surveys.Survey, instrument: instruments.Instrument, values: dict[Place, int | None], lane: str
) -> list[dict[str, Any]]:
    """What the neck shows of one lane now that a reading has come in: the fair line moves with every reading."""
    off = off_of(survey, instrument, values).get(lane, [])
    rocked = (
        rocker_results(db(), settings(), survey, instrument, values, rock_mm())
        if survey.head.kind == "rocker"
        else None
    )
    state = []
    own = label_of(survey.head.kind)
    for fret, mm in enumerate(off, start=0 if survey.head.kind in PER_STRING else 1):
        shape = shape_of(mm, least_shown(survey.head.kind), one_sided=survey.head.kind == "slot_depth")
        label = off_number(mm, display()) if mm is not None and shape in ("proud", "low") else ""
        if own is not None:
            label = own(mm, shape, display()) if mm is not None else ""
        if rocked is not None and label and not rocked.sure_of(lane, fret):
            label += "?"
        state.append({"fret": fret, "shape": shape, "label": label, "words": words_of(survey.head.kind)(mm, display())})
    return state


def _refuse(
    survey_id: int, place: Place, words: str, code: int, current: surveys.Reading | None = None
) -> Response | tuple[Response, int]:
    if wants_json():
        kind = surveys.get(db(), survey_id).head.kind
        value = (
            None if current is None or current.value_um is None else reading_words(current.value_um, kind, display())
        )
        return jsonify(error=words, current=current.id if value is not None and current else None, value=value), code
    flash(words)
    return redirect(url_for(".show", survey_id=survey_id, lane=place[0], fret=place[1]))


@screen.route("/surveys/<int:survey_id>/sheet", methods=["GET", "POST"])
def sheet(survey_id: int) -> str | Response | tuple[str, int]:
    """Paste or upload a sheet of readings: a preview names every bad line, and only a whole good sheet is stored."""
    with or_404():
        survey = surveys.get(db(), survey_id)
        instrument = instruments.get(db(), survey.instrument_id)
    text, lines, code = "", [], 200
    if request.method == "POST":
        text = request.form.get("text", "")
        upload = request.files.get("file")
        problem = None
        if upload is not None and upload.filename:
            raw = upload.read(MOST_BYTES + 1)
            try:
                text = raw.decode("utf-8-sig")
            except UnicodeDecodeError:
                text, problem = "", "The file is not UTF-8 text: save it as CSV (UTF-8)."
        if len(text.encode()) > MOST_BYTES:
            text, problem = "", f"The sheet is larger than {MOST_BYTES // 1000} kB."
        if problem:
            flash(problem)
            code = 422
        else:
            lines = read_sheet(text, survey.head.kind, survey.frets, display().system, _order(survey))
            bad = [line for line in lines if line.problem]
            if "store" in request.form and not bad:
                rows = [
                    (line.place, line.value_um, line.typed)
                    for line in lines
                    if line.place and line.value_um is not None
                ]
                count = surveys.add_many(db(), survey_id, rows, stamp())
                flash(f"{count} readings stored; {len(rows) - count} were there already.")
                return redirect(url_for(".show", survey_id=survey_id))
            code = 422 if bad else 200
    there = surveys.values(db(), survey_id)
    return render_template(
        "surveys/sheet.html", section="instruments", survey=survey, instrument=instrument, text=text, lines=lines,
        bad=[line for line in lines if line.problem], there=there, lanes=lanes_of(survey.head.kind, survey.head.strings), unit=unit_of(survey.head.kind, display()), reading_words=reading_words,
    ), code  # fmt: skip


@screen.get("/surveys/<int:survey_id>.csv")
def csv_of(survey_id: int) -> Response:
    """The current readings as CSV; with `?history` every reading that was ever accepted."""
    with or_404():
        survey = surveys.get(db(), survey_id)
    lanes = lanes_of(survey.head.kind, survey.head.strings)
    if "history" in request.args:
        found = surveys.history(db(), survey_id)
    else:
        found = sorted(surveys.readings(db(), survey_id).values(), key=lambda r: (lanes.index(r.lane), -r.fret))
    response = make_response(
        write_sheet(((r.lane, r.fret, r.value_um, r.typed, r.at) for r in found), survey.head.kind)
    )
    response.headers["Content-Type"] = "text/csv; charset=utf-8"
    response.headers["Content-Disposition"] = f"attachment; filename=survey-{survey.taken_at[:10]}-{survey_id}.csv"
    return response
