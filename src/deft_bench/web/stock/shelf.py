"""Stock: the shelf against the open jobs, entering an item, counting, and the sheet as CSV."""

from flask import flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.scheduling import on_bench
from deft_bench.bench.sheet_state import catalogue
from deft_bench.bench.stock_outlook import StockOutlook, pots, stock_outlook
from deft_bench.bench.stock_sheet import known_lines, take_in_stock
from deft_bench.core.work.stock import KINDS, amount
from deft_bench.formats.stock_csv import StockLine, read_stock, write_stock
from deft_bench.store import refrets, stock
from deft_bench.web.stock.screen import MOST, pieces_words, screen
from deft_bench.web.support import Form, day, db, now, settings, stamp


@screen.get("/stock")
def show() -> str:
    """The shelf by kind, with what open jobs will use, what runs short first, and what is on order."""
    bench = on_bench(db(), settings())
    shelf = stock_outlook(db(), settings(), bench)
    return render_template(
        "stock/show.html",
        section="stock",
        shelf=shelf,
        short=shelf.short,
        by_kind=shelf.by_kind,
        tight=[one for one in shelf.shelves if one.short or one.low],
        say_short=_say_short,
        orders=stock.orders(db()),
        opened={on.job.id: on.name for on in bench},
        wires={wire.id: wire for wire in refrets.wires(db())},
        pots=[pot for pot in pots(db(), now()) if pot.aging],
        kinds=KINDS,
        errors={},
        values={},
        show_pieces=pieces_words,
        steps={on.job.id: [(step.code, step.title) for step in on.sheet.left()] for on in bench},
        now=now(),
    )


def _say_short(shelf: StockOutlook) -> str:
    """What is short of an item, before which step of which job."""
    if shelf.why:
        return f"{shelf.item.name}: {shelf.why}"
    need = shelf.outlook.short
    assert need is not None
    book, _ = catalogue(db())
    step = book.operations[need.step].title if need.step in book.operations else need.step
    when = f" by {day(need.at)}" if need.at else ""
    missing = amount(shelf.outlook.missing, shelf.item.unit)
    return f"{shelf.item.name}: {missing} too few{when}, for “{step}” of {need.job}"


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


@screen.route("/stock/count", methods=["GET", "POST"])
def count() -> str | tuple[str, int] | Response:
    """A count sheet: print it, or type what was counted; an empty box was not counted."""
    items = [one for one in stock.items(db()) if one.wire_id is None]
    form = Form()
    if request.method == "POST":
        counted = {
            item.id: value
            for item in items
            if (value := form.number(f"have{item.id}", 0, MOST, optional=True)) is not None
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
    answer = make_response(write_stock(stock.items(db()), count_sheet="count" in request.args))
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
