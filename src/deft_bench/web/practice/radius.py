"""Radius by scribble: strokes with the radius block, pencil, the gauge, and the debrief with what is left."""

from functools import partial

from flask import render_template
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError, level_words
from deft_bench.bench.practice.radius import UnderTheBlock, call_true, debrief_radius, gauged, sand, under_the_block
from deft_bench.core.practice.level_work import FLAT_SHARE, METAL_SHARE
from deft_bench.core.practice.radius import ALONG, LEANS, PLACES, SECONDS, STROKES, TRUE_MM, Done, Lean, What
from deft_bench.web.drawing.scribbled_blank import UM_FOR_ALL, scribbled_blank
from deft_bench.web.practice.screen import acted_on, closed_by, screen
from deft_bench.web.support import Form, db, display, now, or_404

WHATS: dict[str, What] = {
    "light": "sand",
    "firm": "sand",
    "along_light": "sand",
    "along_firm": "sand",
    "scribble": "scribble",
    "gauge": "gauge",
}
HAND: dict[Lean, str] = {"bass": "the bass side", "even": "the middle", "treble": "the treble side"}


def page(attempt_id: int) -> str:
    """The stage, or the debrief once it is answered."""
    found = under_the_block(db(), attempt_id)
    if found.attempt.named is None:
        return _stage(found, Form())
    score, program = debrief_radius(found)
    return render_template(
        "practice/radius_debrief.html",
        section="practice",
        found=found,
        score=score,
        program=program,
        level_words=level_words(found.attempt),
        shares=(FLAT_SHARE, METAL_SHARE),
        drawn=scribbled_blank(found.piece, off=found.piece.to_come_off()),
        done_words=done_words,
        true_mm=TRUE_MM,
        for_all_mm=UM_FOR_ALL / 1000,
    )


@screen.post("/practice/<int:attempt_id>/sand")
def sanded(attempt_id: int) -> str | Response | tuple[str, int]:
    """Strokes, pencil or gauge; a script gets the stage alone."""
    form = Form()
    did = form.text("did")
    what, lean = WHATS.get(did), next((one for one in LEANS if one == form.text("lane", "even")), None)
    place = form.count("fret", 1, PLACES)
    if what is None or lean is None:
        form.errors["did"] = f"Choose one of: {', '.join(WHATS if what is None else LEANS)}."
    with or_404():
        try:
            if what is None or lean is None or form.errors:
                found = under_the_block(db(), attempt_id)
            else:
                at = ALONG if did.startswith("along") else place or 0
                found = sand(db(), now(), attempt_id, what, at, lean, firm=did.endswith("firm"))
        except PracticeError as error:
            form.errors["did"], found = str(error), under_the_block(db(), attempt_id)
    draw = partial(_stage, found, form)
    return acted_on(attempt_id, form, draw, "practice/radius_stage.html", "practice/radius.html")


@screen.post("/practice/<int:attempt_id>/true")
def is_true(attempt_id: int) -> Response:
    """Say that the radius is true."""
    return closed_by(call_true, attempt_id)


def done_words(one: Done) -> str:
    """What was done and what it said."""
    if one.what == "scribble":
        return "Scribbled over it again"
    if one.what == "gauge":
        most = max(one.gaps_mm)
        if not most:
            return f"Gauge at place {one.place}: no light"
        across = one.gaps_mm.index(most) / (len(one.gaps_mm) - 1)
        where = "the bass edge" if across < 0.3 else "the treble edge" if across > 0.7 else "the middle"
        return f"Gauge at place {one.place}: light of up to {display().fine_mm(most)}, most at {where}"
    firm = "firm" if one.firm else "light"
    over = "along the whole" if one.place == ALONG else f"over place {one.place}"
    return f"{STROKES} {firm} strokes {over}, the hand on {HAND[one.lean]}"


def _stage(found: UnderTheBlock, form: Form, template: str = "practice/radius.html") -> str:
    last = found.done[-1] if found.done else None
    stroke = next((one for one in reversed(found.done) if one.place), None)
    lean = next((one.lean for one in reversed(found.done) if one.what == "sand"), "even")
    light = gauged(found)
    return render_template(
        template,
        section="practice",
        found=found,
        level_words=level_words(found.attempt),
        drawn=scribbled_blank(found.piece, light),
        gauged=bool(light),
        say=done_words(last) if last else "",
        done_words=done_words,
        takes=SECONDS,
        strokes=STROKES,
        leans=list(LEANS),
        values={"fret": form.text("fret", str(stroke.place if stroke else 5)), "lane": form.text("lane", lean)},
        true_mm=TRUE_MM,
        for_all_mm=UM_FOR_ALL / 1000,
        errors=form.errors,
    )
