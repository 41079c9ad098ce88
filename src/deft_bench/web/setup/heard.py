"""What the machine's ear heard, confirmed note by note or all that sounds clean at once."""

from flask import flash, redirect, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.setup.ear import NothingToConfirmError, confirm_heard
from deft_bench.web.setup.screen import screen, setup_or_404
from deft_bench.web.support import db, now, settings


@screen.post("/instruments/<int:instrument_id>/setup/buzz/heard")
def confirm(instrument_id: int) -> Response:
    """Keep of the notes named by `buzzes` that they buzz, and of those named by `clean` that they do not."""
    instrument, _ = setup_or_404(instrument_id)
    said = dict.fromkeys(request.form.getlist("clean", type=int), False)
    said |= dict.fromkeys(request.form.getlist("buzzes", type=int), True)
    try:
        kept = confirm_heard(db(), settings(), now(), instrument, said)
    except NothingToConfirmError as error:
        flash(f"Not kept. {error}")
    else:
        if kept > 1:
            flash(f"{kept} notes are kept as clean.")
    return redirect(url_for(".buzz", instrument_id=instrument_id, _anchor="ear"))
