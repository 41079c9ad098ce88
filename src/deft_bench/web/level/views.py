"""Level: the height map, the level line, the metal budget and the call."""

from typing import Any

from flask import Blueprint, flash, jsonify, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.level_acceptance import NUT_STATES, accept_level, carried_out, fingerprint
from deft_bench.bench.level_planning import (
    Planning,
    beam_paths,
    calc_request,
    height_surveys,
    make_plan,
    read_choices,
)
from deft_bench.bench.survey_results import facts_of, planned_drops, shown_band, survey_results
from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.fall_away_tape import fall_by_first_fret
from deft_bench.core.frets.heights import Heights
from deft_bench.core.frets.level_gate import LevelGate
from deft_bench.core.frets.plan_record import metal_taken
from deft_bench.core.work.job_sheet import Event
from deft_bench.store import acts, instruments, jobs, sheets, surveys
from deft_bench.web.drawing.lanes import budget_chart, lane_charts
from deft_bench.web.drawing.neck_drawing import neck_drawing, short_unit
from deft_bench.web.places import linked_steps
from deft_bench.web.support import Form, db, display, or_404, rock_mm, settings, stamp

screen = Blueprint(
    "level", __name__, template_folder="templates", static_folder="static", static_url_path="/level/static"
)

WARN_MM = 0.10
TAPE = ("tape_fret", "tape_layers", "beam_layers", "tape_um", "first_cut")


def _job_of(job_id: int) -> tuple[jobs.Job, instruments.Instrument]:
    with or_404():
        job = jobs.get(db(), job_id)
        return job, instruments.get(db(), job.instrument_id)


@screen.get("/jobs/<int:job_id>/level")
def show(job_id: int) -> str | Response:
    """The call, the three lanes and the budget; the choices are in the address and the figures follow them."""
    job, instrument = _job_of(job_id)
    heights = height_surveys(db(), job)
    if not heights:
        flash("Survey the fret heights first: the call is made from them.")
        return redirect(url_for("surveys.next_of", job_id=job_id))
    accepted = next(reversed(jobs.plans(db(), job_id)), None)
    waiting = accepted is not None and accepted.done_at is None and "change" not in request.args
    if waiting and accepted is not None:
        return _page(job, instrument, None, accepted=accepted)
    if accepted is not None and accepted.done_at and heights[-1].id <= accepted.survey_id:
        flash("That plan is carried out: survey again before the next call.")
        return redirect(url_for("surveys.next_of", job_id=job_id))
    gate = carried_out(db(), settings(), job, instrument)
    choices = read_choices(settings(), request.args, heights[-1].frets)
    if gate is not None and not choices.fall_drop_um and "fall_drop" not in request.args:
        # what is left is planned toward the shape that was asked for
        fall = gate[0].inputs["fall_away"]
        if fall:
            choices = read_choices(
                settings(),
                {**request.args, "fall_from": str(fall["from_fret"]), "fall_drop": f"{fall['drop_um'] / 1000} mm"},
                heights[-1].frets,
            )
    carried = planned_drops(gate[0]) if gate else None
    base = survey_results(db(), settings(), heights[-1], instrument, carried)
    try:
        planning = make_plan(db(), settings(), job, instrument, base, choices, carried)
    except ValueError as error:
        flash(f"Too little is read for a call: {error}.")
        return redirect(url_for("surveys.show", survey_id=heights[-1].id))
    page = make_response(_page(job, instrument, planning, gate=gate[1] if gate else None))
    if not choices.errors:
        asked: dict[str, Any] = choices.query()
        page.headers["HX-Push-Url"] = url_for(".show", job_id=job_id, **asked)
    return page


def _page(
    job: jobs.Job,
    instrument: instruments.Instrument,
    planning: Planning | None,
    *,
    accepted: jobs.AcceptedPlan | None = None,
    gate: LevelGate | None = None,
) -> str:
    if planning is None:
        assert accepted is not None
        # as it was accepted, whatever has become of the readings since
        base = surveys.get(db(), accepted.survey_id)
        heights: dict[str, Heights] = {
            lane: [None if um is None else um / 1000 for um in found]
            for lane, found in accepted.inputs["heights_um"].items()
        }
        fall = accepted.inputs["fall_away"] or {}
        asked = {
            "lift": ",".join(map(str, accepted.inputs["lift"])) or "none",
            "left_out": ",".join(map(str, accepted.inputs["left_out"])),
            "objective": accepted.inputs["objective"],
            "fall_from": str(fall.get("from_fret", "")),
            "fall_drop": f"{fall['drop_um'] / 1000} mm" if fall else "",
            "school": accepted.inputs.get("school", "full"),
        }
        choices = read_choices(settings(), asked, base.frets)
        planning = make_plan(
            db(),
            settings(),
            job,
            instrument,
            survey_results(db(), settings(), base, instrument),
            choices,
            planned_from=heights,
        )
    chosen, plan = planning.chosen, planning.plan
    marks: dict[int, set[str]] = {fret: {"left-out"} for fret in planning.choices.left_out}
    for fret in chosen.lift:
        marks.setdefault(fret, set()).add("lift")
    for fret in plan.below_least(chosen):
        marks.setdefault(fret, set()).add("short")
    turned = settings().nut_side
    mirrored = instrument.spec.left_handed != (turned == "right")
    request_of = plan.request
    partial = request.headers.get("HX-Target") == "level"
    return render_template(
        "level/panel.html" if partial else "level/show.html",
        partial=partial,
        from_form=request.headers.get("HX-Trigger") == "choices",
        section="instruments",
        job=job,
        instrument=instrument,
        steps=linked_steps(job, instrument),
        planning=planning,
        choices=planning.choices,
        chosen=chosen,
        call=planning.call,
        accepted=accepted,
        gate=gate,
        gate_mm=shown_band(gate, planning.base) if gate else 0.0,
        neck=neck_drawing(
            instrument.spec,
            display(),
            nut_side=turned,
            off_mm=planning.base.figures.off_mm,
            marks=marks,
            rock_mm=rock_mm(),
        ),
        charts=lane_charts(
            request_of.positions_mm,
            dict(request_of.heights),
            chosen.lanes,
            request_of.drops_mm,
            chosen.lift,
            planning.choices.left_out,
            display(),
            mirrored,
        ),
        budget=budget_chart(
            request_of.positions_mm,
            planning.budget.left_mm,
            planning.budget.least_mm,
            instrument.spec.fret_height_um / 1000,
            WARN_MM,
            display(),
            mirrored,
        ),
        moved=(
            facts_of(db(), settings(), job, instrument).moved if accepted is not None and not accepted.done_at else ""
        ),
        short_unit=short_unit(display()),
        nut_states=NUT_STATES,
        nut=request.args.get("nut", job.nut),
        beam=beam_paths(db(), instrument),
        warn_mm=WARN_MM,
    )


@screen.get("/jobs/<int:job_id>/level.json")
def request_json(job_id: int) -> Response:
    """The plan's request, ready for `deft-bench calc level-plan`."""
    job, instrument = _job_of(job_id)
    heights = height_surveys(db(), job)
    if not heights:
        return jsonify(error="no fret heights surveyed in this job")
    choices = read_choices(settings(), request.args, heights[-1].frets)
    try:
        planning = make_plan(
            db(), settings(), job, instrument, survey_results(db(), settings(), heights[-1], instrument), choices
        )
    except ValueError as error:
        return jsonify(error=f"too little is read for a plan: {error}")
    return jsonify(calc_request(planning, instrument))


@screen.post("/jobs/<int:job_id>/level/accept")
def accept(job_id: int) -> Response:
    """Accept the plan as shown. Refused when a gate is in the way or a reading has changed since the page was made."""
    job, _ = _job_of(job_id)
    heights = height_surveys(db(), job)
    if not heights:
        return redirect(url_for("surveys.next_of", job_id=job_id))
    choices = read_choices(settings(), request.form, heights[-1].frets)
    nut, shown = request.form.get("nut", ""), request.form.get("shown", "")
    refused = accept_level(db(), settings(), job_id, choices, nut, shown, stamp())
    if not refused:
        return redirect(url_for(".show", job_id=job_id))
    flash(refused)
    asked: dict[str, Any] = choices.query(change=True) | ({"nut": nut} if nut in NUT_STATES else {})
    return redirect(url_for(".show", job_id=job_id, **asked))


screen.add_app_template_filter(fingerprint)


@screen.get("/jobs/<int:job_id>/level/tape")
def tape(job_id: int) -> Response:
    """A fall-away by tape, turned into the drop that it makes; what cannot be goes back with its reason and all that
    was typed.
    """
    _, instrument = _job_of(job_id)
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
        if not 0 < height <= 2:
            raise ValueError("the tape must be more than nothing and at most 2 mm in all")
        found = fall_by_first_fret(fret_positions(instrument.spec.mean_scale_mm, frets), fret, height, first)
        if found.last_drop_mm > 1:
            raise ValueError(
                f"that would drop the last fret by {display().fine_mm(found.last_drop_mm)}; at most"
                f" {display().fine_mm(1)} is planned"
            )
    except ValueError as error:
        flash(f"No fall-away from that tape: {error}.")
        return redirect(url_for(".show", job_id=job_id, _anchor="tape", **kept))
    flash(
        f"{display().fine_mm(height)} of tape over fret {fret}: the beam cuts from fret {first} on,"
        f" {display().fine_mm(found.last_drop_mm)} at fret {frets}. Stop when fret {first} is just touched."
    )
    return redirect(
        url_for(".show", job_id=job_id, fall_from=first - 1, fall_drop=f"{round(found.last_drop_mm, 3):g} mm", **kept)
    )


@screen.post("/jobs/<int:job_id>/level/done")
def done(job_id: int) -> Response:
    """Mark the accepted plan as carried out; the metal taken goes into the budget."""
    _, instrument = _job_of(job_id)
    plan = next(reversed(jobs.plans(db(), job_id)), None)
    if plan is None or plan.done_at:
        flash("There is no accepted plan waiting.")
        return redirect(url_for(".show", job_id=job_id))
    replaced = plan.outcome["frets"] if plan.outcome["kind"] == "refret" else ()
    jobs.mark_done(db(), plan, instrument.id, stamp(), metal_taken(plan.outcome), replaced)
    return redirect(url_for("surveys.new", job_id=job_id))


@screen.post("/jobs/<int:job_id>/level/seated")
def seated(job_id: int) -> Response:
    """Record that the seating was checked and found home, or take that back."""
    job, _ = _job_of(job_id)
    jobs.set_seated(db(), job_id, not job.seated)
    return redirect(url_for(".show", job_id=job_id))


@screen.post("/jobs/<int:job_id>/level/reseated")
def reseated(job_id: int) -> Response:
    """Record that frets were reseated, and go on to read them again: what was read before no longer holds."""
    _job_of(job_id)
    for what in ("started", "finished"):
        sheets.add(db(), job_id, Event(acts.RESEAT, what, stamp()))
    return redirect(url_for("surveys.new", job_id=job_id))


@screen.post("/jobs/<int:job_id>/level/override")
def override(job_id: int) -> Response:
    """Pass over the straight gate with a note that says why; an empty note puts the gate back."""
    job, _ = _job_of(job_id)
    note = request.form.get("note", "").strip()[:400]
    if not note and not job.override_note:
        flash("Say in a few words why it is levelled as it lies: the note stays in the record.")
    else:
        jobs.override(db(), job_id, note)
    return redirect(url_for(".show", job_id=job_id))
