"""Playing it through: sound comes in pieces while it is played, and what was found in it goes back with each answer.

Pieces are posted rather than sent over a socket of their own: every piece has its number, so that one that was cut off
is sent again and none counts twice, and the answer carries what was found; a plain server does for it.
"""

import io
import secrets
from collections import OrderedDict
from threading import Lock
from typing import Any

import numpy as np
from flask import Response, current_app, jsonify, render_template, request, send_file, url_for

from deft_bench.bench.practice.whole import strings_of
from deft_bench.bench.setup.ear import OFFERED
from deft_bench.bench.setup.listening import Note, listening, note_named
from deft_bench.bench.setup.playing import ORDERS, Playing, Told
from deft_bench.bench.stand_ins import stand_ins_on
from deft_bench.core.strings.customary import string_kind
from deft_bench.core.strings.ear.room import ROOM_RATE
from deft_bench.core.strings.played import Stream
from deft_bench.core.strings.setup_plan import SetupPlan, string_names
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.devices.practice_strings import PracticeStrings
from deft_bench.devices.stand_in_strings import StandInStrings
from deft_bench.formats.recording import wav_of
from deft_bench.store import surveys
from deft_bench.web.following import following
from deft_bench.web.setup.listen import sounding
from deft_bench.web.setup.screen import common, screen
from deft_bench.web.support import NotFoundError, db, display, now, settings
from deft_bench.web.surveys.state import topic_of

MOST_PASSES, MOST_PIECE = 8, 1024 * 1024
GONE = "This pass is over: press Listen to begin another. What was kept is kept."


class Passes:
    """The passes that are under way, in memory; the oldest makes room."""

    def __init__(self) -> None:
        self._passes: OrderedDict[str, Playing] = OrderedDict()
        self._lock = Lock()

    def begin(self, playing: Playing) -> str:
        """Take one in and give it a name."""
        name = secrets.token_urlsafe(12)
        with self._lock:
            self._passes[name] = playing
            while len(self._passes) > MOST_PASSES:
                self._passes.popitem(last=False)
        return name

    def get(self, name: str, survey_id: int) -> Playing:
        """One of a survey; raises NotFoundError where it is over."""
        found = self._passes.get(name)
        if found is None or found.survey_id != survey_id:
            raise NotFoundError(name)
        return found


@screen.get("/surveys/<int:survey_id>/play")
def play(survey_id: int) -> str:
    """Every note in one pass."""
    survey, instrument, plan = sounding(survey_id)
    heard = listening(db(), survey, plan)
    return render_template(
        "setup/play.html",
        **common(instrument, plan, "intonation"),
        survey=survey,
        listening=heard,
        orders=ORDERS,
        stand_in=stand_ins_on(db(), settings()),
        practice=strings_of(db(), survey) is not None,
    )


@screen.post("/surveys/<int:survey_id>/play")
def begin(survey_id: int) -> Response | tuple[Response, int]:
    """Begin a pass at the microphone's sampling rate; 422 for a rate that is none."""
    sounding(survey_id)
    order = request.form.get("order", "")
    try:
        stream = Stream(request.form.get("rate", 0.0, type=float))
    except ValueError as error:
        return jsonify(error=f"{error}."), 422
    if order not in ORDERS:
        return jsonify(error=f"Choose one of: {', '.join(ORDERS.values())}."), 422
    name = _passes().begin(Playing(survey_id, order, stream))
    return jsonify(href=url_for(".play", survey_id=survey_id) + f"/{name}")


@screen.post("/surveys/<int:survey_id>/play/<name>/<int:piece>")
def hear(survey_id: int, name: str, piece: int) -> Response | tuple[Response, int]:
    """Take the next piece of the pass: samples of 16 bits, the least byte first; `?last=1` ends it.

    Answers what was told since `?told=`. A piece that came before is not taken again; one too early: 409.
    """
    survey, _, plan = sounding(survey_id)
    raw = request.get_data()[:MOST_PIECE]
    samples = np.frombuffer(raw[: len(raw) // 2 * 2], "<i2") / 32768.0
    try:
        playing = _passes().get(name, survey_id)
    except NotFoundError:
        return jsonify(error=GONE), 410
    with playing.lock:
        if piece > playing.chunks:
            return jsonify(error="A piece of the sound is missing: press Listen again."), 409
        if piece == playing.chunks:
            playing.chunks += 1
            before = len(playing.told)
            playing.hear(db(), now(), survey, plan, samples, last="last" in request.args)
            if len(playing.told) > before:
                following().tell(topic_of(survey_id))
        return _state(survey, plan, playing, request.args.get("told", 0, type=int))


@screen.get("/surveys/<int:survey_id>/stand-in/<code>.wav")
def stand_in(survey_id: int, code: str) -> Response:
    """A note of a practice neck's own strings, or of some that are none for a bench of made-up data; `?wrong=1` is
    another fret's.
    """
    survey, instrument, plan = sounding(survey_id)
    note, practice = note_named(survey, code), strings_of(db(), survey)
    if note is None or plan.strings[note.string - 1].note == "":
        raise NotFoundError(code)
    if practice is None and not stand_ins_on(db(), settings()):
        raise NotFoundError(code)
    spec = instrument.spec
    strings: StandInStrings | PracticeStrings = (
        StandInStrings(
            plan.strings, spec.mean_scale_mm, spec.frets, string_kind(spec, plan.strings), spec.name, plan.a4_hz
        )
        if practice is None
        else PracticeStrings(*practice)
    )
    sound = strings.note(note.string, note.fret, note.what == "harmonic", wrong="wrong" in request.args)
    return send_file(io.BytesIO(wav_of(sound, ROOM_RATE)), mimetype="audio/wav")


@screen.post("/surveys/<int:survey_id>/play/<name>/<any(again, skip):what>")
def point(survey_id: int, name: str, what: str) -> Response | tuple[Response, int]:
    """Ask for the last note again, or for the one after the one that is asked for; or for a note by its code."""
    survey, _, plan = sounding(survey_id)
    try:
        playing = _passes().get(name, survey_id)
    except NotFoundError:
        return jsonify(error=GONE), 410
    with playing.lock:
        named = note_named(survey, request.form.get("note", ""))
        if named is not None:
            playing.at = named
        elif what == "again":
            playing.again()
        else:
            playing.skip(listening(db(), survey, plan))
        return _state(survey, plan, playing, len(playing.told))


@screen.get("/surveys/<int:survey_id>/play/<name>/<int:told>.wav")
def replay(survey_id: int, name: str, told: int) -> Response:
    """One of the last notes, as it was heard."""
    sounding(survey_id)
    playing = _passes().get(name, survey_id)
    with playing.lock:
        samples = next((samples for number, samples in playing.sounds if number == told), None)
    if samples is None:
        raise NotFoundError(told)
    return send_file(io.BytesIO(wav_of(samples, round(playing.stream.rate))), mimetype="audio/wav")


def _passes() -> Passes:
    found: Passes = current_app.extensions.setdefault("passes", Passes())
    return found


def _state(survey: surveys.Survey, plan: SetupPlan, playing: Playing, since: int) -> Response:
    heard = listening(db(), survey, plan)
    at = playing.next_note(heard)
    names, hz = string_names(plan), heard.pitch_hz(at) if at else None
    return jsonify(
        at=at.code if at else "",
        ask=_asked(at, names) if at else "Every note is heard.",
        hz=round(hz, 1) if hz is not None else None,
        left=heard.left,
        seconds=round(playing.stream.seconds, 1),
        told=[_told(k, one, names) for k, one in enumerate(playing.told) if k >= since],
    )


def _asked(note: Note, names: dict[int, str]) -> str:
    what = {"open": "open", "harmonic": "harmonic over 12", "fretted": f"fretted at {note.fret}"}[note.what]
    return f"string {names[note.string]} {what}"


def _told(number: int, one: Told, names: dict[int, str]) -> dict[str, Any]:
    kind = SURVEY_KINDS["intonation"]
    return {
        "number": number,
        "code": one.note.code if one.note else "",
        "where": _asked(one.note, names) if one.note else "",
        "words": one.words.replace("-", "−"),
        "buzz": f"{100 * one.buzz:.0f} % that it buzzes" if one.buzz is not None and one.buzz >= OFFERED else "",
        "kept": one.taken is not None,
        "hz": f"{one.taken.pitch.hz:.2f}" if one.taken else "",
        "sd": f"{one.taken.pitch.sd_cents:.1f}" if one.taken else "",
        "cents": {
            f"{string}-fretted-{fret}": kind.words(value, display())
            for (string, fret), value in (one.taken.cents if one.taken else {}).items()
        },
    }
