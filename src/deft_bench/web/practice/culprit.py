"""Find the culprit: the stage with rocker and straightedge, and the debrief with the truth."""

from functools import partial

from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError, level_words
from deft_bench.bench.practice.culprit import Practising, answer, debrief, practising, take
from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice.culprit import FRETS, RIGHT_SHARE, SECONDS, Tool
from deft_bench.web.drawing.practice_stage import stage_of
from deft_bench.web.practice.screen import acted_on, screen
from deft_bench.web.support import Form, db, now, or_404

TOOLS: dict[str, Tool] = {"rocker": "rocker", "straightedge": "straightedge", "turned": "turned"}


def page(attempt_id: int) -> str:
    """The stage, or the debrief once it is answered."""
    found = practising(db(), attempt_id)
    if found.attempt.named is None:
        return _stage(found, Form())
    told = debrief(found)
    at = request.args.get("step", type=int)
    step = len(told.steps) if at is None or not 1 <= at <= len(told.steps) else at
    return render_template(
        "practice/debrief.html",
        section="practice",
        found=found,
        told=told,
        step=step,
        right_share=RIGHT_SHARE,
        level_words=level_words(found.attempt),
        stage=stage_of(found.readings[:step], truth=found.truth, named=told.named),
    )


@screen.post("/practice/<int:attempt_id>/read")
def reading(attempt_id: int) -> str | Response | tuple[str, int]:
    """Set a tool down; a script gets the stage alone."""
    form = Form()
    tool = TOOLS.get(form.text("tool"))
    fret = form.count("fret", 2, FRETS - 1) if tool == "rocker" else 0
    if tool is None:
        form.errors["fret"] = f"Choose a tool: {', '.join(TOOLS)}."
    with or_404():
        try:
            if tool is None or fret is None:
                found = practising(db(), attempt_id)
            else:
                found = take(db(), now(), attempt_id, tool, form.text("lane"), fret)
        except PracticeError as error:
            form.errors["fret"], found = str(error), practising(db(), attempt_id)
    return acted_on(attempt_id, form, partial(_stage, found, form), "practice/stage.html", "practice/culprit.html")


@screen.post("/practice/<int:attempt_id>/answer")
def answered(attempt_id: int) -> Response | tuple[str, int]:
    """Name the frets that are out."""
    form = Form()
    proud, low = form.frets("proud", FRETS), form.frets("low", FRETS)
    both = set(proud) & set(low)
    if both:
        form.errors["low"] = f"A fret is proud or low, not both: {', '.join(map(str, sorted(both)))}."
    with or_404():
        found = practising(db(), attempt_id)
        if not form.errors:
            try:
                named = frozenset([*((n, 1) for n in proud), *((n, -1) for n in low)])
                answer(db(), now(), attempt_id, named)
                return redirect(url_for(".attempt", attempt_id=attempt_id))
            except PracticeError as error:
                if found.attempt.named is not None:
                    flash(str(error))
                    return redirect(url_for(".attempt", attempt_id=attempt_id))
                form.errors["proud"] = str(error)
    return _stage(found, form), 422


def _stage(found: Practising, form: Form, template: str = "practice/culprit.html") -> str:
    last = found.readings[-1] if found.readings else None
    lane = request.form.get("lane") or (last.lane if last else "middle")
    fret = request.form.get("fret") or str(last.fret if last and last.fret else FRETS // 2)
    return render_template(
        template,
        section="practice",
        found=found,
        level_words=level_words(found.attempt),
        stage=stage_of(found.readings),
        last=last,
        takes=SECONDS,
        lanes=LANES,
        values={"proud": "", "low": "", **request.form.to_dict(), "lane": lane, "fret": fret},
        errors=form.errors,
    )
