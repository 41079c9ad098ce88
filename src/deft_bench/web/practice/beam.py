"""Level with the beam: strokes where the hand bears, press, tap, ink, and the debrief with the true tops."""

from functools import partial

from flask import render_template
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError, level_words
from deft_bench.bench.practice.beam import UnderTheBeam, call_level, debrief_beam, last_read, under_the_beam, work
from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice.beam import (
    FRETS,
    LEVEL_MM,
    POSITIONS,
    SECONDS,
    Done,
    What,
)
from deft_bench.core.practice.level_work import FLAT_SHARE, METAL_SHARE, STROKES
from deft_bench.web.drawing.beamed_neck import UM_FOR_ALL, under_beam
from deft_bench.web.practice.screen import acted_on, closed_by, screen
from deft_bench.web.support import Form, db, display, now, or_404

WHATS: dict[str, What] = {
    "light": "stroke",
    "firm": "stroke",
    "press": "press",
    "tap": "tap",
    "ink": "ink",
    "read": "read",
}
ALL_LANES = "all three"


def page(attempt_id: int) -> str:
    """The stage, or the debrief once it is answered."""
    found = under_the_beam(db(), attempt_id)
    if found.attempt.named is None:
        return _stage(found, Form())
    told = debrief_beam(found)
    home = found.piece.home()
    left = {lane: home.to_come_off(lane) for lane in LANES}
    return render_template(
        "practice/beam_debrief.html",
        section="practice",
        found=found,
        told=told,
        level_words=level_words(found.attempt),
        shares=(FLAT_SHARE, METAL_SHARE),
        drawn=under_beam(found.piece, POSITIONS, left, {n: up for n, up in enumerate(found.truth.lifted, 1) if up}),
        done_words=done_words,
        level_mm=LEVEL_MM,
        for_all_mm=UM_FOR_ALL / 1000,
    )


@screen.post("/practice/<int:attempt_id>/work")
def worked(attempt_id: int) -> str | Response | tuple[str, int]:
    """Strokes, press, tap, ink or read; a script gets the stage alone."""
    form = Form()
    did = form.text("did")
    what = WHATS.get(did)
    lane = form.text("lane", ALL_LANES)
    lanes = LANES if lane == ALL_LANES else (lane,)
    fret = form.count("fret", 1, FRETS)
    if what is None:
        form.errors["did"] = f"Choose one of: {', '.join(WHATS)}."
    with or_404():
        try:
            if what is None or form.errors:
                found = under_the_beam(db(), attempt_id)
            else:
                found = work(db(), now(), attempt_id, what, fret or 0, lanes, firm=did == "firm")
        except PracticeError as error:
            form.errors["did"], found = str(error), under_the_beam(db(), attempt_id)
    draw = partial(_stage, found, form)
    return acted_on(attempt_id, form, draw, "practice/beam_stage.html", "practice/beam.html")


@screen.post("/practice/<int:attempt_id>/level")
def levelled(attempt_id: int) -> Response:
    """Say that it is level."""
    return closed_by(call_level, attempt_id)


def done_words(one: Done) -> str:
    """What was done and what it said."""
    if one.what == "stroke":
        where = "all three lanes" if len(one.lanes) == len(LANES) else f"the {one.lanes[0]}"
        return f"{STROKES} {'firm' if one.firm else 'light'} strokes along {where}, the hand over fret {one.fret}"
    if one.what == "press":
        return f"Pressed fret {one.fret}: {'it gives' if one.gives else 'it stands firm'}"
    if one.what == "tap":
        return f"Tapped fret {one.fret}: {'it went home' if one.gives else 'it was home already'}"
    if one.what == "ink":
        return "Inked every top again"
    most = max(max(offs) for offs in one.read.values())
    return f"Read the tops: up to {display().fine_mm(most)} should come off"


def _stage(found: UnderTheBeam, form: Form, template: str = "practice/beam.html") -> str:
    last = last_read(found)
    stroke = next((one for one in reversed(found.done) if one.what == "stroke"), None)
    lane = stroke.lanes[0] if stroke and len(stroke.lanes) == 1 else ALL_LANES
    return render_template(
        template,
        section="practice",
        found=found,
        level_words=level_words(found.attempt),
        drawn=under_beam(found.piece, POSITIONS, last.read if last else None),
        fresh=last is not None and found.done[-1] is last,
        say=done_words(found.done[-1]) if found.done else "",
        read=last is not None,
        done_words=done_words,
        takes=SECONDS,
        strokes=STROKES,
        lanes=[ALL_LANES, *LANES],
        values={"fret": form.text("fret", str(stroke.fret if stroke else 11)), "lane": form.text("lane", lane)},
        level_mm=LEVEL_MM,
        for_all_mm=UM_FOR_ALL / 1000,
        errors=form.errors,
    )
