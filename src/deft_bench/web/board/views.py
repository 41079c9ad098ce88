"""The pages of one board: plan, marking table, radius, strings and files, each with its own boxes."""

from typing import Any

from flask import flash, make_response, redirect, render_template, request
from werkzeug.wrappers import Response

from deft_bench.bench.schools import of_board
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.described import choices_of, described
from deft_bench.core.instrument import CHOICES as SPEC_CHOICES
from deft_bench.core.instrument import Spec
from deft_bench.formats.board import exports_of
from deft_bench.store import boards, instruments, jobs
from deft_bench.web.board.form import board_values, read_board
from deft_bench.web.board.pages import PAGES, Board
from deft_bench.web.board.screen import address, board_or_404, screen
from deft_bench.web.support import db, display, settings, stamp, words_only
from deft_bench.web.typed import as_typed, keep_typed

TABS = {"plan": "Plan", "marking": "Marking table", "radius": "Radius", "strings": "Strings", "files": "Files"}
PANELS = {"marking": "board/transfer.html"}
"""What a preview draws again, where it is not the whole panel."""


@screen.route("/instruments/<int:instrument_id>/board", methods=["GET", "POST"], defaults={"tab": "plan"})
@screen.route("/instruments/<int:instrument_id>/board/<any(marking,radius,strings,files):tab>", methods=["GET", "POST"])
def show(instrument_id: int, tab: str) -> str | Response | tuple[str, int]:
    """One page of the board. Sending its form saves specification and plan together, or nothing when a box is
    refused.
    """
    instrument, plan = board_or_404(instrument_id)
    if request.method == "GET":
        values = as_typed(instrument_id, board_values(instrument.spec, plan, display()))
        return _page(tab, instrument, instrument.spec, plan, values, {})
    read = read_board(request.form, instrument.spec, plan, display())
    if read.spec is None or read.plan is None:
        return _page(tab, instrument, instrument.spec, plan, read.values, read.errors), 422
    changed = boards.save(db(), instrument_id, read.spec, read.plan, stamp())
    keep_typed(instrument_id, request.form)
    follows = of_board(plan) != of_board(read.plan) and jobs.open_of(db(), [instrument_id])
    also = " The run sheet is planned again with it." if follows else ""
    flash(f"Saved; what it was before is kept.{also}" if changed else "Nothing was changed.")
    return redirect(address(tab, instrument_id, fret=request.form.get("fret") or None))


@screen.post("/instruments/<int:instrument_id>/board/preview", defaults={"tab": "plan"})
@screen.post("/instruments/<int:instrument_id>/board/<any(marking,radius,strings,files):tab>/preview")
def preview(instrument_id: int, tab: str) -> Response:
    """The page drawn again with the numbers as they stand in its boxes; nothing is saved.

    Where a box is refused only its words come back, and the drawing stays as it last could be drawn.
    """
    instrument, plan = board_or_404(instrument_id)
    read = read_board(request.form, instrument.spec, plan, display())
    shown = {name: read.errors.get(name, "") for name in request.form if name not in ("csrf_token", "fret")}
    elsewhere = [words for name, words in read.errors.items() if name not in shown]
    if read.spec is None or read.plan is None:
        return words_only(shown, "board", elsewhere)
    unsaved = (read.spec, read.plan) != (instrument.spec, plan)
    board = Board(read.spec, read.plan, read.plan.rule(settings().rule))
    panel = render_template(
        PANELS.get(tab, f"board/{tab}_panel.html"),
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


def _context(tab: str, instrument: instruments.Instrument, board: Board) -> dict[str, Any]:
    mirrored = settings().turned
    asked = request.form if request.method == "POST" else request.args
    return {
        "board": board,
        "exports": exports_of(board.spec, board.plan, board.view),
        "spec": board.spec,
        "plan": board.plan,
        "choices": SPEC_CHOICES | choices_of(BoardPlan),
        "described": described(BoardPlan),
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
    board = Board(spec, plan, plan.rule(settings().rule))
    return render_template(
        f"board/{tab}.html",
        section="boards" if instrument.project else "instruments",
        instrument=instrument,
        at_tab=tab,
        tabs=TABS,
        values=values,
        errors=errors,
        shops_rule=settings().rule_step,
        **_context(tab, instrument, board),
    )
