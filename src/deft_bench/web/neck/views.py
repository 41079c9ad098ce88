"""Neck: the bow and where it is, the two gates, and the truss rod's next turn."""

from typing import Any

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.neck_findings import Bow, NeckFindings, neck_findings
from deft_bench.bench.relief_box import GAP_FRETS, ReliefBox, keep_relief, methods_of, relief_box
from deft_bench.bench.setup.readings import setup_facts
from deft_bench.bench.setup.signing import signing
from deft_bench.bench.surveying import ReadingRefusedError, gauge_of
from deft_bench.core.instrument import Spec
from deft_bench.core.limits import RELIEF_WITHIN_MM, STRAIGHT_MM
from deft_bench.core.neck.rod_call import turn_words
from deft_bench.core.strings.setup_job import waits_for_relief
from deft_bench.core.survey import STRING_STATES, SURFACES
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.store import devices, jobs, rod_turns
from deft_bench.store.instruments import Instrument
from deft_bench.store.jobs import Job
from deft_bench.web.drawing.neck_curve import neck_curve, rod_chart
from deft_bench.web.places import linked_steps
from deft_bench.web.support import (
    CALLS_OFF,
    Form,
    calls_off,
    db,
    display,
    flash_with_undo,
    instrument_or_404,
    now,
    settings,
    stamp,
)

screen = Blueprint("neck", __name__, template_folder="templates")

AIMS = {"fretwork": "straight, for fretwork", "playing": "relief, for playing"}
STEPS_64 = {8: "1/8", 16: "1/4", -8: "−1/8", -16: "−1/4"}


@screen.get("/instruments/<int:instrument_id>/neck")
def show(instrument_id: int) -> str | Response:
    """The bow as last read, what is asked of it, and the rod's next turn. `?aim=` chooses between the two gates."""
    instrument = instrument_or_404(instrument_id)
    if calls_off(instrument):
        flash(CALLS_OFF)
        return redirect(url_for("practice.of_instrument", instrument_id=instrument.id))
    opened = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    aim = request.args.get("aim", "fretwork" if opened and opened.kind != "setup" else "playing")
    aim = aim if aim in AIMS else "playing"
    return _page(instrument, opened, aim, "", {})


def _page(instrument: Instrument, opened: Job | None, aim: str, typed: str, errors: dict[str, str]) -> str:
    """The screen; `typed` is a gap as it was sent, where it was refused."""
    findings = neck_findings(db(), settings(), instrument, opened, aim)
    setting_up = opened is not None and opened.kind == "setup" and aim == "playing"
    facts = setup_facts(db(), settings(), opened, instrument) if setting_up and opened else None
    return render_template(
        "neck/show.html",
        section="instruments",
        instrument=instrument,
        aim=aim,
        aims=AIMS,
        target=findings.target,
        turns=findings.turns,
        waiting=findings.waiting,
        playing_target=findings.playing_target,
        surfaces=SURFACES,
        states=STRING_STATES,
        turn_words=turn_words,
        steps_64=STEPS_64,
        opened=opened,
        twist=findings.twist,
        steps=linked_steps(opened, instrument) if setting_up else [],
        signing=signing(db(), settings(), instrument, facts) if facts else None,
        wants_relief=facts is not None and waits_for_relief(facts),
        box=relief_box(db(), instrument),
        gap_frets=GAP_FRETS,
        pressed_at=methods_of(instrument.spec),
        typed=typed,
        limits=SURVEY_KINDS["straightness"].limits,
        gauge=_live_gauge(),
        pedal=_live(devices.used_for(db(), "pedal")),
        errors=errors,
        **(_pictures(instrument.spec, findings, findings.bow) if findings.bow else {"bow": None}),
    )


def _pictures(spec: Spec, findings: NeckFindings, bow: Bow) -> dict[str, Any]:
    positions = spec.positions_mm(bow.survey.survey.frets)
    mirrored = spec.left_handed != settings().turned
    advice = bow.advice
    return {
        "bow": bow.survey,
        "found": bow.found,
        "by_tops": bow.by_tops,
        "advice": advice,
        "call": bow.call,
        "curve": neck_curve(bow.gaps, positions, bow.found, findings.target, display(), mirrored=mirrored),
        "response": rod_chart(findings.answered, advice.mm_per_turn, advice.mm_per_turn_sd, display()),
        "straight_mm": STRAIGHT_MM,
        "within_mm": RELIEF_WITHIN_MM,
    }


@screen.post("/instruments/<int:instrument_id>/neck/relief")
def relief(instrument_id: int) -> Response | tuple[str, int]:
    """Keep the relief read in one box, by a gap under a string."""
    instrument = instrument_or_404(instrument_id)
    form = Form()
    gap = form.length("gap")
    fret, gauge = request.form.get("fret", 0, type=int), _live_gauge()
    by = gauge if gauge is not None and request.form.get("gauge") == str(gauge.id) else None
    if gap is not None:
        try:
            keep_relief(db(), now(), instrument, ReliefBox(fret, form.text("method")), gap, form.text("gap")[:60], by)
            return redirect(url_for(".show", instrument_id=instrument_id, aim="playing"))
        except ReadingRefusedError as error:
            form.errors["gap"] = str(error)
    opened = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    return _page(instrument, opened, "playing", form.text("gap"), form.errors), 422


def _live_gauge() -> devices.StoredDevice | None:
    """The gauge that enters lengths by itself; one that types needs no more than the box."""
    return _live(gauge_of(db(), "straightness"))


def _live(device: devices.StoredDevice | None) -> devices.StoredDevice | None:
    return device if device is not None and device.setup.way != "typed" else None


@screen.post("/instruments/<int:instrument_id>/neck/turned")
def turned(instrument_id: int) -> Response:
    """Record a turn of the rod; the next straightness survey tells what it did."""
    instrument = instrument_or_404(instrument_id)
    aim = request.form.get("aim", "playing")
    back = redirect(url_for(".show", instrument_id=instrument_id, aim=aim if aim in AIMS else "playing"))
    step = request.form.get("turns", 0, type=int)
    if instrument.spec.rod == "none":
        flash("There is no rod to turn.")
    elif not 1 <= abs(step) <= 64:
        flash("One turn of the rod is recorded at a time: an eighth or a quarter, never more than a whole one.")
    else:
        note = request.form.get("note", "")[:200]
        turn = rod_turns.add(db(), instrument_id, stamp(), step, "slack" in request.form, note)
        flash_with_undo(
            "Recorded. Let it settle, retune, and read again: the next reading tells what it did.", "turn", turn
        )
    return back
