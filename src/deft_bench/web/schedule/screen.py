"""The blueprint of the schedule, and what its modules share."""

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, redirect, url_for
from werkzeug.wrappers import Response

from deft_bench.core.work.catalogue import Catalogue
from deft_bench.store import instruments, jobs
from deft_bench.web.support import db

screen = Blueprint(
    "schedule", __name__, template_folder="templates", static_folder="static", static_url_path="/schedule/static"
)


def names_of(opened: Mapping[str, jobs.Job]) -> dict[str, str]:
    """The instrument's name by job."""
    theirs = instruments.of_ids(db(), {job.instrument_id for job in opened.values()})
    return {code: theirs[job.instrument_id].spec.name for code, job in opened.items()}


def title_of(book: Catalogue, code: str) -> str:
    """An operation's title; its code where the shop has taken it out."""
    return book.operations[code].title if code in book.operations else code


def back(**more: Any) -> Response:
    """Go back to the schedule."""
    return redirect(url_for("schedule.show", **more))
