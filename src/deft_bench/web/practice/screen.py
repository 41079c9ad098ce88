"""The blueprint of Practice, and what every drill's act is answered with."""

from collections.abc import Callable

from flask import Blueprint, redirect, request, url_for
from werkzeug.wrappers import Response

from deft_bench.web.support import Form

screen = Blueprint(
    "practice", __name__, template_folder="templates", static_folder="static", static_url_path="/practice/static"
)


def acted_on(
    attempt_id: int, form: Form, draw: Callable[[str], str], part: str, whole: str
) -> str | Response | tuple[str, int]:
    """A script gets the part of the page that changed; a form goes back to the page, or gets it with what is wrong."""
    if "HX-Request" in request.headers:
        return draw(part)
    return (draw(whole), 422) if form.errors else redirect(url_for(".attempt", attempt_id=attempt_id))
