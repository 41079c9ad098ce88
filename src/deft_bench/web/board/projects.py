"""Board projects: the list, starting one, and how it becomes an instrument."""

from typing import Any

from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.instrument import KINDS, STARTING
from deft_bench.store import instruments
from deft_bench.web.board.screen import screen
from deft_bench.web.drawing.mini import mini
from deft_bench.web.instruments.form import read_spec, values_of
from deft_bench.web.support import Form, db, display, instrument_or_404, stamp

PAGE = 40


@screen.get("/boards")
def listing() -> str:
    """Board projects, and where to find the boards of instruments."""
    found = instruments.page(db(), None, PAGE, project=True)
    rows = [(board, mini(board.spec, {}, 1.0)) for board in found]
    return render_template("board/list.html", section="boards", rows=rows, kinds=KINDS)


@screen.route("/boards/new", methods=["GET", "POST"])
def new() -> str | Response | tuple[str, int]:
    """Start a board project from the starting values of its kind: a name is enough."""
    values: Any = {"name": request.args.get("name", "")[:80], "kind": request.args.get("kind", "electric")}
    if request.method == "GET":
        return render_template("board/new.html", section="boards", values=values, errors={}, kinds=KINDS)
    kind = request.form.get("kind", "electric")
    starting = STARTING.get(kind, STARTING["electric"])
    known = {name: str(value) for name, value in values_of(starting, display()).items() if not isinstance(value, bool)}
    form = Form(known | {"name": request.form.get("name", ""), "kind": kind})
    spec = read_spec(form)
    if spec is None:
        sent = {"name": request.form.get("name", ""), "kind": kind}
        return render_template("board/new.html", section="boards", values=sent, errors=form.errors, kinds=KINDS), 422
    made = instruments.add(db(), spec, stamp(), project=True)
    flash(f"{spec.name} is started: every number begins with what is usual for its kind.")
    return redirect(url_for(".show", instrument_id=made))


@screen.post("/instruments/<int:instrument_id>/board/made")
def made(instrument_id: int) -> Response:
    """The board has become an instrument: it moves to the instruments with all of its record."""
    instrument = instrument_or_404(instrument_id)
    if instrument.project:
        instruments.set_made(db(), instrument_id)
        flash(f"{instrument.spec.name} is an instrument now; its board and record came with it.")
    return redirect(url_for("instruments.show", instrument_id=instrument_id))
