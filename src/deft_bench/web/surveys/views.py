"""A survey's page: its neck with the cursor, and each reading as it is accepted."""

from typing import Any
from uuid import uuid4

from flask import current_app, flash, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.likely import TELLING, Likely, likely
from deft_bench.bench.practice.whole import tool_answers
from deft_bench.bench.rocker_results import edges, rocker_results
from deft_bench.bench.surveying import (
    ReadingQuestionedError,
    ReadingRefusedError,
    accept_reading,
    cursor_order,
    gauge_of,
    off_mm,
)
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.core.survey import METHODS, STRING_STATES, SURFACES
from deft_bench.core.survey_kinds import SURVEY_KINDS, Place, SurveyKind
from deft_bench.store import devices, instruments, jobs, notes, setups, surveys
from deft_bench.store.people import readers
from deft_bench.web.devices.stand_ins import reads_practice
from deft_bench.web.drawing.neck_drawing import NeckDrawing, neck_drawing, short_unit
from deft_bench.web.errors import wants_json
from deft_bench.web.following import following
from deft_bench.web.places import linked_steps
from deft_bench.web.support import calls_off, db, display, now, rock_mm, settings, survey_or_404
from deft_bench.web.surveys.screen import screen, tape_at
from deft_bench.web.surveys.spots import label_of, likely_state, said, words_of
from deft_bench.web.surveys.state import state_of, topic_of

CANNOT_BE, CONFLICT = 422, 409
ENTER_AGAIN = "Enter again keeps it; or type what was read."


@screen.get("/surveys/<int:survey_id>")
def show(survey_id: int) -> str:
    """The survey on the neck: where the cursor is, what is read, what each place shows."""
    survey, instrument = survey_or_404(survey_id)
    kind, job = SURVEY_KINDS[survey.head.kind], jobs.get(db(), survey.job_id) if survey.job_id else None
    readings, history = surveys.readings(db(), survey_id), surveys.history(db(), survey_id)
    values: dict[Place, int | None] = {place: reading.value_um for place, reading in readings.items()}
    order = cursor_order(db(), survey)
    setup = setups.plan_of(db(), instrument.id, instrument.spec) if kind.per_string else None
    with_tool = instrument.practice and tool_answers(db(), survey) is not None
    reads_practice(current_app, with_tool)
    explained = kind.drawn == "explained"
    found = likely_of(survey, instrument, job)
    return render_template(
        "surveys/show.html",
        section="instruments",
        survey=survey,
        kind=kind,
        instrument=instrument,
        job=job,
        steps=linked_steps(job, instrument),
        tape_at=tape_at(job, kind.code, survey.head.when),
        rocked=rocker_results(db(), settings(), survey, instrument, values, rock_mm()) if explained else None,
        edges=edges(instrument, survey.frets, survey.head.reach) if explained else {},
        least_shown=kind.least_shown_mm(rock_mm()),
        neck=_neck(survey, instrument, values, found),
        found=found,
        telling=_tells(survey, instrument, job),
        tool_answers=with_tool,
        blades=[display().fine_number(um) for um in survey.head.blades_um],
        lanes=tuple(reversed(kind.lanes_of(survey.head.strings))),
        columns=_columns(kind, survey, order),
        names=string_names(setup) if setup else {},
        bearing=setup.bearing_fret if setup else 2,
        unit=kind.unit_words(display()),
        gauge=gauge_of(db(), kind.code),
        pedal=devices.used_for(db(), "pedal"),
        order={place: i for i, place in enumerate(order)},
        readings=readings,
        readers=readers(db(), survey.id),
        newest=max((reading.id for reading in history), default=0),
        read=sum(place in readings for place in order),
        corrected={(item.lane, item.fret) for item in history if item.replaces},
        at=_asked_place(order) or next((place for place in order if place not in readings), order[-1]),
        token=uuid4().hex,
        asked=request.args.get("asked", "")[:60],
        sure=request.args.get("asked", "")[:60] if "sure" in request.args else "",
        places=len(order),
        short_unit=short_unit(display()),
        surfaces=SURFACES,
        methods=METHODS,
        states=STRING_STATES,
    )


def _neck(
    survey: surveys.Survey,
    instrument: instruments.Instrument,
    values: dict[Place, int | None],
    found: Likely | None,
) -> NeckDrawing:
    """The neck with its readings and its pins; of the fret tops as the likely neck has them."""
    kind = SURVEY_KINDS[survey.head.kind]
    flaws = [note for note in notes.of_instrument(db(), instrument.id) if note.settled_at is None]
    return neck_drawing(
        instrument.spec,
        display(),
        nut_side=settings().nut_side,
        off_mm=off_mm(db(), settings(), survey, instrument, values),
        rock_mm=kind.least_shown_mm(rock_mm()) if found is None else rock_mm(),
        words=words_of(kind, rock_mm()),
        one_sided=kind.one_sided,
        lanes=kind.lanes_of(survey.head.strings) if kind.per_string else SURVEY_KINDS["fret_heights"].lanes,
        label=label_of(kind),
        open_too=kind.open_too,
        notes=[(note.fret, note.lane, note.text) for note in flaws],
        likely=None if found is None else found.lanes,
        read_by=None if found is None else found.read_by(display().fine_mm),
    )


def _columns(kind: SurveyKind, survey: surveys.Survey, order: list[Place]) -> list[int]:
    if not kind.per_string:
        return list(range(1, survey.frets + 1))
    # action stands before the gap, as they are read
    return sorted({fret for _, fret in order}, reverse=kind.limits_at_1 is not None)


def _asked_place(order: list[Place]) -> Place | None:
    place = request.args.get("lane", ""), request.args.get("fret", 0, type=int)
    return place if place in order else None


def _tells(survey: surveys.Survey, instrument: instruments.Instrument, job: jobs.Job | None) -> bool:
    """Whether a call is made while the survey is read."""
    return survey.head.kind in TELLING and job is not None and not calls_off(instrument)


def likely_of(survey: surveys.Survey, instrument: instruments.Instrument, job: jobs.Job | None) -> Likely | None:
    """The likely neck that a survey of the fret tops adds to, of a closed job as it was then; None for other surveys,
    before anything is read, and on a practice neck whose calls are off.
    """
    if job is None or not _tells(survey, instrument, job) or survey.frets != instrument.spec.frets:
        return None
    return likely(db(), settings(), job, instrument, quick=True, until=job.closed_at)


@screen.get("/surveys/<int:survey_id>/call")
def call(survey_id: int) -> Response:
    """The call so far, from all that was read of the neck, and how likely every place stands; empty before anything."""
    survey, instrument = survey_or_404(survey_id)
    found = likely_of(survey, instrument, jobs.get(db(), survey.job_id) if survey.job_id else None)
    if found is None:
        return jsonify({})
    neck = neck_drawing(
        instrument.spec,
        display(),
        nut_side=settings().nut_side,
        rock_mm=rock_mm(),
        likely=found.lanes,
        read_by=found.read_by(display().fine_mm),
    )
    return jsonify(likely_state(found, neck.spots))


@screen.post("/surveys/<int:survey_id>/readings")
def accept(survey_id: int) -> Response | tuple[Response, int]:
    """Accept one reading: saved before the answer is given. An empty reading withdraws what stands there.

    Answers JSON to a script and a redirect to a plain form. 422 when it cannot be meant, 409 when another window has
    read this place since the page last saw it.
    """
    survey, instrument = survey_or_404(survey_id)
    kind = SURVEY_KINDS[survey.head.kind]
    place = request.form.get("lane", ""), request.form.get("fret", 0, type=int)
    typed = None if "withdraw" in request.form else request.form.get("reading", "")[:60].strip()
    token, expects = request.form.get("token", "")[:64], request.form.get("expects", type=int)
    try:
        sure = request.form.get("sure", "")[:60].strip()
        made = accept_reading(db(), settings(), now(), survey, place, typed, token=token, expects=expects, sure=sure)
    except ReadingQuestionedError as error:
        return _refuse(survey_id, kind, place, f"{error} {ENTER_AGAIN}", CANNOT_BE, typed=typed or "", asks=True)
    except ReadingRefusedError as error:
        return _refuse(survey_id, kind, place, str(error), CANNOT_BE, typed=typed or "")
    except surveys.ReadingConflictError as error:
        current = error.current
        gone = current is None or current.value_um is None
        shown = "withdrawn" if gone else f"read as {said(current.value_um, kind, display())}"  # type: ignore[union-attr,arg-type]
        words = f"Fret {place[1]} {place[0]} was {shown} in another window meanwhile. Accept again to replace that."
        return _refuse(survey_id, kind, place, words, CONFLICT, current)
    order = cursor_order(db(), survey)
    if not wants_json():
        after = order[min(order.index(place) + 1, len(order) - 1)]
        return redirect(url_for(".show", survey_id=survey_id, lane=after[0], fret=after[1]))
    following().tell(topic_of(survey_id))
    state = state_of(survey, instrument, [made])
    return jsonify(state["readings"][0] | {"read": state["read"], "lane": state["lanes"][place[0]]} | state["rocker"])


def _refuse(
    survey_id: int,
    kind: SurveyKind,
    place: Place,
    words: str,
    code: int,
    current: surveys.Reading | None = None,
    *,
    typed: str = "",
    asks: bool = False,
) -> Response | tuple[Response, int]:
    if wants_json():
        reply: dict[str, Any] = {"error": words, "asks": asks}
        if code == CONFLICT:
            # what stands here now; None where it was withdrawn
            value = None if current is None else current.value_um
            reply["current"] = current.id if current is not None and value is not None else None
            reply["value"] = None if value is None else kind.words(value, display())
        return jsonify(reply), code
    flash(words)
    return redirect(
        url_for(
            ".show", survey_id=survey_id, lane=place[0], fret=place[1], asked=typed or None, sure=1 if asks else None
        )
    )
