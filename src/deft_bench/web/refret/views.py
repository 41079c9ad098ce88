"""Refret: what goes in, the gates on the way, the holder and the cutting plan, seating and ends."""

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench import refretting
from deft_bench.bench.refret_progress import (
    cutting_of,
    latest_values,
    notches_in,
    refret_facts,
    refret_plan,
    tightest_radius,
)
from deft_bench.bench.refretting import RefretRefusedError, WireTaken
from deft_bench.bench.schools import of_refret
from deft_bench.core.calls import frets_named
from deft_bench.core.described import described
from deft_bench.core.frets.wire import wire_call
from deft_bench.core.limits import NOTCH_WIDE_MM, SEATING_GAP_MM
from deft_bench.core.refret import END_STEPS, SIDES, RefretPlan, refret_now, rest_advice, slot_needs
from deft_bench.store import instruments, jobs, refrets, shop
from deft_bench.web.drawing.history import relief_chart
from deft_bench.web.drawing.neck_drawing import neck_drawing
from deft_bench.web.errors import wants_json
from deft_bench.web.numbered import shown_rows
from deft_bench.web.places import linked_steps
from deft_bench.web.refret.form import BOXES, PLACES_IN_SLOT, read, values_of
from deft_bench.web.support import db, display, job_or_404, now, settings, words_only
from deft_bench.web.typed import as_typed, keep_typed

screen = Blueprint("refret", __name__, template_folder="templates")


@screen.route("/jobs/<int:job_id>/refret", methods=["GET", "POST"])
def show(job_id: int) -> str | Response | tuple[str, int]:
    """The refret; sending its form saves it whole, or nothing when a box is refused. `?wire=` fills the boxes from
    stock.
    """
    job, instrument = job_or_404(job_id)
    plan, _ = refret_plan(db(), job, instrument)
    if request.method == "GET":
        wires = {wire.id: wire for wire in refrets.wires(db())}
        picked = wires.get(request.args.get("wire", 0, type=int))
        plan = refretting.with_wire(plan, picked) if picked else plan
        return _page(job, instrument, plan, as_typed(instrument.id, values_of(plan)), {}, picked=picked)
    form = read(request.form, plan, instrument.spec)
    if form.plan is None:
        return _page(job, instrument, plan, form.values, form.errors), 422
    changed = refretting.save_refret(db(), now(), job, form.plan)
    keep_typed(instrument.id, request.form)
    if "stock" in request.form:
        refretting.keep_wire(db(), now(), form.plan)
        flash("Saved, and the wire is in stock under its name.")
    else:
        also = " The run sheet is planned again with it." if of_refret(plan) != of_refret(form.plan) else ""
        flash(f"Saved; what it was before is kept.{also}" if changed else "Nothing was changed.")
    return redirect(url_for(".show", job_id=job_id))


@screen.post("/jobs/<int:job_id>/refret/preview")
def preview(job_id: int) -> Response:
    """The wire call and the cutting plan with the numbers as they stand in the boxes; nothing is saved."""
    job, instrument = job_or_404(job_id)
    plan, _ = refret_plan(db(), job, instrument)
    form = read(request.form, plan, instrument.spec)
    sent = {*request.form, "pieces_um", "obstructions"}
    words = {name: form.errors.get(name, "") for name in BOXES if name in sent or name in form.errors}
    if form.plan is None:
        return words_only(words, "refret")
    state = "saved" if form.plan == plan else "unsaved"
    panel = render_template("refret/live.html", **_live(job, instrument, form.plan))
    return make_response(
        panel + render_template("shared/words.html", words=words, elsewhere=[], state=state, what="refret")
    )


def _live(job: jobs.Job, instrument: instruments.Instrument, plan: RefretPlan) -> dict[str, Any]:
    """What follows the boxes: how the wire fits, and the holder with its cutting plan."""
    shown = display()
    fit, call = wire_call(
        plan.slot_um / 1000,
        plan.tang_width_um / 1000,
        plan.barb_width_um / 1000,
        plan.wire_radius_um / 1000,
        tightest_radius(instrument),
        shown.fine_mm,
        lambda mm: shown.long(round(mm * 1000)),
    )
    cutting, problem = cutting_of(db(), instrument, plan)
    return {
        "notches": notches_in(db(), job, instrument, plan),
        "notch_wide_mm": NOTCH_WIDE_MM,
        "job": job,
        "instrument": instrument,
        "plan": plan,
        "fit": fit,
        "wire_call": call,
        "cutting": cutting,
        "cut_problem": problem,
    }


def _page(
    job: jobs.Job,
    instrument: instruments.Instrument,
    plan: RefretPlan,
    values: Mapping[str, Any],
    errors: dict[str, str],
    picked: refrets.Wire | None = None,
) -> str:
    spec = instrument.spec
    facts = refret_facts(db(), settings(), job, instrument)
    code, say = refret_now(facts, display().fine_mm)
    depth, seat = latest_values(db(), job, "slot_depth"), latest_values(db(), job, "seating")
    some = len(plan.frets) < spec.frets
    climate = shop.latest_climate(db())
    sprouts = refretting.sprouts(db(), instrument)
    neck = neck_drawing(
        spec,
        display(),
        nut_side=settings().nut_side,
        off_mm=refretting.seated_off_mm(db(), job, spec.frets),
        marks={fret: {"lift"} for fret in plan.frets} if some else {},
        rock_mm=SEATING_GAP_MM,
    )
    return render_template(
        "refret/show.html",
        section="instruments",
        values=values,
        errors=errors,
        described=described(RefretPlan),
        rows_of=lambda name: range(shown_rows(values, name, 2)),
        places_in_slot=PLACES_IN_SLOT,
        steps=linked_steps(job, instrument),
        at_step=code,
        say=say,
        facts=facts,
        end_steps=END_STEPS,
        sides=SIDES,
        wires=refrets.wires(db()),
        picked=picked,
        depth_survey=depth[0] if depth else None,
        seat_survey=seat[0] if seat else None,
        fitted=refrets.fitted(db(), job.id),
        rest=rest_advice(climate[2] if climate else None),
        sprouts=sprouts,
        sprout_chart=relief_chart(sprouts, display(), least_mm=0.1),
        neck=neck,
        frets_said=frets_named(list(plan.frets)) if some else "all frets",
        needs=slot_needs(plan.tang_depth_um, plan.gap_um),
        **_live(job, instrument, plan),
    )


@screen.post("/jobs/<int:job_id>/refret/cut")
def cut(job_id: int) -> Response | tuple[Response, int]:
    """Tick one blank off as cut and in the holder, or take the tick back."""
    job, instrument = job_or_404(job_id)
    fret = request.form.get("fret", 0, type=int)
    try:
        plan = refretting.toggle_cut(db(), now(), job, instrument, fret)
        ticked, done = fret in plan.cut, len(plan.cut)
    except RefretRefusedError as error:
        flash(str(error))
        ticked, done = False, len(refret_plan(db(), job, instrument)[0].cut)
    if wants_json():
        return make_response({"ticked": ticked, "done": done})
    return redirect(url_for(".show", job_id=job_id, _anchor="holder"))


@screen.post("/jobs/<int:job_id>/refret/ends")
def ends(job_id: int) -> Response:
    """Tick end work off, step and side, or take it back."""
    refretting.toggle_end(db(), now(), *job_or_404(job_id), request.form.get("end", ""))
    return redirect(url_for(".show", job_id=job_id, _anchor="ends"))


@screen.post("/jobs/<int:job_id>/refret/fitted")
def fitted(job_id: int) -> Response:
    """Record that the frets are in."""
    try:
        taken = refretting.fit_frets(db(), now(), *job_or_404(job_id))
    except RefretRefusedError as error:
        flash(str(error))
        return redirect(url_for(".show", job_id=job_id, _anchor=error.where))
    flash(f"The frets are recorded as fitted. Look for daylight under every crown.{_wire_words(taken)}")
    return redirect(url_for("surveys.new", job_id=job_id, kind="seating"))


def _wire_words(taken: WireTaken) -> str:
    if taken.problem:
        return f" The stock is not changed: {taken.problem}."
    if not taken.pieces:
        return ""
    kept = f", {taken.offcuts} offcut{'s' if taken.offcuts > 1 else ''} kept" if taken.offcuts else ""
    return f" {taken.pieces} piece{'s' if taken.pieces > 1 else ''} of wire left the stock{kept}."
