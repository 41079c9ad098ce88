"""Order of the day: steps that are moved up and down, and what their order spoils."""

from functools import partial

from flask import render_template
from werkzeug.wrappers import Response

from deft_bench.bench.practice.attempts import PracticeError, level_words
from deft_bench.bench.practice.order import InOrder, hand_in, in_order, move
from deft_bench.web.practice.screen import acted_on, closed_by, screen
from deft_bench.web.support import Form, db, now, or_404

WAYS = {"up": -1, "down": 1}


def page(attempt_id: int) -> str:
    """The steps, or what their order breaks once it is handed in."""
    found = in_order(db(), attempt_id)
    return (
        _steps(found, Form()) if found.attempt.named is None else _steps(found, Form(), "practice/order_debrief.html")
    )


@screen.post("/practice/<int:attempt_id>/move")
def order_moved(attempt_id: int) -> str | Response | tuple[str, int]:
    """Move a step up or down; a script gets the steps alone."""
    form = Form()
    by = WAYS.get(form.text("way"))
    if by is None:
        form.errors["step"] = f"Choose a way: {', '.join(WAYS)}."
    with or_404():
        try:
            found = in_order(db(), attempt_id) if by is None else move(db(), now(), attempt_id, form.text("step"), by)
        except PracticeError as error:
            form.errors["step"], found = str(error), in_order(db(), attempt_id)
    return acted_on(attempt_id, form, partial(_steps, found, form), "practice/order_steps.html", "practice/order.html")


@screen.post("/practice/<int:attempt_id>/hand-in")
def handed_in(attempt_id: int) -> Response:
    """Say that this is the order."""
    return closed_by(hand_in, attempt_id)


def _steps(found: InOrder, form: Form, template: str = "practice/order.html") -> str:
    return render_template(
        template, section="practice", found=found, level_words=level_words(found.attempt), errors=form.errors
    )
