"""The setup's other pages: strings, nut, saddle, intonation and buzz."""

from typing import Any

from flask import flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.metal import metal_now
from deft_bench.bench.setup.buzz import buzz_findings, forget_hand, learn_hand
from deft_bench.bench.setup.ear import ear_findings
from deft_bench.bench.setup.intonation import intonation_findings
from deft_bench.bench.setup.nut import nut_findings, spacings
from deft_bench.bench.setup.readings import SetupSurveys, as_read_before, assembled, setup_reach
from deft_bench.bench.setup.saddle import saddle_findings
from deft_bench.bench.setup.solving import cures, solved_target, with_set
from deft_bench.bench.setup.strings import strings_findings
from deft_bench.core.strings.intonation import eighths
from deft_bench.core.strings.nut_depth import LOW_REMEDIES
from deft_bench.core.strings.setup_plan import SetupPlan, string_names
from deft_bench.core.strings.string_set import CONSTRUCTIONS, SETS, TUNINGS, WRAPS
from deft_bench.store import instruments, jobs, setups, shop, surveys
from deft_bench.web.drawing.intonation_chart import intonation_chart
from deft_bench.web.drawing.nut_spacing import spacing_view
from deft_bench.web.drawing.saddle_view import saddle_view
from deft_bench.web.drawing.string_side import margin_map
from deft_bench.web.setup.form import lengths_listed, read, values_of
from deft_bench.web.setup.screen import common, page_of, screen, setup_or_404
from deft_bench.web.support import Form, db, display, now, settings, words_only

Page = str | Response | tuple[str, int]


@screen.route("/instruments/<int:instrument_id>/setup/strings", methods=["GET", "POST"])
def strings(instrument_id: int) -> Page:
    """String set and tuning: tension of each and all, and what a change would do. `?set=&tuning=` fills the boxes."""

    def build(instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys) -> dict[str, Any]:
        string_set, tuning = request.args.get("set", ""), request.args.get("tuning", "")
        tried, why = with_set(plan, instrument.spec, string_set, tuning)
        return {
            **_strings(instrument, plan, tried),
            "values_tried": values_of(tried) if tried != plan else None,
            "mismatch": why,
            "sets": SETS,
            "tunings": TUNINGS,
            "picked_set": string_set,
            "picked_tuning": tuning,
        }

    return page_of(instrument_id, "strings", build)


def _strings(instrument: instruments.Instrument, plan: SetupPlan, tried: SetupPlan) -> dict[str, Any]:
    findings = strings_findings(instrument.spec, plan, tried)
    return {"pull": findings, "tried": tried, "constructions": CONSTRUCTIONS, "wraps": WRAPS}


@screen.post("/instruments/<int:instrument_id>/setup/strings/preview")
def strings_preview(instrument_id: int) -> Response:
    """Tension with the boxes as they stand; nothing is saved."""
    instrument, plan = setup_or_404(instrument_id)
    form = read("strings", request.form, plan, instrument.spec)
    words = {name: form.errors.get(name, "") for name in request.form if name != "csrf_token"}
    if form.plan is None:
        return words_only(words, "set")
    state = "saved" if form.plan == plan else "unsaved"
    shown = common(instrument, plan, "strings") | _strings(instrument, plan, form.plan)
    said = render_template("shared/words.html", words=words, elsewhere=[], state=state, what="set")
    return make_response(render_template("setup/strings_panel.html", **shown) + said)


@screen.route("/instruments/<int:instrument_id>/setup/nut", methods=["GET", "POST"])
def nut(instrument_id: int) -> Page:
    """Nut: how far to file each slot, with which file, when to stop; the blank, and the spacing of a new nut."""

    def build(instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys) -> dict[str, Any]:
        spec, first = instrument.spec, metal_now(db(), instrument).heights_mm[0]
        findings = nut_findings(settings(), spec, plan, found, first, _gaps_wanted(instrument))
        gauges = [string.gauge_mm for string in plan.strings]
        drawn = (
            spacing_view(spec.nut_width_um / 1000, findings.spacings, gauges, display(), spec.left_handed)
            if findings.spacings
            else None
        )
        return {
            "findings": findings,
            "call": as_read_before(findings.call, found.moved),
            "moved": found.moved,
            "survey": found.of.get("strings"),
            "files": settings().nut_files_um,
            "blades": settings().feelers_um,
            "spacing": drawn,
            "remedies": LOW_REMEDIES,
        }

    return page_of(instrument_id, "nut", build)


def _gaps_wanted(instrument: instruments.Instrument) -> dict[int, tuple[float, float]]:
    """The first-fret gaps that the open job works toward, mm, by string; empty before anything is accepted."""
    job = jobs.open_of(db(), [instrument.id]).get(instrument.id)
    accepted = setups.last_accepted(db(), job.id) if job else None
    return dict(accepted.target.gap_mm) if accepted else {}


@screen.post("/instruments/<int:instrument_id>/setup/nut/shelf")
def shelf(instrument_id: int) -> Response:
    """The shop's nut files and feeler blades."""
    form = Form()
    files = lengths_listed(form.text("files"), form, "files", 100, 5_000)
    blades = lengths_listed(form.text("blades"), form, "blades", 10, 5_000)
    if form.errors:
        flash("Not saved. " + " ".join(form.errors.values()))
    else:
        shop.change(db(), {"nut_files_um": "; ".join(map(str, files)), "feelers_um": "; ".join(map(str, blades))})
        flash("Saved for the whole shop.")
    return redirect(url_for(".nut", instrument_id=instrument_id))


@screen.get("/instruments/<int:instrument_id>/setup/nut-template.pdf")
def nut_template(instrument_id: int) -> Response:
    """Both spacings at 1:1 with check bars, to cut out and lay on the blank."""
    from deft_bench.formats.nut_template import write_template

    instrument, plan = setup_or_404(instrument_id)
    spec, gauges = instrument.spec, [string.gauge_mm for string in plan.strings]
    try:
        raw = write_template(spec.name, spec.nut_width_um / 1000, spacings(spec, plan), gauges)
    except ValueError as error:
        flash(f"No template: {error}.")
        return redirect(url_for(".nut", instrument_id=instrument_id))
    answer = make_response(raw)
    answer.headers["Content-Type"] = "application/pdf"
    answer.headers["Content-Disposition"] = "inline; filename=nut-spacing.pdf"
    return answer


@screen.route("/instruments/<int:instrument_id>/setup/saddle", methods=["GET", "POST"])
def saddle(instrument_id: int) -> Page:
    """Saddles: raise or lower each, what comes off beneath a one-piece saddle, travel, the neck's shim, and the
    pickup's reach.
    """

    def build(instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys) -> dict[str, Any]:
        spec = instrument.spec
        job = jobs.open_of(db(), [instrument.id]).get(instrument.id)
        accepted = setups.last_accepted(db(), job.id) if job else None
        strings = assembled(db(), instrument, plan, found)
        target = accepted.target if accepted else solved_target(plan, spec, strings)
        reach = setup_reach(db(), settings(), instrument, found, target)
        findings = saddle_findings(settings(), spec, plan, found.found, strings, target, reach)
        return {
            "findings": findings,
            "call": as_read_before(findings.call, found.moved),
            "moved": found.moved,
            "eighths": eighths,
            "drawing": saddle_view(findings, plan, display(), spec),
            "accepted": accepted is not None,
        }

    return page_of(instrument_id, "saddle", build)


@screen.route("/instruments/<int:instrument_id>/setup/intonation", methods=["GET", "POST"])
def intonation(instrument_id: int) -> Page:
    """Intonation: moves in mm and turns, what no shift removes, and the call for each string."""

    def build(instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys) -> dict[str, Any]:
        findings, names = (
            intonation_findings(db(), settings(), instrument.spec, plan, found, _gaps_wanted(instrument)),
            string_names(plan),
        )
        survey = found.of.get("intonation")
        bars = [(names[row.number], row.read, row.fitted.fit) for row in findings.rows if row.fitted]
        return {
            "findings": findings,
            "survey": survey,
            "chart": intonation_chart(bars, findings.gate),
            "eighths": eighths,
            "sound": surveys.sounded(db(), survey.id) if survey else [],
        }

    return page_of(instrument_id, "intonation", build)


@screen.get("/instruments/<int:instrument_id>/setup/buzz")
def buzz(instrument_id: int) -> Page:
    """Buzz: what was heard on the map of the predicted clearance, and what causes it."""

    def build(instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys) -> dict[str, Any]:
        strings = assembled(db(), instrument, plan, found)
        findings = buzz_findings(db(), settings(), instrument.spec, plan, found, strings)
        job = jobs.open_of(db(), [instrument.id]).get(instrument.id)
        return {
            "survey": found.of.get("buzz"),
            "ear": ear_findings(db(), instrument, found),
            "cures": cures(db(), settings(), instrument, plan, found, strings, job, findings.diagnosis)
            if job and job.kind == "setup"
            else None,
            "findings": findings,
            "call": findings.call,
            "map": margin_map(list(findings.diagnosis.strung), string_names(plan), display()),
            "now": strings,
            "forces": {string.string: string.pluck_n for string in strings.strings},
            "learned": len(plan.pluck_n) == len(plan.strings),
        }

    return page_of(instrument_id, "buzz", build)


@screen.post("/instruments/<int:instrument_id>/setup/buzz/hand")
def learn(instrument_id: int) -> Response:
    """Take this player's hand, as heard, for the next setup; an empty form goes back to the specification's hand."""
    instrument, plan = setup_or_404(instrument_id)
    if "forget" in request.form:
        forget_hand(db(), now(), instrument, plan)
        flash("Back to the hand of the specification.")
    elif learn_hand(db(), settings(), now(), instrument, plan):
        flash("This hand is kept for the next setup.")
        return redirect(url_for(".show", instrument_id=instrument_id))
    else:
        flash("Play and mark some notes first.")
    return redirect(url_for(".buzz", instrument_id=instrument_id))
