"""One address takes back whatever was recorded by mistake, or puts it back, and says so where it belongs."""

from flask import Blueprint, flash, redirect, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.undo import Undone, UndoRefusedError, undo
from deft_bench.web.support import db, flash_with_undo, now, or_404, page_of_ours

screen = Blueprint("undo", __name__)


@screen.post("/undo/<what>/<int:row_id>")
def act(what: str, row_id: int) -> Response:
    """Take one thing back; with `put_back` in the form, have it again."""
    try:
        with or_404():
            done = undo(db(), now(), what, row_id, put_back="put_back" in request.form)
    except UndoRefusedError as error:
        flash(f"Not taken back. {error}")
        return redirect(page_of_ours(request.form.get("back", "")) or "/")
    if done.again:
        flash_with_undo(done.say, done.again, row_id, put_back=True)
    else:
        flash(done.say)
    return redirect(_after(what, done))


def _after(what: str, done: Undone) -> str:
    if what == "turn":
        return url_for("neck.show", instrument_id=done.instrument_id)
    if what == "fitted" and done.job_id:
        return url_for("refret.show", job_id=done.job_id)
    if what == "step" and done.job_id:
        return page_of_ours(request.form.get("back", "")) or url_for("sheet.show", job_id=done.job_id)
    if what in ("plan", "done") and done.job_id:
        return url_for("level.show", job_id=done.job_id)
    return url_for("instruments.show", instrument_id=done.instrument_id)
