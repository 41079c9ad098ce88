"""One item of the stock: its ledger, what waits for it, its pots; and what is on order."""

from collections import Counter

from flask import flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.scheduling import on_bench
from deft_bench.bench.sheet_state import catalogue
from deft_bench.bench.stock_outlook import pots, stock_outlook
from deft_bench.core.frets.wire import read_pieces
from deft_bench.core.work.stock import KINDS, WHY
from deft_bench.store import stock
from deft_bench.web.stock.screen import MOST, pieces_words, screen
from deft_bench.web.support import Form, db, display, now, or_404, rows_sent, send_back, sent_back, settings, stamp

SPARE_ROWS = [("", "")] * 2
PIECE_BOXES = ("many", "length")
GOING = ("received", "used", "spoiled")


def _amount(form: Form, field: str = "quantity", least: float = 0.000001) -> float | None:
    return form.number(field, least, MOST)


def _piece_rows(found: stock.Item) -> list[tuple[str, ...]]:
    """Pieces of a length together, as they were typed where they were refused, and rows to spare."""
    kept = [(str(count), display().entry(um)) for um, count in Counter(found.pieces_um).items()]
    return [*(rows_sent(sent_back(), *PIECE_BOXES) or kept), *SPARE_ROWS]


@screen.get("/stock/<int:item_id>")
def item(item_id: int) -> str:
    """One item: its ledger, what waits for it, its pots."""
    with or_404():
        found = stock.get(db(), item_id)
    whole = stock_outlook(db(), settings(), on_bench(db(), settings()))
    shelf = next(shelve for shelve in whole.shelves if shelve.item.id == item_id)
    book, _ = catalogue(db())
    return render_template(
        "stock/item.html",
        section="stock",
        item=found,
        shelf=shelf,
        moves=stock.moves(db(), item_id),
        why=WHY,
        kinds=KINDS,
        going=GOING,
        pots=[pot for pot in pots(db(), now()) if pot.item.id == item_id],
        pieces=_piece_rows(found),
        titles={code: one.title for code, one in book.operations.items()},
        show_pieces=pieces_words,
    )


@screen.post("/stock/<int:item_id>/move")
def move(item_id: int) -> Response:
    """Something came, went, or was thrown away; or it was counted."""
    with or_404():
        found = stock.get(db(), item_id)
    form = Form()
    problem = _count_wire(item_id) if found.wire_id is not None else _move(form, item_id)
    if not problem:
        return redirect(url_for(".item", item_id=item_id))
    flash(f"Nothing was changed: {problem}")
    send_back()
    return redirect(url_for(".item", item_id=item_id))


def _count_wire(item_id: int) -> str:
    """Keep the pieces of a wire as they were counted; or why not."""
    pieces = "; ".join(f"{many or 1} × {length}" for many, length in rows_sent(request.form, *PIECE_BOXES))
    try:
        stock.count_pieces(db(), item_id, read_pieces(pieces, display().system), stamp())
    except ValueError as error:
        return str(error)
    flash("The pieces are as counted.")
    return ""


def _move(form: Form, item_id: int) -> str:
    """Write down what came, went or was counted; or why not."""
    why, note = form.text("why"), form.text("note")[:200]
    if why not in (*GOING, "counted"):
        return "say what happened."
    value = _amount(form, least=0) if why == "counted" else _amount(form)
    if form.errors or value is None:
        return " ".join(form.errors.values())
    if why == "counted":
        flash("Counted." if stock.count(db(), {item_id: value}, stamp(), note) else "It is as the ledger says.")
    else:
        stock.move(db(), item_id, stamp(), value if why == "received" else -value, why, note=note)
        flash("Written into the ledger.")
    return ""


@screen.post("/stock/<int:item_id>/edit")
def edit(item_id: int) -> Response:
    """Change what should be there at least, its kind, unit and note."""
    with or_404():
        found = stock.get(db(), item_id)
    form = Form()
    least, note = form.number("least", 0, MOST), form.text("note")[:200]
    kind = found.kind if found.wire_id is not None else form.text("kind")
    unit = found.unit if found.wire_id is not None else form.text("unit")[:20]
    if form.errors or least is None or kind not in KINDS or not unit:
        flash("Not changed. " + (" ".join(form.errors.values()) or "Give a kind and a unit."))
    else:
        stock.put(db(), found.name, kind, unit, least, note)
        flash("Changed.")
    return redirect(url_for(".item", item_id=item_id))


@screen.post("/stock/<int:item_id>/lots")
def lot(item_id: int) -> Response:
    """Enter a pot or bottle with its dates, or say that one is used up."""
    with or_404():
        stock.get(db(), item_id)
    form = Form()
    spent = request.form.get("spent", type=int)
    if spent is not None:
        stock.spend_lot(db(), spent, stamp())
        flash("It is out of the way; its dates stay in the record.")
    else:
        opened, expires, label = form.day("opened_on"), form.day("expires_on"), form.text("label")[:60]
        if form.errors or not (opened or expires):
            flash(
                "Not entered. "
                + (" ".join(form.errors.values()) or "Give the day it was opened, or the day it expires.")
            )
            send_back()
        else:
            stock.add_lot(db(), item_id, label, opened, expires, stamp())
            flash("Entered.")
    return redirect(url_for(".item", item_id=item_id))
