"""What is on order: items of the shelf, and parts for one step of a job."""

from flask import flash, redirect, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.sheet_state import catalogue
from deft_bench.store import jobs, stock
from deft_bench.web.stock.screen import MOST, screen
from deft_bench.web.support import Form, db, or_404, send_back, stamp


@screen.post("/stock/orders")
def order() -> Response:
    """Something is on order: an item of the shelf, or a part for one step of a job."""
    form = Form()
    what = form.text("what")[:120]
    due = form.day("due_on", optional=False)
    quantity = form.number("quantity", 0.000001, MOST, optional=True) or 1.0
    job_id = request.form.get("job", type=int)
    item_id = stock.named(db(), what)
    step = form.text("step")[:40]
    wrong = list(form.errors.values())
    if not what:
        wrong.append("Say what is on order.")
    if job_id is not None:
        with or_404():
            jobs.get(db(), job_id)
    if step and step not in catalogue(db())[0].operations:
        wrong.append("Choose the step from the list.")
    if wrong or due is None:
        flash("Not entered. " + " ".join(wrong))
        send_back()
    else:
        stock.order(db(), what, due, stamp(), item_id=item_id, quantity=quantity, job_id=job_id, step=step)
        flash("On order. Re-plan to see what it does.")
    return redirect(request.form.get("back") if _own(request.form.get("back")) else url_for(".show", _anchor="orders"))  # type: ignore[arg-type]


def _own(address: str | None) -> bool:
    return bool(address) and str(address).startswith("/") and not str(address).startswith(("//", "/\\"))


@screen.post("/stock/orders/<int:order_id>")
def order_came(order_id: int) -> Response:
    """An order has come, or comes on another day."""
    form = Form()
    if "came" in request.form:
        flash("It has come." if stock.arrived(db(), order_id, stamp()) else "That order has come already.")
    else:
        due = form.day("due_on", optional=False)
        if due is None:
            flash("Not changed. " + " ".join(form.errors.values()))
        else:
            stock.put_off(db(), order_id, due)
            flash("Put off. Re-plan to see what it does.")
    return redirect(url_for(".show", _anchor="orders"))
