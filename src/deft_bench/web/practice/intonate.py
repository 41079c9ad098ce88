"""Intonate by ear: the harmonic, the fretted twelfth and both as sound, the saddle, and the debrief in cents."""

import io
from functools import partial

from flask import Response as Sent
from flask import render_template, send_file
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError, level_words
from deft_bench.bench.practice.intonate import AtTheSaddle, at_the_saddle, call_right, debrief_intonate, listen_or_turn
from deft_bench.core.practice.intonate import LEVELS, RATE, RIGHT_CENTS, RIGHT_SHARE, SECONDS, TURNS_MM, Done, What
from deft_bench.formats.recording import wav_of
from deft_bench.web.practice.screen import acted_on, closed_by, screen
from deft_bench.web.support import Form, NotFoundError, db, display, now, or_404

HEARD: dict[str, What] = {"harmonic": "harmonic", "fretted": "fretted", "both": "both"}
SAID: dict[What, str] = {
    "harmonic": "The harmonic over the twelfth",
    "fretted": "The twelfth, fretted",
    "both": "Both together: count the beats",
}


def page(attempt_id: int) -> str:
    """The stage, or the debrief once it is answered."""
    found = at_the_saddle(db(), attempt_id)
    if found.attempt.named is None:
        return _stage(found, Form())
    return render_template(
        "practice/intonate_debrief.html",
        section="practice",
        found=found,
        told=debrief_intonate(found),
        level_words=level_words(found.attempt),
        right_cents=RIGHT_CENTS,
        right_share=RIGHT_SHARE,
        done_words=done_words,
    )


@screen.post("/practice/<int:attempt_id>/hear")
def heard(attempt_id: int) -> str | Response | tuple[str, int]:
    """Listen, or move the saddle; a script gets the stage alone."""
    form = Form()
    moved = next((mm for mm in TURNS_MM if f"{mm:g}" == form.text("move")), None)
    what: What | None = "turn" if moved is not None else HEARD.get(form.text("what"))
    if what is None:
        form.errors["what"] = f"Listen to one of: {', '.join(HEARD)}; or move the saddle."
    with or_404():
        try:
            if what is None:
                found = at_the_saddle(db(), attempt_id)
            else:
                found = listen_or_turn(db(), now(), attempt_id, what, moved or 0.0)
        except PracticeError as error:
            form.errors["what"], found = str(error), at_the_saddle(db(), attempt_id)
    draw = partial(_stage, found, form)
    return acted_on(attempt_id, form, draw, "practice/intonate_stage.html", "practice/intonate.html")


@screen.post("/practice/<int:attempt_id>/right")
def called_right(attempt_id: int) -> Response:
    """Say that it is right."""
    return closed_by(call_right, attempt_id)


@screen.get("/practice/<int:attempt_id>/sound/<int:number>.wav")
def sound(attempt_id: int, number: int) -> Sent:
    """What was listened to, by its place among what was done, from 1."""
    with or_404():
        found = at_the_saddle(db(), attempt_id)
    if not 1 <= number <= len(found.done) or found.done[number - 1].what == "turn":
        raise NotFoundError(number)
    then = AtTheSaddle(found.attempt, found.truth, found.done[:number]).string
    raw = wav_of(then.sounds(found.done[number - 1].what), RATE)
    return send_file(io.BytesIO(raw), mimetype="audio/wav", max_age=3600)


def done_words(one: Done) -> str:
    """What was done."""
    if one.what != "turn":
        return SAID[one.what]
    return f"Moved the saddle {display().fine_mm(abs(one.mm))} {'back' if one.mm > 0 else 'forward'}"


def _stage(found: AtTheSaddle, form: Form, template: str = "practice/intonate.html") -> str:
    plays = bool(found.done) and found.done[-1].what != "turn"
    return render_template(
        template,
        section="practice",
        found=found,
        level_words=level_words(found.attempt),
        say=done_words(found.done[-1]) if found.done else "",
        plays=len(found.done) if plays else None,
        together=found.attempt.level < max(LEVELS),
        turns=[mm for mm in TURNS_MM if mm > 0],
        done_words=done_words,
        takes=SECONDS,
        right_cents=RIGHT_CENTS,
        errors=form.errors,
    )
