"""Stock: the shelf against the open jobs, the ledger of each item, pots and their dates, orders, counting, and
tools.
"""

from dataclasses import dataclass
from datetime import date
from typing import Any

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.scheduling import on_bench
from deft_bench.bench.sheet_state import catalogue, tool_states
from deft_bench.bench.stock_outlook import StockOutlook, stock_outlook
from deft_bench.bench.stock_sheet import known_lines, take_in_stock
from deft_bench.core.frets.wire import read_pieces, write_pieces
from deft_bench.core.work.stock import KINDS, WHY, Aging, aging, amount
from deft_bench.core.work.tools import CARES
from deft_bench.formats.stock_csv import StockLine, read_stock, write_stock
from deft_bench.store import instruments, jobs, refrets, stock, tools
from deft_bench.web.support import Form, db, display, now, or_404, settings, stamp

screen = Blueprint("stock", __name__, template_folder="templates")
screen.add_app_template_filter(amount, "amount")

GOING = ("received", "used", "spoiled")
MOST = 1_000_000


@dataclass(frozen=True, slots=True)
class Pot:
    """A pot or bottle with what its dates say."""

    lot: stock.Lot
    item: stock.Item
    aging: Aging | None


def pots() -> list[Pot]:
    """Every pot that is not used up."""
    items = {item.id: item for item in stock.items(db())}
    return [
        Pot(lot, items[lot.item_id], aging(_day(lot.opened_on), _day(lot.expires_on), now().date()))
        for lot in stock.lots(db())
        if lot.item_id in items
    ]


def _day(text: str | None) -> date | None:
    return date.fromisoformat(text) if text else None


def say_short(shelf: StockOutlook) -> str:
    """What is short of an item, before which step of which job."""
    if shelf.why:
        return f"{shelf.item.name}: {shelf.why}"
    need = shelf.outlook.short
    assert need is not None
    book, _ = catalogue(db())
    step = book.operations[need.step].title if need.step in book.operations else need.step
    when = f" by {need.at.astimezone():%a} {need.at.astimezone().day} {need.at.astimezone():%b}" if need.at else ""
    return (
        f"{shelf.item.name}: {amount(shelf.outlook.missing, shelf.item.unit)} too few{when}, for “{step}” of {need.job}"
    )


@screen.get("/stock")
def show() -> str:
    """The shelf by kind, with what open jobs will use, what runs short first, and what is on order."""
    found = on_bench(db(), settings(), now())
    shelf = stock_outlook(db(), found)
    short = sorted(
        (one for one in shelf.shelves if one.short),
        key=lambda one: one.outlook.short.at.timestamp() if one.outlook.short and one.outlook.short.at else 0.0,
    )
    by_kind = {words: [one for one in shelf.shelves if one.item.kind == kind] for kind, words in KINDS.items()}
    book, _ = catalogue(db())
    opened = {one.job.id: one.name for one in found}
    return render_template(
        "stock/show.html",
        section="stock",
        shelf=shelf,
        short=short,
        by_kind={words: rows for words, rows in by_kind.items() if rows},
        say_short=say_short,
        orders=stock.orders(db()),
        opened=opened,
        wires={wire.id: wire for wire in refrets.wires(db())},
        pots=[pot for pot in pots() if pot.aging],
        kinds=KINDS,
        errors={},
        values={},
        show_pieces=_pieces_words,
        steps={one.job.id: [(step.code, book.operations[step.code].title) for step in one.steps] for one in found},
        now=now(),
    )


def _pieces_words(pieces_um: tuple[int, ...]) -> str:
    # a count and its length stay on one line
    return write_pieces(pieces_um, lambda um: display().long(um)).replace(" × ", "\u00a0×\u00a0")


def _amount(form: Form, field: str = "quantity", least: float = 0.000001) -> float | None:
    return form.number(field, least, MOST)


@screen.post("/stock/items")
def put() -> Response:
    """Enter an item."""
    form = Form()
    name, kind, unit = form.text("name")[:80], form.text("kind"), form.text("unit")[:20]
    least = form.number("least", 0, MOST, optional=True)
    have = form.number("have", 0, MOST, optional=True)
    wrong = list(form.errors.values())
    if not name or not unit:
        wrong.append("An item needs a name and a unit, such as strip, g or set.")
    if kind not in KINDS or kind == "wire":
        wrong.append("Choose a kind; wire is entered on the Refret screen, with its sizes.")
    if stock.named(db(), name) is not None:
        wrong.append(f"“{name}” is there already.")
    if wrong:
        flash("Not entered. " + " ".join(wrong))
        return redirect(url_for(".show", _anchor="enter"))
    item = stock.put(db(), name, kind, unit, least or 0.0)
    if have:
        stock.move(db(), item, stamp(), have, "counted")
    flash(f"{name} is in stock now.")
    return redirect(url_for(".item", item_id=item))


@screen.get("/stock/<int:item_id>")
def item(item_id: int) -> str:
    """One item: its ledger, what waits for it, its pots."""
    with or_404():
        found = stock.get(db(), item_id)
    shelf = next(
        one for one in stock_outlook(db(), on_bench(db(), settings(), now())).shelves if one.item.id == item_id
    )
    lines = stock.moves(db(), item_id)
    names = {
        line.job_id: instruments.get(db(), jobs.get(db(), line.job_id).instrument_id).spec.name
        for line in lines
        if line.job_id is not None
    }
    book, _ = catalogue(db())
    return render_template(
        "stock/item.html",
        section="stock",
        item=found,
        shelf=shelf,
        moves=lines,
        names=names,
        why=WHY,
        kinds=KINDS,
        going=GOING,
        pots=[pot for pot in pots() if pot.item.id == item_id],
        pieces=write_pieces(found.pieces_um, display().entry),
        titles={code: one.title for code, one in book.operations.items()},
        show_pieces=_pieces_words,
    )


@screen.post("/stock/<int:item_id>/move")
def move(item_id: int) -> Response:
    """Something came, went, or was thrown away; or it was counted."""
    with or_404():
        found = stock.get(db(), item_id)
    form, why = Form(), request.form.get("why", "")
    note = form.text("note")[:200]
    if form.errors:
        flash("Nothing was changed. " + " ".join(form.errors.values()))
        return redirect(url_for(".item", item_id=item_id))
    if found.wire_id is not None:
        try:
            stock.count_pieces(db(), item_id, read_pieces(form.text("pieces", lines=True), display().system), stamp())
            flash("The pieces are as counted.")
        except ValueError as error:
            flash(f"Nothing was changed: {error}")
    elif why == "counted":
        value = _amount(form, least=0)
        if value is not None:
            flash("Counted." if stock.count(db(), {item_id: value}, stamp(), note) else "It is as the ledger says.")
    elif why in GOING:
        value = _amount(form)
        if value is not None:
            stock.move(db(), item_id, stamp(), value if why == "received" else -value, why, note=note)
            flash("Written into the ledger.")
    else:
        flash("Nothing was changed: say what happened.")
    if form.errors:
        flash("Nothing was changed. " + " ".join(form.errors.values()))
    return redirect(url_for(".item", item_id=item_id))


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
        else:
            stock.add_lot(db(), item_id, label, opened, expires, stamp())
            flash("Entered.")
    return redirect(url_for(".item", item_id=item_id))


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


@screen.route("/stock/count", methods=["GET", "POST"])
def count() -> str | tuple[str, int] | Response:
    """A count sheet: print it, or type what was counted; an empty box was not counted."""
    items = [one for one in stock.items(db()) if one.wire_id is None]
    form = Form()
    if request.method == "POST":
        counted = {
            one.id: value
            for one in items
            if (value := form.number(f"have{one.id}", 0, MOST, optional=True)) is not None
        }
        if not form.errors:
            changed = stock.count(db(), counted, stamp(), "count sheet")
            flash(f"{len(counted)} counted, {changed} differed.")
            return redirect(url_for(".show"))
    html = render_template(
        "stock/count.html", section="stock", items=items, kinds=KINDS, errors=form.errors, values=form.sent
    )
    return (html, 422) if form.errors else html


@screen.get("/stock.csv")
def csv() -> Response:
    """The stock as CSV; `?count` leaves what is there empty."""
    rows = [(one.name, one.kind, one.unit, one.have, one.least, one.pieces_um, one.note) for one in stock.items(db())]
    answer = make_response(write_stock(rows, count_sheet="count" in request.args))
    answer.headers["Content-Type"] = "text/csv; charset=utf-8"
    answer.headers["Content-Disposition"] = "attachment; filename=stock.csv"
    return answer


@screen.route("/stock/csv", methods=["GET", "POST"])
def take_in() -> str | tuple[str, int] | Response:
    """Take a sheet in: what is wrong is named line by line first, what is right can be taken in all the same."""
    text, lines = "", list[StockLine]()
    if request.method == "POST":
        text = request.form.get("sheet", "")[:200_000]
        lines = known_lines(db(), read_stock(text))
        good = [line for line in lines if not line.problem]
        if good and ("anyway" in request.form or len(good) == len(lines)):
            changed = take_in_stock(db(), good, stamp())
            flash(f"{len(good)} lines taken in, {changed} lines written into the ledger.")
            return redirect(url_for(".show"))
    wrong = [line for line in lines if line.problem]
    html = render_template("stock/csv.html", section="stock", text=text, wrong=wrong, good=len(lines) - len(wrong))
    return (html, 422) if wrong else html


@screen.route("/tools", methods=["GET", "POST"])
def toolbox() -> str | Response:
    """Tools: what each has worked since it was seen to; a worn one slows the steps that use it."""
    if request.method == "POST":
        return _tool_sent()
    book, _ = catalogue(db())
    states = tool_states(db(), now(), book)
    named = sorted({name for one in book.operations.values() for name in one.tools})
    used_in: dict[str, list[str]] = {}
    for one in book.operations.values():
        for name in one.tools:
            used_in.setdefault(name.lower(), []).append(one.title)
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
