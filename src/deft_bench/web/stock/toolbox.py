"""Tools: what each has worked since it was seen to."""

from typing import Any

from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.sheet_state import catalogue, tool_states
from deft_bench.core.work.tools import CARES
from deft_bench.store import tools
from deft_bench.web.stock.screen import screen
from deft_bench.web.support import Form, db, now, stamp


@screen.route("/tools", methods=["GET", "POST"])
def toolbox() -> str | Response:
    """Tools: what each has worked since it was seen to; a worn one slows the steps that use it."""
    if request.method == "POST":
        return _tool_sent()
    book, _ = catalogue(db())
    states = tool_states(db(), now(), book)
    named = sorted({name for one in book.operations.values() for name in one.tools})
    used_in: dict[str, list[str]] = {}
    for operation in book.operations.values():
        for name in operation.tools:
            used_in.setdefault(name.lower(), []).append(operation.title)
    return render_template(
        "stock/tools.html",
        section="stock",
        states=states,
        named=[name for name in named if name.lower() not in {state.tool.name.lower() for state in states}],
        cares=CARES,
        used_in=used_in,
        last={state.tool.id: tools.cares(db(), state.tool.id) for state in states},
    )


def _tool_sent() -> Response:
    form = Form()
    back = redirect(url_for(".toolbox"))
    seen: Any = request.form.get("seen", type=int)
    note = form.text("note")[:200]
    if seen is not None and not form.errors:
        flash("Recorded; it counts from now." if tools.seen_to(db(), seen, stamp(), note) else "There is no such tool.")
        return back
    name, care = form.text("name")[:80], form.text("care")
    hours = form.number("lasts", 0.1, 1000, optional=True)
    if form.errors or not name or care not in CARES:
        flash("Not entered. " + (" ".join(form.errors.values()) or "Give a name, and what is done to it."))
        return back
    tools.put(db(), name, care, round(hours * 60) if hours else None)
    flash(f"{name} has a record now.")
    return back
