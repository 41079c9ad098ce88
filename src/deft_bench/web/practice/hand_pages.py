"""The drills that work a piece by hand, and what their screens post."""

from flask import abort
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import drill_of
from deft_bench.web.practice import beam, clamping, datum, ends, line, radius, sawing, scratches, seating, set_up
from deft_bench.web.practice.hand_page import HandPage
from deft_bench.web.practice.screen import closed_by, screen
from deft_bench.web.support import db, or_404

_DRILLS = (beam, radius, seating, ends, line, scratches, clamping, datum, sawing, set_up)
HAND_PAGES: dict[str, HandPage] = {drill.PAGE.drill.code: drill.PAGE for drill in _DRILLS}
"""Their screens by their codes."""


@screen.post("/practice/<int:attempt_id>/work")
def work_by_hand(attempt_id: int) -> str | Response | tuple[str, int]:
    """Do one thing to the piece."""
    with or_404():
        return _of(attempt_id).worked(attempt_id)


@screen.post("/practice/<int:attempt_id>/handed-in")
def work_handed_in(attempt_id: int) -> Response:
    """Say that it is done."""
    with or_404():
        page = _of(attempt_id)
    return closed_by(page.drill.hand_in, attempt_id)


def _of(attempt_id: int) -> HandPage:
    return HAND_PAGES.get(drill_of(db(), attempt_id)) or abort(404)
