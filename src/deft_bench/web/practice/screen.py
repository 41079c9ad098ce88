"""The blueprint of Practice, and what every drill's act is answered with."""

from collections.abc import Callable
from datetime import datetime

from flask import Blueprint, flash, redirect, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError
from deft_bench.store.database import Connection
from deft_bench.web.support import Form, db, now, or_404

screen = Blueprint(
    "practice", __name__, template_folder="templates", static_folder="static", static_url_path="/practice/static"
)


def closed_by(close: Callable[[Connection, datetime, int], object], attempt_id: int) -> Response:
    """Close an attempt, or say why it cannot be; back to it, where the debrief is."""
    with or_404():
        try:
            close(db(), now(), attempt_id)
        except PracticeError as error:
            flash(str(error))
    return redirect(url_for(".attempt", attempt_id=attempt_id))


def acted_on(
    attempt_id: int, form: Form, draw: Callable[[str], str], part: str, whole: str
) -> str | Response | tuple[str, int]:
    """A script gets the part of the page that changed; a form goes back to the page, or gets it with what is wrong."""
    if "HX-Request" in request.headers:
        return draw(part)
    return (draw(whole), 422) if form.errors else redirect(url_for(".attempt", attempt_id=attempt_id))
