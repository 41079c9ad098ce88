"""What is done to a board beside saving its numbers: the rule, ticks of the marking table, posts on a grid, files."""

from dataclasses import replace

from flask import flash, jsonify, make_response, redirect, request
from werkzeug.wrappers import Response

from deft_bench.bench.marking import MarkingRefusedError, make_shops_rule, toggle_mark
from deft_bench.core.board.slotting import MachineError
from deft_bench.core.board.strings_on_board import post_grid
from deft_bench.formats.board import EXPORTS, file_name, sheet_of, write_board
from deft_bench.store import boards
from deft_bench.web.board.form import read_board
from deft_bench.web.board.screen import address, board_or_404, screen
from deft_bench.web.errors import wants_json
from deft_bench.web.support import Form, db, display, now, or_404, settings, stamp


@screen.post("/instruments/<int:instrument_id>/board/rule")
def set_rule(instrument_id: int) -> Response:
    """Make the rule of this board the shop's, with which every board starts."""
    instrument, plan = board_or_404(instrument_id)
    read = read_board(request.form, instrument.spec, plan, display()).plan
    if read is None or not read.rule_step:
        flash(
            "The shop’s rule was not changed: choose a step, and give how far the finer part reaches in a length such"
            " as 150."
        )
    else:
        make_shops_rule(db(), now(), instrument, plan, read)
        flash("Every board that has no rule of its own is marked with this one now.")
    return redirect(address("marking", instrument_id))


@screen.post("/instruments/<int:instrument_id>/board/tick")
def tick(instrument_id: int) -> Response:
    """Tick one fret off as marked, or take the tick back."""
    instrument, _ = board_or_404(instrument_id)
    line, fret = request.form.get("line", ""), request.form.get("fret", -1, type=int)
    try:
        ticked, done = toggle_mark(db(), settings(), now(), instrument, line, fret)
    except MarkingRefusedError as error:
        if wants_json():
            return make_response({"error": str(error)}, 422)
        flash(str(error))
        return redirect(address("marking", instrument_id))
    if wants_json():
        return jsonify(ticked=ticked, done=done)
    return redirect(address("marking", instrument_id, line=line))


@screen.post("/instruments/<int:instrument_id>/board/posts")
def posts(instrument_id: int) -> Response:
    """Lay the tuner posts out on a simple grid and save them."""
    instrument, plan = board_or_404(instrument_id)
    form = Form()
    rows = form.count("rows", 1, 2)
    first, pitch, off, flare = (form.length(name) for name in ("first", "pitch", "off", "flare"))
    if rows is None or first is None or pitch is None or off is None or flare is None:
        flash("The posts were not changed. " + " ".join(form.errors.values()))
    elif not (10_000 <= first <= 300_000 and 5_000 <= pitch <= 60_000 and abs(off) <= 80_000 and abs(flare) <= 20_000):
        flash(
            "The posts were not changed: first post 10 to 300 mm behind the nut, 5 to 60 mm apart, up to 80 mm off the"
            " centreline."
        )
    else:
        grid = post_grid(instrument.spec.strings, rows, first / 1000, pitch / 1000, off / 1000, flare / 1000)
        placed = tuple((round(x * 1000), round(y * 1000)) for x, y in grid)
        boards.save(db(), instrument_id, instrument.spec, replace(plan, posts_um=placed), stamp())
        flash("The posts stand on the grid; change single ones below.")
    return redirect(address("strings", instrument_id))


@screen.get("/instruments/<int:instrument_id>/board/files/<kind>")
def download(instrument_id: int, kind: str) -> Response:
    """One file of the saved board."""
    instrument, plan = board_or_404(instrument_id)
    with or_404():
        export = EXPORTS[kind]
    try:
        sheet = sheet_of(instrument.spec, plan, now().date().isoformat(), plan.rule(settings().rule), display())
        made = write_board(kind, sheet)
    except MachineError as error:
        flash("No slotting program: " + " ".join(error.problems.values()))
        return redirect(address("files", instrument_id))
    except ValueError as error:
        flash(f"This board cannot be drawn: {error}.")
        return redirect(address("plan", instrument_id))
    answer = make_response(made)
    answer.headers["Content-Type"] = export.media
    answer.headers["Content-Disposition"] = f"attachment; filename={file_name(kind, sheet)}"
    return answer
