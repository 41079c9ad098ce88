"""Entering an instrument, editing its specification, retiring it."""

from dataclasses import replace
from typing import Any

from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.instrument import CHOICES, KINDS, STARTING
from deft_bench.store import instruments
from deft_bench.web.instruments.form import read_spec, values_of
from deft_bench.web.instruments.screen import screen
from deft_bench.web.support import Form, db, display, instrument_or_404, stamp
from deft_bench.web.typed import as_typed, keep_typed


@screen.route("/instruments/new", methods=["GET", "POST"])
def new() -> str | Response | tuple[str, int]:
    """Enter an instrument from the starting values of its kind."""
    if request.method == "POST":
        form = Form()
        spec = read_spec(form)
        if spec is not None:
            instrument_id = instruments.add(db(), spec, stamp())
            keep_typed(instrument_id, form.sent)
            flash(f"{spec.name} is entered.")
            return redirect(url_for(".show", instrument_id=instrument_id))
        return _form_page(None, form.sent, form.errors), 422
    kind = request.args.get("kind", "electric")
    starting = STARTING.get(kind, STARTING["electric"])
    values = values_of(replace(starting, name=request.args.get("name", "")[:80]), display())
    return _form_page(None, values, {})


@screen.route("/instruments/<int:instrument_id>/edit", methods=["GET", "POST"])
def edit(instrument_id: int) -> str | Response | tuple[str, int]:
    """Edit a specification; the earlier one stays in the record."""
    instrument = instrument_or_404(instrument_id)
    if request.method == "POST":
        form = Form()
        spec = read_spec(form)
        if spec is not None:
            changed = instruments.edit(db(), instrument_id, spec, stamp())
            keep_typed(instrument_id, form.sent)
            flash("Saved; the earlier specification is kept." if changed else "Nothing was changed.")
            return redirect(url_for(".show", instrument_id=instrument_id))
        return _form_page(instrument, form.sent, form.errors), 422
    return _form_page(instrument, as_typed(instrument_id, values_of(instrument.spec, display())), {})


def _form_page(instrument: instruments.Instrument | None, values: Any, errors: dict[str, str]) -> str:
    return render_template(
        "instruments/form.html",
        section="instruments",
        instrument=instrument,
        values=values,
        errors=errors,
        kinds=KINDS,
        choices=CHOICES,
    )


@screen.post("/instruments/<int:instrument_id>/retire")
def retire(instrument_id: int) -> Response:
    """Retire an instrument, or take it back: nothing of its history is deleted."""
    instrument = instrument_or_404(instrument_id)
    back = instrument.retired_at is not None
    instruments.set_retired(db(), instrument_id, None if back else stamp())
    flash(f"{instrument.spec.name} is {'back in use' if back else 'retired; its history is kept'}.")
    return redirect(url_for(".show", instrument_id=instrument_id))
