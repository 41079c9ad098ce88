"""Straight in three turns: edge and blades, wrench and waiting, and the debrief with the true relief."""

from functools import partial

from flask import flash, redirect, render_template, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError, level_words
from deft_bench.bench.practice.straight import SAYINGS, AtTheRod, act, at_the_rod, debrief_rod, leave
from deft_bench.core.neck.rod_call import turn_words
from deft_bench.core.practice.straight import (
    EIGHTHS,
    NEAR_MM,
    RIGHT_SHARE,
    SECONDS,
    TURN_SHARE,
    TURNS_WANTED,
    Done,
    What,
)
from deft_bench.web.drawing.bowed_neck import bowed_neck
from deft_bench.web.practice.screen import acted_on, screen
from deft_bench.web.support import Form, db, display, now, or_404

WHATS: dict[str, What] = {"read": "read", "turn": "turn", "wait": "wait"}
FELT = {
    "easy": "it goes easily",
    "firm": "it goes firmly",
    "hard": "it goes hard: its end is near",
    "stops": "it stops, and nothing moves: turning on would be force",
    "forced": "it was forced, and something gave",
}


def page(attempt_id: int) -> str:
    """The stage, or the debrief once it is answered."""
    found = at_the_rod(db(), attempt_id)
    if found.attempt.named is None:
        return _stage(found, Form())
    told = debrief_rod(found)
    return render_template(
        "practice/straight_debrief.html",
        section="practice",
        found=found,
        told=told,
        sayings=SAYINGS,
        level_words=level_words(found.attempt),
        shares=(RIGHT_SHARE, TURN_SHARE),
        wanted=TURNS_WANTED,
        bow=bowed_neck(told.score.settled_mm),
        done_words=done_words,
    )


@screen.post("/practice/<int:attempt_id>/act")
def acted(attempt_id: int) -> str | Response | tuple[str, int]:
    """Read, turn or wait; a script gets the stage alone."""
    form = Form()
    what = WHATS.get(form.text("what"))
    eighths = form.count("eighths", min(EIGHTHS), max(EIGHTHS)) if what == "turn" else 0
    if what is None:
        form.errors["what"] = f"Choose one of: {', '.join(WHATS)}."
    with or_404():
        try:
            if what is None or eighths is None:
                found = at_the_rod(db(), attempt_id)
            else:
                found = act(db(), now(), attempt_id, what, eighths)
        except PracticeError as error:
            form.errors["what"], found = str(error), at_the_rod(db(), attempt_id)
    draw = partial(_stage, found, form)
    return acted_on(attempt_id, form, draw, "practice/straight_stage.html", "practice/straight.html")


@screen.post("/practice/<int:attempt_id>/leave")
def left(attempt_id: int) -> str | Response | tuple[str, int]:
    """Say how the neck is left."""
    form = Form()
    said = next((one for one in SAYINGS if one == form.text("said")), None)
    with or_404():
        found = at_the_rod(db(), attempt_id)
        if said is None:
            form.errors["what"] = f"Say how you leave it: {' or '.join(SAYINGS.values())}."
            return _stage(found, form), 422
        try:
            leave(db(), now(), attempt_id, said)
        except PracticeError as error:
            flash(str(error))
    return redirect(url_for(".attempt", attempt_id=attempt_id))


def done_words(one: Done) -> str:
    """What was done and what it said, in the shop's units."""
    if one.what == "wait":
        return "Retuned, and let it settle"
    if one.what == "turn":
        way = "Tightened" if one.eighths > 0 else "Loosened"
        return f"{way} {turn_words(one.eighths / 8)}: {FELT[one.feel]}"
    where = "under both ends, the edge on the middle" if one.back else "under the middle, the edge on the ends"
    if one.passes_mm is None:
        return f"Read {where}: no blade passes"
    stops = f", {display().fine_mm(one.stops_mm)} stops" if one.stops_mm is not None else ""
    return f"Read {where}: {display().fine_mm(one.passes_mm)} passes{stops}"


def _stage(found: AtTheRod, form: Form, template: str = "practice/straight.html") -> str:
    last = found.last_read
    return render_template(
        template,
        section="practice",
        found=found,
        level_words=level_words(found.attempt),
        bow=bowed_neck(last.relief_mm if last else 0.0),
        say=done_words(found.done[-1]) if found.done else "",
        done_words=done_words,
        takes=SECONDS,
        near_mm=NEAR_MM,
        errors=form.errors,
    )
