"""What is done at the Level screen: accepting, carrying out, seating, the gate passed over; tape for a fall-away."""

from typing import Any

from flask import flash, redirect, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.level_acceptance import NUT_STATES, accept_level, reseated_now
from deft_bench.bench.level_in_hand import fall_by_tape
from deft_bench.bench.level_planning import base_survey, read_choices
from deft_bench.core.acts import DONE, ON_FRETS
from deft_bench.core.calls import frets_named
from deft_bench.store import acts as store_acts
from deft_bench.store import jobs, seating
from deft_bench.web.level.screen import screen
from deft_bench.web.support import Form, db, display, flash_with_undo, job_or_404, now, settings, stamp

TAPE = ("tape_fret", "tape_layers", "beam_layers", "tape_um", "first_cut")


@screen.post("/jobs/<int:job_id>/level/accept")
def accept(job_id: int) -> Response:
    """Accept the plan as shown. Refused when a gate is in the way or a reading has changed since the page was made."""
    job, _ = job_or_404(job_id)
    base = base_survey(db(), job)
    if base is None:
        return redirect(url_for("surveys.next_of", job_id=job_id))
    choices = read_choices(settings(), request.form, base.frets)
    nut, shown = request.form.get("nut", ""), request.form.get("shown", "")
    refused = accept_level(db(), settings(), job_id, choices, nut, shown, stamp())
    if not refused:
        return redirect(url_for(".show", job_id=job_id))
    flash(refused)
    asked: dict[str, Any] = choices.query(change=True) | ({"nut": nut} if nut in NUT_STATES else {})
    return redirect(url_for(".show", job_id=job_id, **asked))


@screen.get("/jobs/<int:job_id>/level/tape")
def tape(job_id: int) -> Response:
    """A fall-away by tape, turned into the drop that it makes; what cannot be goes back with its reason and all that
    was typed.
    """
    _, instrument = job_or_404(job_id)
    form = Form(request.args)
    frets = instrument.spec.frets
    fret, layers, beam = (
        form.count("tape_fret", 1, frets),
        form.count("tape_layers", 0, 40),
        form.count("beam_layers", 0, 40),
    )
    thickness, first = form.length("tape_um"), form.count("first_cut", 2, frets)
    kept: dict[str, Any] = {name: request.args[name] for name in TAPE if name in request.args}
    if fret is None or layers is None or beam is None or thickness is None or first is None:
        flash("No fall-away from that tape. " + " ".join(form.errors.values()))
        return redirect(url_for(".show", job_id=job_id, _anchor="tape", **kept))
    height = (layers + beam) * thickness / 1000
    try:
        fall = fall_by_tape(settings(), instrument, fret, height, first)
    except ValueError as error:
        flash(f"No fall-away from that tape: {error}.")
        return redirect(url_for(".show", job_id=job_id, _anchor="tape", **kept))
    flash(
        f"{display().fine_mm(height)} of tape over fret {fret}: the beam cuts from fret {first} on,"
        f" {display().fine_mm(fall.last_drop_mm)} at fret {frets}. Stop when fret {first} is just touched."
    )
    drop = f"{round(fall.last_drop_mm, 3):g} mm"
    return redirect(url_for(".show", job_id=job_id, fall_from=first - 1, fall_drop=drop, **kept))


@screen.post("/jobs/<int:job_id>/level/done")
def done(job_id: int) -> Response:
    """Mark the accepted plan as carried out; the metal taken goes into the budget."""
    _, instrument = job_or_404(job_id)
    plan = jobs.last_plan(db(), job_id)
    if plan is None or not jobs.mark_done(db(), plan, instrument.id, stamp()):
        flash("There is no accepted plan waiting.")
        return redirect(url_for(".show", job_id=job_id))
    flash_with_undo("Recorded as carried out.", "done", job_id)
    return redirect(url_for("surveys.new", job_id=job_id))


@screen.post("/jobs/<int:job_id>/level/seated")
def seated(job_id: int) -> Response:
    """Record that the frets named were checked and found home, or take back what was said of the seating."""
    job, instrument = job_or_404(job_id)
    base = base_survey(db(), job)
    if "take_back" in request.form:
        seating.take_back(db(), job_id, stamp())
    elif base is not None:
        frets = _frets_sent(instrument.spec.frets)
        if frets:
            seating.keep(db(), job_id, base.id, frets, stamp())
        else:
            flash(f"Say which frets are home: whole numbers from 1 to {instrument.spec.frets}.")
    return redirect(url_for(".show", job_id=job_id))


@screen.post("/jobs/<int:job_id>/level/reseated")
def reseated(job_id: int) -> Response:
    """Record that frets were reseated, and go on to read them again: what was read before no longer holds."""
    job, instrument = job_or_404(job_id)
    frets = _frets_sent(instrument.spec.frets)
    if not frets:
        flash(f"Say which frets were reseated: whole numbers from 1 to {instrument.spec.frets}.")
        return redirect(url_for(".show", job_id=job_id))
    reseated_now(db(), now(), job, frets)
    return redirect(url_for("surveys.new", job_id=job_id))


@screen.post("/jobs/<int:job_id>/level/did")
def did(job_id: int) -> Response:
    """Record what was done to some frets: from then on they are what it left them, until they are read again."""
    job, instrument = job_or_404(job_id)
    form = Form()
    kind, frets = form.text("kind"), form.frets("frets", instrument.spec.frets)
    if kind not in ON_FRETS or not frets:
        flash("Not recorded. " + (form.errors.get("frets") or "Say which frets, and what was done to them."))
        return redirect(url_for(".show", job_id=job_id, did=form.text("frets"), _anchor="did"))
    store_acts.keep(db(), job.id, kind, frets, stamp())
    flash_with_undo(f"Recorded: {frets_named(list(frets))} {DONE[kind]}.", "act", job_id)
    return redirect(url_for(".show", job_id=job_id))


def _frets_sent(most: int) -> list[int]:
    """The frets that were sent; none where any of them is not on the neck."""
    words = request.form.get("frets", "").split(",")
    frets = [int(word) for word in words if word.isascii() and word.isdigit()]
    return frets if all(1 <= fret <= most for fret in frets) else []


@screen.post("/jobs/<int:job_id>/level/override")
def override(job_id: int) -> Response:
    """Pass over the straight gate with a note that says why; an empty note puts the gate back."""
    job, _ = job_or_404(job_id)
    note = request.form.get("note", "").strip()[:400]
    if not note and not job.override_note:
        flash("Say in a few words why it is levelled as it lies: the note stays in the record.")
    else:
        jobs.override(db(), job_id, note)
    return redirect(url_for(".show", job_id=job_id))
