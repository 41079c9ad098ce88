"""A whole job on a practice neck: its stage, the tool in a survey's own screen, and the debrief."""

from collections.abc import Mapping
from functools import partial

from flask import Response as Answer
from flask import current_app, flash, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.next_step import called, next_step
from deft_bench.bench.practice.attempts import PracticeError
from deft_bench.bench.practice.challenges import whole_as_challenge
from deft_bench.bench.practice.handing_in import hand_in
from deft_bench.bench.practice.whole import (
    as_typed,
    kind_of,
    read_what_is_left,
    tool_reads,
    whole_job,
)
from deft_bench.bench.surveying import gauge_of
from deft_bench.core.practice.drills import WHOLE, WHOLE_SETUP
from deft_bench.store import practice_necks
from deft_bench.web.devices.stand_ins import set_down
from deft_bench.web.practice import whole_level, whole_setup
from deft_bench.web.practice.screen import screen
from deft_bench.web.practice.whole_page import WholePage
from deft_bench.web.support import Form, NotFoundError, db, now, or_404, settings, survey_or_404

WHOLE_PAGES: Mapping[str, WholePage] = {WHOLE: whole_level.PAGE, WHOLE_SETUP: whole_setup.PAGE}
PAGE, PART = "practice/whole.html", "practice/whole_part.html"


@screen.get("/practice/necks/<int:neck_id>")
def neck(neck_id: int) -> str:
    """The stage, or the debrief once the job is handed in; `?moment=` is the one that is shown there."""
    with or_404():
        handed_in = practice_necks.get(db(), neck_id).handed_in_at is not None
    found = whole_job(db(), neck_id, every_neck=handed_in)
    page = WHOLE_PAGES[found.kind.drill]
    return page.debrief(found) if handed_in else page.stage(found, Form(), "", PAGE)


@screen.get("/practice/instruments/<int:instrument_id>")
def of_instrument(instrument_id: int) -> Response:
    """To the stage of the practice neck that an instrument is."""
    kept = practice_necks.of_instrument(db(), instrument_id)
    if kept is None:
        raise NotFoundError("practice neck")
    return redirect(url_for(".neck", neck_id=kept.id))


@screen.get("/practice/necks/<int:neck_id>/call")
def neck_call(neck_id: int) -> str:
    """What the program says by now: it takes longer than a stroke, so the page asks for it by itself."""
    with or_404():
        found = whole_job(db(), neck_id)
    if not found.kept.calls:
        return ""
    step = next_step(db(), settings(), found.job, found.instrument)
    say = called(db(), settings(), found.job, found.instrument, step)
    return render_template("practice/neck_call.html", found=found, step=step, say=say)


@screen.post("/practice/necks/<int:neck_id>/work")
def neck_worked(neck_id: int) -> str | Response | tuple[str, int]:
    """Read with a tool or do one thing by hand; a script gets the stage alone."""
    form, said, done = Form(), "", None
    with or_404():
        kept = practice_necks.get(db(), neck_id)
    page = WHOLE_PAGES[kind_of(kept).drill]
    try:
        done, said = page.done(kept, form)
    except PracticeError as error:
        form.errors["did"] = str(error)
    found = done or whole_job(db(), neck_id)
    draw = partial(page.stage, found, form, said)
    if "HX-Request" in request.headers:
        return draw(PART)
    if form.errors:
        return draw(PAGE), 422
    flash(f"{said}.")
    return redirect(url_for(".neck", neck_id=neck_id))


@screen.post("/practice/necks/<int:neck_id>/hand-in")
def hand_in_neck(neck_id: int) -> Response:
    """Hand the job in."""
    with or_404():
        try:
            hand_in(db(), settings(), now(), neck_id)
        except PracticeError as error:
            flash(str(error))
    return redirect(url_for(".neck", neck_id=neck_id))


@screen.get("/practice/necks/<int:neck_id>/challenge.json")
def whole_handed_on(neck_id: int) -> Answer:
    """A practice neck as a challenge file."""
    with or_404():
        raw = whole_as_challenge(db(), neck_id)
    answer = Answer(raw, mimetype="application/json")
    answer.headers["Content-Disposition"] = f'attachment; filename="challenge-neck-{neck_id}.json"'
    return answer


@screen.route("/practice/surveys/<int:survey_id>/tool", methods=["GET", "POST"])
def tool(survey_id: int) -> Answer | Response:
    """What the survey's tool says at a place, as JSON: nothing where the stand-in gauge was set down there. Posted, it
    reads all that is left.
    """
    survey, _ = survey_or_404(survey_id)
    if request.method == "POST":
        try:
            many = read_what_is_left(db(), settings(), now(), survey)
            flash(f"{many} reading{'s' if many != 1 else ''} taken with the tool.")
        except PracticeError as error:
            flash(str(error))
        return redirect(url_for("surveys.show", survey_id=survey_id))
    place = request.args.get("lane", ""), request.args.get("fret", 0, type=int)
    stored = tool_reads(db(), survey, place)
    gauge = gauge_of(db(), survey.head.kind) if "gauge" in request.args else None
    if stored is None or (gauge and set_down(current_app, gauge.setup.name, stored / 1000)):
        return jsonify(typed=None)
    return jsonify(typed=as_typed(survey, stored))
