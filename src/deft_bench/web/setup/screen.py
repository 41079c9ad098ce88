"""The blueprint of the setup's pages, and what they share."""

from collections.abc import Callable
from typing import Any

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.setup.readings import SetupSurveys, latest_read, setup_facts
from deft_bench.bench.setup.signing import signing
from deft_bench.core.described import described
from deft_bench.core.strings.setup_job import waits_for_relief
from deft_bench.core.strings.setup_plan import SetupPlan, string_names
from deft_bench.store import instruments, jobs, setups
from deft_bench.web.places import linked_steps
from deft_bench.web.setup.form import read, values_of
from deft_bench.web.support import CALLS_OFF, calls_off, db, instrument_or_404, settings, stamp
from deft_bench.web.typed import as_typed, keep_typed

screen = Blueprint(
    "setup", __name__, template_folder="templates", static_folder="static", static_url_path="/setup/static"
)

PAGES = {
    "show": "Setup",
    "strings": "Strings",
    "nut": "Nut",
    "saddle": "Saddle",
    "intonation": "Intonation",
    "buzz": "Buzz",
}
LEAST_FRETS = 12
"""Action is read over fret 12: a shorter neck has no setup."""


def setup_or_404(instrument_id: int) -> tuple[instruments.Instrument, SetupPlan]:
    """The instrument that an address names, and its setup's numbers; to its stage where the calls are off."""
    instrument = instrument_or_404(instrument_id)
    if calls_off(instrument):
        flash(CALLS_OFF)
        abort(redirect(url_for("practice.of_instrument", instrument_id=instrument_id)))
    return instrument, setups.plan_of(db(), instrument_id, instrument.spec)


def common(instrument: instruments.Instrument, plan: SetupPlan, page: str) -> dict[str, Any]:
    """What every page of the setup shows: its tape, the open job and the names of the strings."""
    job = jobs.open_of(db(), [instrument.id]).get(instrument.id)
    facts = setup_facts(db(), settings(), job, instrument) if job and job.kind == "setup" else None
    return {
        "section": "instruments",
        "instrument": instrument,
        "spec": instrument.spec,
        "plan": plan,
        "job": job,
        "pages": PAGES,
        "page": page,
        "facts": facts,
        "wants_relief": facts is not None and waits_for_relief(facts) and facts.target is not None,
        "steps": linked_steps(job, instrument) if facts else [],
        "signing": signing(db(), settings(), instrument, facts) if facts else None,
        "tape_at": "solve" if page == "show" else page,
        "names": string_names(plan),
        "playable": instrument.spec.frets >= LEAST_FRETS and instrument.spec.divisions == LEAST_FRETS,
        "described": described(SetupPlan),
    }


def save(instrument: instruments.Instrument, plan: SetupPlan) -> None:
    """Keep the numbers, and say so."""
    changed = setups.PLANS.save(db(), instrument.id, plan, stamp())
    flash("Saved; what it was before is kept." if changed else "Nothing was changed.")


def page_of(
    instrument_id: int, page: str, build: Callable[[instruments.Instrument, SetupPlan, SetupSurveys], dict[str, Any]]
) -> str | Response | tuple[str, int]:
    """A page with its own boxes: sending them saves them whole, or nothing when one is refused."""
    instrument, plan = setup_or_404(instrument_id)
    values, errors, code = as_typed(instrument_id, values_of(plan)), dict[str, str](), 200
    if request.method == "POST":
        form = read(page, request.form, plan, instrument.spec)
        if form.plan is not None:
            save(instrument, form.plan)
            keep_typed(instrument_id, request.form)
            return redirect(url_for(f"setup.{page}", instrument_id=instrument_id))
        values, errors, code = form.values, form.errors, 422
    shown = common(instrument, plan, page)
    if not shown["playable"]:
        return render_template("setup/short.html", **shown)
    built = build(instrument, plan, latest_read(db(), settings(), instrument))
    return render_template(f"setup/{page}.html", **shown, values=values, errors=errors, **built), code
