"""Level: the height map, the level line, the metal budget and the call."""

from collections.abc import Sequence
from typing import Any

from flask import flash, jsonify, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.level_acceptance import NUT_STATES, fingerprint
from deft_bench.bench.level_in_hand import (
    LevelInHand,
    SurveyFirstError,
    corrected_since,
    latest_planning,
    level_in_hand,
    marks_of,
)
from deft_bench.bench.level_planning import beam_paths, calc_request
from deft_bench.bench.survey_results import facts_of, shown_band
from deft_bench.core.acts import DONE
from deft_bench.core.evidence.words import next_words
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.level_call import metal_said, option_said, raised_by
from deft_bench.core.frets.levelling import LevelOption
from deft_bench.core.survey_kinds import Place
from deft_bench.store import instruments, jobs
from deft_bench.web.drawing.action_bars import action_bars
from deft_bench.web.drawing.lanes import budget_chart, lane_charts
from deft_bench.web.drawing.neck_drawing import neck_drawing, off_number, short_unit
from deft_bench.web.level.screen import screen
from deft_bench.web.places import linked_steps
from deft_bench.web.support import CALLS_OFF, calls_off, db, display, job_or_404, rock_mm, settings

WARN_MM = 0.10
FIRST = 0.8
"""Ink goes first where at least this share of the most comes off."""
screen.add_app_template_filter(fingerprint)
screen.add_app_template_filter(option_said)
screen.add_app_template_filter(raised_by)


@screen.app_template_filter("metal")
def metal(option: LevelOption) -> str:
    """What an option takes, in the shop's units."""
    return metal_said(option, display().fine_mm)


@screen.get("/jobs/<int:job_id>/level")
def show(job_id: int) -> str | Response:
    """The call, the three lanes and the budget; the choices are in the address and the figures follow them."""
    job, instrument = job_or_404(job_id)
    if calls_off(instrument):
        flash(CALLS_OFF)
        return redirect(url_for("practice.of_instrument", instrument_id=instrument.id))
    try:
        in_hand = level_in_hand(db(), settings(), job, instrument, request.args)
    except SurveyFirstError as error:
        flash(str(error))
        if error.survey_id is not None:
            return redirect(url_for("surveys.show", survey_id=error.survey_id))
        return redirect(url_for("surveys.next_of", job_id=job_id))
    page = make_response(_page(job, instrument, in_hand))
    choices = in_hand.planning.choices
    if in_hand.accepted is None and not choices.errors:
        asked: dict[str, Any] = choices.query()
        page.headers["HX-Push-Url"] = url_for(".show", job_id=job_id, **asked)
    return page


def _page(job: jobs.Job, instrument: instruments.Instrument, in_hand: LevelInHand) -> str:
    planning, accepted, gate = in_hand.planning, in_hand.accepted, in_hand.gate
    spec, plan, chosen = instrument.spec, planning.plan.request, planning.chosen
    found = planning.likely if accepted is None else None
    nut_side = settings().nut_side
    mirrored = spec.left_handed != settings().turned
    partial = request.headers.get("HX-Target") == "level"
    waiting = accepted is not None and not accepted.done_at
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
        rock_mm=rock_mm(),
        corrected=_places_named(corrected_since(db(), accepted)) if accepted is not None and waiting else "",
        removal=_removal(accepted) if accepted is not None else None,
        gate_mm=shown_band(gate, planning.base) if gate else 0.0,
        neck=neck_drawing(
            spec,
            display(),
            nut_side=nut_side,
            off_mm=planning.base.figures.off_mm,
            marks=marks_of(planning),
            rock_mm=rock_mm(),
            likely=None if found is None else found.lanes,
            read_by=None if found is None else found.read_by(display().fine_mm),
        ),
        bars=None if found is None else action_bars(found.judged.compared.actions, display()),
        charts=lane_charts(
            plan.positions_mm,
            dict(plan.heights),
            chosen.lanes,
            plan.drops_mm,
            chosen.lift,
            planning.choices.left_out,
            display(),
            mirrored,
        ),
        budget=budget_chart(
            plan.positions_mm,
            planning.budget.left_mm,
            planning.budget.least_mm,
            spec.fret_height_um / 1000,
            WARN_MM,
            display(),
            mirrored,
        ),
        moved=facts_of(db(), settings(), job, instrument).moved if waiting else "",
        short_unit=short_unit(display()),
        helps=None if found is None or planning.stale else next_words(found.judged.next),
        nut_states=NUT_STATES,
        nut=request.args.get("nut", job.nut),
        beam=beam_paths(db(), instrument),
        warn_mm=WARN_MM,
        acts_on_frets=DONE,
    )


def _places_named(places: Sequence[Place]) -> str:
    named = [f"fret {fret} {lane}" for lane, fret in places[:4]]
    return ", ".join(named) + (f" and {len(places) - 4} more" if len(places) > 4 else "")


def _short(um: int) -> str:
    return off_number(um / 1000, display()).lstrip("+") if um else ""


def _removal(accepted: jobs.AcceptedPlan) -> dict[str, Any]:
    """What comes off each place, as it is drawn, the treble lane on top; `first` says where ink goes first."""
    level = accepted.level
    most = max((um for off in level.removal_um.values() for um in off if um), default=0)
    return {
        "frets": range(1, len(level.drops_um) + 1),
        "rows": {
            lane: [
                ("–" if um is None else _short(um), um is not None and 0 < FIRST * most <= um)
                for um in level.removal_um[lane]
            ]
            for lane in reversed(LANES)
            if lane in level.removal_um
        },
    }


@screen.get("/jobs/<int:job_id>/level.json")
def request_json(job_id: int) -> Response:
    """The plan's request, ready for `deft-bench calc level-plan`."""
    job, instrument = job_or_404(job_id)
    try:
        return jsonify(calc_request(latest_planning(db(), settings(), job, instrument, request.args), instrument))
    except SurveyFirstError as error:
        return jsonify(error=str(error))
