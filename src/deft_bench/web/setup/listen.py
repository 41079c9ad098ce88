"""Intonation from sound: notes recorded here or uploaded."""

from flask import flash, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.setup.listening import (
    RecordingRefusedError,
    listening,
    note_named,
    take_recording,
)
from deft_bench.core.strings.setup_plan import SetupPlan
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.store import instruments, setups, surveys
from deft_bench.web.errors import wants_json
from deft_bench.web.setup.screen import common, screen
from deft_bench.web.support import NotFoundError, db, display, now, survey_or_404

MOST_SOUND = 24 * 1024 * 1024


def sounding(survey_id: int) -> tuple[surveys.Survey, instruments.Instrument, SetupPlan]:
    """A survey of the intonation, its instrument and its strings; raises NotFoundError for any other."""
    survey, instrument = survey_or_404(survey_id)
    if survey.head.kind != "intonation":
        raise NotFoundError(survey_id)
    return survey, instrument, setups.plan_of(db(), instrument.id, instrument.spec)


@screen.get("/surveys/<int:survey_id>/listen")
def listen(survey_id: int) -> str:
    """Open, harmonic and fretted notes in turn. `?step=` is one to play again."""
    survey, instrument, plan = sounding(survey_id)
    heard = listening(db(), survey, plan, request.args.get("step", ""))
    return render_template(
        "setup/listen.html", **common(instrument, plan, "intonation"), survey=survey, listening=heard
    )


@screen.post("/surveys/<int:survey_id>/sound")
def sound(survey_id: int) -> Response | tuple[Response, int]:
    """Take one recorded note: a file, or one that the page has recorded.

    Answers JSON to a script and a redirect to a plain form; 422 with the reason when the recording is refused.
    """
    survey, _, plan = sounding(survey_id)
    note = note_named(survey, request.form.get("step", ""))
    upload = request.files.get("wav")
    if note is None:
        return _refuse(survey_id, "", "That note is not part of this survey.")
    if upload is None or not upload.filename:
        return _refuse(survey_id, note.code, "No recording came: record the note, or choose a file.")
    try:
        taken = take_recording(db(), now(), survey, plan, note, upload.read(MOST_SOUND + 1))
    except RecordingRefusedError as error:
        return _refuse(survey_id, note.code, str(error))
    if not wants_json():
        return redirect(url_for(".listen", survey_id=survey_id))
    at = listening(db(), survey, plan).at
    kind = SURVEY_KINDS["intonation"]
    return jsonify(
        hz=f"{taken.pitch.hz:.2f}",
        note=taken.pitch.note,
        off=f"{taken.off_cents:+.1f}",
        vibrato=f"{taken.pitch.vibrato_cents:.0f}" if taken.pitch.vibrato_cents else "",
        confidence=f"{100 * taken.pitch.confidence:.0f}",
        cents={f"{lane}:{fret}": kind.words(value, display()) for (lane, fret), value in taken.cents.items()},
        next=at.code if at else "",
        href=url_for(".listen", survey_id=survey_id),
    )


def _refuse(survey_id: int, code: str, words: str) -> Response | tuple[Response, int]:
    if wants_json():
        return jsonify(error=words), 422
    flash(f"Not taken. {words}")
    return redirect(url_for(".listen", survey_id=survey_id, step=code))
