"""Board: plan, marking table, radius, strings and files of one board; board projects and how they become
instruments.
"""

from dataclasses import replace
from typing import Any

from flask import Blueprint, flash, jsonify, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.core.board.marking import marking_lines
from deft_bench.core.board.plan import CHOICES, BoardPlan
from deft_bench.core.board.rules import READ, STEPS_MM
from deft_bench.core.board.slotting import MachineError
from deft_bench.core.board.strings_on_board import post_grid
from deft_bench.core.instrument import CHOICES as SPEC_CHOICES
from deft_bench.core.instrument import KINDS, STARTING, Spec
from deft_bench.formats.board import EXPORTS, file_name, sheet_of, write_board
from deft_bench.store import boards, instruments, shop
from deft_bench.web.board.form import board_values, read_board
from deft_bench.web.board.pages import PAGES, Board
from deft_bench.web.drawing.mini import mini
from deft_bench.web.errors import wants_json
from deft_bench.web.instruments.form import read_spec, values_of
from deft_bench.web.support import Form, db, display, now, or_404, settings, stamp

screen = Blueprint(
    "board", __name__, template_folder="templates", static_folder="static", static_url_path="/board/static"
)

TABS = {"plan": "Plan", "marking": "Marking table", "radius": "Radius", "strings": "Strings", "files": "Files"}
PANELS = {"marking": "board/transfer.html"}
"""What a preview draws again, where it is not the whole panel."""
PAGE = 40


def _board(instrument_id: int) -> tuple[instruments.Instrument, BoardPlan]:
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    return instrument, boards.plan_of(db(), instrument_id, instrument.spec)


@screen.get("/boards")
def listing() -> str:
    """Board projects, and where to find the boards of instruments."""
    found = instruments.page(db(), None, PAGE, project=True)
    rows = [(one, mini(one.spec, {}, 1.0)) for one in found]
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
    instrument, _ = _board(instrument_id)
    if instrument.project:
        instruments.set_made(db(), instrument_id)
        flash(f"{instrument.spec.name} is an instrument now; its board and record came with it.")
    return redirect(url_for("instruments.show", instrument_id=instrument_id))


@screen.route("/instruments/<int:instrument_id>/board", methods=["GET", "POST"], defaults={"tab": "plan"})
@screen.route("/instruments/<int:instrument_id>/board/<any(marking,radius,strings,files):tab>", methods=["GET", "POST"])
def show(instrument_id: int, tab: str) -> str | Response | tuple[str, int]:
    """One page of the board. Sending its form saves specification and plan together, or nothing when a box is
    refused.
    """
    instrument, plan = _board(instrument_id)
    if request.method == "GET":
        values = board_values(instrument.spec, plan, display())
        return _page(tab, instrument, instrument.spec, plan, values, {})
    read = read_board(request.form, instrument.spec, plan, display())
    if read.spec is None or read.plan is None:
        return _page(tab, instrument, instrument.spec, plan, read.values, read.errors), 422
    changed = boards.save(db(), instrument_id, read.spec, read.plan, stamp())
    flash("Saved; what it was before is kept." if changed else "Nothing was changed.")
    return redirect(_address(tab, instrument_id, fret=request.form.get("fret") or None))


@screen.post("/instruments/<int:instrument_id>/board/preview", defaults={"tab": "plan"})
@screen.post("/instruments/<int:instrument_id>/board/<any(marking,radius,strings,files):tab>/preview")
def preview(instrument_id: int, tab: str) -> Response:
    """The page drawn again with the numbers as they stand in its boxes; nothing is saved.

    Where a box is refused only its words come back, and the drawing stays as it last could be drawn.
    """
    instrument, plan = _board(instrument_id)
    read = read_board(request.form, instrument.spec, plan, display())
    shown = {name: read.errors.get(name, "") for name in request.form if name not in ("csrf_token", "fret")}
    elsewhere = [words for name, words in read.errors.items() if name not in shown]
    if read.spec is None or read.plan is None:
        answer = make_response(
            render_template("shared/words.html", words=shown, elsewhere=elsewhere, state="refused", what="board")
        )
        answer.headers["HX-Reswap"] = "none"
        return answer
    unsaved = (read.spec, read.plan) != (instrument.spec, plan)
    board = Board(read.spec, read.plan, settings().rule)
    panel = render_template(
        PANELS.get(tab, f"board/{tab}_panel.html"),
        exports=EXPORTS,
        instrument=instrument,
        at_tab=tab,
        tabs=TABS,
        values=read.values,
        errors={},
        **_context(tab, instrument, board),
    )
    return make_response(
        panel + render_template("shared/words.html", words=shown, state="unsaved" if unsaved else "saved")
    )


def _address(tab: str, instrument_id: int, **query: Any) -> str:
    return url_for(".show", instrument_id=instrument_id, tab=tab, **query)


def _context(tab: str, instrument: instruments.Instrument, board: Board) -> dict[str, Any]:
    mirrored = settings().turned
    asked = request.form if request.method == "POST" else request.args
    return {
        "board": board,
        "spec": board.spec,
        "plan": board.plan,
        "choices": SPEC_CHOICES | CHOICES,
        "marked": _marked(tab, instrument),
        **PAGES[tab](board, asked, display(), mirrored),
    }


def _marked(tab: str, instrument: instruments.Instrument) -> dict[tuple[str, int], tuple[int, str]]:
    return boards.ticks(db(), instrument.id) if tab == "marking" else {}


def _page(
    tab: str,
    instrument: instruments.Instrument,
    spec: Spec,
    plan: BoardPlan,
    values: dict[str, str],
    errors: dict[str, str],
) -> str:
    board = Board(spec, plan, settings().rule)
    return render_template(
        f"board/{tab}.html",
        section="boards" if instrument.project else "instruments",
        instrument=instrument,
        at_tab=tab,
        tabs=TABS,
        values=values,
        errors=errors,
        rule_steps=dict.fromkeys(STEPS_MM),
        rule_reads=READ,
        rule_values=_rule_values(),
        exports=EXPORTS,
        **_context(tab, instrument, board),
    )


def _rule_values() -> dict[str, str]:
    found = settings()
    return {
        "rule_step": found.rule_step,
        "rule_fine": found.rule_fine,
        "rule_fine_to_um": display().entry(found.rule_fine_to_um),
        "rule_read": found.rule_read,
    }


@screen.post("/instruments/<int:instrument_id>/board/rule")
def set_rule(instrument_id: int) -> Response:
    """The user's own rule: a setting of the shop, changed where it is used."""
    _board(instrument_id)
    form = Form()
    step, fine, read = form.text("rule_step"), form.text("rule_fine"), form.text("rule_read")
    to = form.length("rule_fine_to_um")
    if (
        step not in STEPS_MM
        or (fine and fine not in STEPS_MM)
        or read not in READ
        or to is None
        or not 0 < to < 2_000_000
    ):
        flash(
            "The rule was not changed: choose its step, and give how far the finer part reaches in a length such as"
            " 150."
        )
    else:
        shop.change(db(), {"rule_step": step, "rule_fine": fine, "rule_fine_to_um": str(to), "rule_read": read})
    return redirect(_address("marking", instrument_id))


@screen.post("/instruments/<int:instrument_id>/board/tick")
def tick(instrument_id: int) -> Response:
    """Tick one fret off as marked, or take the tick back."""
    instrument, _ = _board(instrument_id)
    name, fret = request.form.get("line", ""), request.form.get("fret", -1, type=int)
    lines = marking_lines(instrument.spec.outline(), *settings().rule)
    found = next((mark for line in lines if line.name == name for mark in line.marks if mark.fret == fret), None)
    if found is None:
        if wants_json():
            return jsonify(error="That fret is not on this board."), 422  # type: ignore[return-value]
        flash("That fret is not on this board.")
        return redirect(_address("marking", instrument_id))
    place = round(found.from_datum_mm * 1000)
    standing = boards.ticks(db(), instrument_id).get((name, fret))
    ticked = standing is None or abs(standing[0] - place) > 1
    if ticked:
        boards.tick(db(), instrument_id, name, fret, place, stamp())
    else:
        boards.untick(db(), instrument_id, name, fret)
    if wants_json():
        done = sum(key[0] == name for key in boards.ticks(db(), instrument_id))
        return jsonify(ticked=ticked, done=done)
    return redirect(_address("marking", instrument_id, line=name))


@screen.post("/instruments/<int:instrument_id>/board/posts")
def posts(instrument_id: int) -> Response:
    """Lay the tuner posts out on a simple grid and save them."""
    instrument, plan = _board(instrument_id)
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
    return redirect(_address("strings", instrument_id))


@screen.get("/instruments/<int:instrument_id>/board/files/<kind>")
def download(instrument_id: int, kind: str) -> Response:
    """One file of the saved board."""
    instrument, plan = _board(instrument_id)
    with or_404():
        export = EXPORTS[kind]
    steps, share = settings().rule
    try:
        sheet = sheet_of(instrument.spec, plan, now().date().isoformat(), steps, share)
        made = write_board(kind, sheet)
    except MachineError as error:
        flash("No slotting program: " + " ".join(error.problems.values()))
        return redirect(_address("files", instrument_id))
    except ValueError as error:
        flash(f"This board cannot be drawn: {error}.")
        return redirect(_address("plan", instrument_id))
    answer = make_response(made)
    answer.headers["Content-Type"] = export.media
    answer.headers["Content-Disposition"] = f"attachment; filename={file_name(kind, sheet)}"
    return answer
