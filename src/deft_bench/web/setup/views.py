"""Setup: what is read, what is tried, the lowest setup and what to do for it."""

from typing import Any

from flask import flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.setup.signing import NotSignedError, ask_again, sign_off
from deft_bench.bench.setup.solving import NothingReadError, accept_cure, accept_setup, intake_due
from deft_bench.core.strings.customary import string_kind
from deft_bench.core.strings.setup_plan import SetupPlan
from deft_bench.store import instruments, jobs, presets, setups
from deft_bench.web.places import linked_next
from deft_bench.web.setup.form import read, values_of
from deft_bench.web.setup.screen import common, save, screen, setup_or_404
from deft_bench.web.setup.trial import boxes, live, most_capo, preset_asked, read_trial, trial_values
from deft_bench.web.support import Form, db, instrument_or_404, now, page_of_ours, settings, words_only


@screen.get("/instruments/<int:instrument_id>/setup")
def show(instrument_id: int) -> str:
    """The Setup screen. `?string=&fretted=` chooses what is drawn."""
    return _page(*setup_or_404(instrument_id), {}, {})


def _page(instrument: instruments.Instrument, plan: SetupPlan, values: dict[str, str], errors: dict[str, str]) -> str:
    """The screen; `values` are boxes as they were sent, over those that it starts with."""
    shown = common(instrument, plan, "show")
    if not shown["playable"]:
        return render_template("setup/short.html", **shown)
    picture = live(instrument, plan, None, request.args)
    values = trial_values(picture["findings"]) | values_of(plan) | values
    shown |= {
        "most_capo": most_capo(instrument.spec),
        "presets": presets.named(db(), string_kind(instrument.spec, plan.strings)),
    }
    return render_template("setup/show.html", **shown, **picture, **_to_do(shown), values=values, errors=errors)


def _to_do(shown: dict[str, Any]) -> dict[str, Any]:
    """The job's accepted setup, and where each thing to do is done."""
    here: int = shown["instrument"].id
    accepted = setups.last_accepted(db(), shown["job"].id) if shown["job"] else None
    places = {
        "survey": url_for("setup.intake", instrument_id=here),
        "neck": url_for("neck.show", aim="playing", instrument_id=here),
        "nut": url_for("setup.nut", instrument_id=here),
        "saddle": url_for("setup.saddle", instrument_id=here),
    }
    return {"targets": accepted.target if accepted else None, "places": places}


@screen.post("/instruments/<int:instrument_id>/setup/preview")
def preview(instrument_id: int) -> Response:
    """The picture with the numbers as they stand in the boxes; nothing is saved."""
    instrument, plan = setup_or_404(instrument_id)
    shown = common(instrument, plan, "show")
    if not shown["playable"]:
        return make_response("", 204)
    form = Form()
    trial = read_trial(form, instrument, plan)
    words = {name: form.errors.get(name, "") for name in boxes(instrument)}
    if trial is None:
        return words_only(words, "setup")
    picture = live(instrument, plan, trial, request.form)
    panel = render_template("setup/live.html", **shown, **picture, **_to_do(shown), swapped=True)
    said = render_template("shared/words.html", words=words, elsewhere=[], state="tried", what="setup")
    return make_response(panel + said)


@screen.post("/instruments/<int:instrument_id>/setup/accept")
def accept(instrument_id: int) -> Response | tuple[str, int]:
    """Accept the solved setup, the shop's preset, or what is tried, as the job's target."""
    instrument, plan = setup_or_404(instrument_id)
    shown = common(instrument, plan, "show")
    job, back = shown["job"], redirect(url_for(".show", instrument_id=instrument_id))
    if job is None or job.kind != "setup" or not shown["playable"]:
        flash("Open a setup job first: the accepted setup is part of its record.")
        return back
    trial = None
    if request.form.get("which") == "tried":
        form = Form()
        trial = read_trial(form, instrument, plan)
        if trial is None:
            return _page(instrument, plan, dict(request.form), form.errors), 422
    chosen = preset_asked(request.form) if request.form.get("which") == "preset" else None
    try:
        accept_setup(db(), settings(), now(), job, instrument, plan, trial, chosen)
    except NothingReadError as error:
        flash(str(error))
        return back
    flash("Accepted. Relief first, then the nut, then the saddles; read again after each.")
    return back


@screen.post("/instruments/<int:instrument_id>/setup/cure")
def cure(instrument_id: int) -> Response:
    """Accept the setup that cures what buzzes: by the cure to try first, or with the action raised."""
    instrument, plan = setup_or_404(instrument_id)
    shown = common(instrument, plan, "buzz")
    if shown["facts"] is None or not shown["playable"]:
        flash("Open a setup job first: the accepted setup is part of its record.")
        return redirect(url_for(".buzz", instrument_id=instrument_id))
    raised = request.form.get("by") == "action"
    if accept_cure(db(), settings(), now(), shown["job"], instrument, plan, raised=raised):
        flash("Accepted. What has to move is asked for again, in order; then play every note.")
        return redirect(linked_next(shown["job"], instrument).href)
    flash("Nothing to accept: play and mark some notes, with the action of every string read.")
    return redirect(url_for(".buzz", instrument_id=instrument_id))


@screen.post("/instruments/<int:instrument_id>/setup/sign-off")
def sign(instrument_id: int) -> Response:
    """Pass the step that is due as it is, with a reason; or ask for one that was passed so again."""
    instrument, plan = setup_or_404(instrument_id)
    shown, step = common(instrument, plan, "show"), request.form.get("step", "")
    back = redirect(page_of_ours(request.form.get("back", "")) or url_for(".show", instrument_id=instrument_id))
    if shown["facts"] is None:
        flash("Open a setup job first: a reason is part of its record.")
        return back
    try:
        if "again" in request.form:
            ask_again(db(), now(), shown["job"], step)
            flash("It is asked for again.")
        else:
            reason = " ".join(request.form.get("reason", "").split())
            sign_off(db(), settings(), now(), shown["job"], instrument, step, reason)
            flash("Signed off. The reason stands in the report.")
    except NotSignedError as error:
        flash(f"Not signed off. {error}")
    return back


@screen.get("/instruments/<int:instrument_id>/setup/intake")
def intake(instrument_id: int) -> Response:
    """Go to the next reading that the intake wants."""
    instrument = instrument_or_404(instrument_id)
    job = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    if job is None:
        flash("Open a job first: readings belong to one.")
        return redirect(url_for("instruments.show", instrument_id=instrument_id, _anchor="job"))
    due = intake_due(db(), settings(), job, instrument)
    if due is None:
        return redirect(url_for(".show", instrument_id=instrument_id))
    kind, begun = due
    if begun is not None:
        return redirect(url_for("surveys.show", survey_id=begun.id))
    if kind == "straightness":
        # relief is read in one box, at the rod
        return redirect(url_for("neck.show", aim="playing", instrument_id=instrument_id))
    return redirect(url_for("surveys.new", job_id=job.id, kind=kind))


@screen.route("/instruments/<int:instrument_id>/setup/numbers", methods=["POST"])
def numbers(instrument_id: int) -> Response | tuple[str, int]:
    """Save the hand, the room to keep and the range of relief."""
    instrument, plan = setup_or_404(instrument_id)
    form = read("setup", request.form, plan, instrument.spec)
    if form.plan is None:
        return _page(instrument, plan, form.values, form.errors), 422
    save(instrument, form.plan)
    return redirect(url_for(".show", instrument_id=instrument_id))
