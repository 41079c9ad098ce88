"""Stock as a ledger: items, what came and went, pots with their dates, and what is on order."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from deft_bench.store import practice_necks
from deft_bench.store.database import Connection, transaction
from deft_bench.store.people import sign


@dataclass(frozen=True, slots=True)
class Item:
    """A thing kept in stock, with what is there by the ledger; of wire, `pieces_um` lists every piece."""

    id: int
    name: str
    kind: str
    unit: str
    least: float
    note: str
    wire_id: int | None
    have: float
    pieces_um: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class Move:
    """One line of the ledger; `length_um` is the length of the pieces that moved, `by` who wrote it, `instrument` the
    name of what the job is on.
    """

    at: str
    change: float
    length_um: int | None
    why: str
    job_id: int | None
    step: str
    note: str
    by: str | None = None
    instrument: str | None = None


@dataclass(frozen=True, slots=True)
class Lot:
    """A pot or bottle with its dates."""

    id: int
    item_id: int
    label: str
    opened_on: str | None
    expires_on: str | None


@dataclass(frozen=True, slots=True)
class Order:
    """Something on order, for which job and step."""

    id: int
    what: str
    item_id: int | None
    quantity: float
    job_id: int | None
    step: str
    due_on: str


def items(db: Connection) -> list[Item]:
    """Everything in stock by kind and name, with what is there."""
    pieces: dict[int, list[int]] = {}
    for row in db.execute(
        "SELECT item_id, length_um, sum(change) AS count FROM stock_move WHERE length_um IS NOT NULL GROUP BY item_id,"
        " length_um ORDER BY length_um DESC"
    ):
        pieces.setdefault(row["item_id"], []).extend([row["length_um"]] * max(0, round(row["count"])))
    rows = db.execute(
        "SELECT i.id, i.name, i.kind, i.unit, i.least, i.note, i.wire_id, coalesce(sum(m.change), 0) AS have FROM"
        " stock_item i LEFT JOIN stock_move m ON m.item_id = i.id WHERE i.retired_at IS NULL GROUP BY i.id ORDER BY"
        " i.kind, i.name COLLATE NOCASE"
    )
    return [
        Item(**{**dict(row), "have": round(row["have"], 6)}, pieces_um=tuple(pieces.get(row["id"], ()))) for row in rows
    ]


def get(db: Connection, item_id: int) -> Item:
    """One item; raises KeyError when there is none."""
    found = next((item for item in items(db) if item.id == item_id), None)
    if found is None:
        raise KeyError(item_id)
    return found


def named(db: Connection, name: str) -> int | None:
    """The item of a name, whatever its case."""
    row = db.execute("SELECT id FROM stock_item WHERE name = ? AND retired_at IS NULL", (name,)).fetchone()
    return None if row is None else int(row["id"])


def put(
    db: Connection, name: str, kind: str, unit: str, least: float = 0.0, note: str = "", wire_id: int | None = None
) -> int:
    """Enter an item, or change the one of that name; returns its id."""
    with transaction(db):
        row = db.execute(
            "INSERT INTO stock_item (name, kind, unit, least, note, wire_id) VALUES (?, ?, ?, ?, ?, ?) ON CONFLICT"
            " (name) DO UPDATE SET kind = excluded.kind, unit = excluded.unit, least = excluded.least, note ="
            " excluded.note, retired_at = NULL RETURNING id",
            (name, kind, unit, least, note, wire_id),
        ).fetchone()
        return int(row["id"])


def move(
    db: Connection,
    item_id: int,
    at: str,
    change: float,
    why: str,
    *,
    length_um: int | None = None,
    job_id: int | None = None,
    step: str = "",
    note: str = "",
) -> None:
    """Write a line of the ledger."""
    with transaction(db):
        cursor = db.execute(
            "INSERT INTO stock_move (item_id, at, change, length_um, why, job_id, step, note) VALUES (?, ?, ?, ?, ?, ?,"
            " ?, ?)",
            (item_id, at, change, length_um, why, job_id, step, note),
        )
        sign(db, "stock_move", cursor.lastrowid)


def count(db: Connection, counted: Mapping[int, float], at: str, note: str = "") -> int:
    """Enter what was counted, item by item; only differences become lines. Returns how many did."""
    with transaction(db):
        there = {item.id: item.have for item in items(db)}
        found = {item: value - there[item] for item, value in counted.items() if abs(value - there[item]) > 1e-9}
        for item, change in found.items():
            move(db, item, at, change, "counted", note=note)
    return len(found)


def count_pieces(db: Connection, item_id: int, pieces: Sequence[int], at: str) -> None:
    """Enter the pieces of wire that are there; the ledger takes the differences."""
    with transaction(db):
        there = list(get(db, item_id).pieces_um)
        for length in sorted({*there, *pieces}, reverse=True):
            change = list(pieces).count(length) - there.count(length)
            if change:
                move(db, item_id, at, change, "counted", length_um=length)


def cut(
    db: Connection, item_id: int, job_id: int, used_um: Sequence[int], offcuts_um: Sequence[int], at: str, step: str
) -> None:
    """Take pieces that a job cut up, and put the offcuts worth keeping back."""
    if practice_necks.is_practice(db, job_id):
        return
    with transaction(db):
        for length in sorted(set(used_um), reverse=True):
            move(db, item_id, at, -list(used_um).count(length), "used", length_um=length, job_id=job_id, step=step)
        for length in sorted(set(offcuts_um), reverse=True):
            move(db, item_id, at, list(offcuts_um).count(length), "offcut", length_um=length, job_id=job_id, step=step)


def use(db: Connection, job_id: int, step: str, used: Mapping[str, float], at: str) -> list[str]:
    """Take what a finished step uses of the materials that are kept in stock; returns their names. Wire goes by
    `cut`; a practice neck uses nothing. Joins an open transaction when there is one.
    """
    if practice_necks.is_practice(db, job_id):
        return []
    with transaction(db):
        taken = []
        for name, quantity in used.items():
            row = db.execute(
                "SELECT id, name FROM stock_item WHERE name = ? AND retired_at IS NULL AND wire_id IS NULL", (name,)
            ).fetchone()
            if row is not None and quantity > 0:
                move(db, row["id"], at, -quantity, "used", job_id=job_id, step=step)
                taken.append(str(row["name"]))
        return taken


def put_back(db: Connection, job_id: int, step: str, at: str) -> None:
    """Undo what a step took, when it is opened again: the ledger gets the opposite of what is still out."""
    with transaction(db):
        rows = db.execute(
            "SELECT item_id, sum(change) AS taken FROM stock_move WHERE job_id = ? AND step = ? AND length_um IS NULL"
            " GROUP BY item_id",
            (job_id, step),
        ).fetchall()
        for row in rows:
            if abs(row["taken"]) > 1e-9:
                move(db, row["item_id"], at, -row["taken"], "returned", job_id=job_id, step=step)


def put_back_pieces(db: Connection, job_id: int, step: str, at: str) -> None:
    """Undo what a step cut of the wire: the pieces it took are there again, its offcuts are not."""
    with transaction(db):
        rows = db.execute(
            "SELECT item_id, length_um, sum(change) AS taken FROM stock_move WHERE job_id = ? AND step = ?"
            " AND length_um IS NOT NULL GROUP BY item_id, length_um HAVING sum(change) <> 0",
            (job_id, step),
        ).fetchall()
        for row in rows:
            length = row["length_um"]
            move(db, row["item_id"], at, -row["taken"], "returned", length_um=length, job_id=job_id, step=step)


def moves(db: Connection, item_id: int, limit: int = 60) -> list[Move]:
    """An item's ledger, the newest line first."""
    rows = db.execute(
        "SELECT m.at, m.change, m.length_um, m.why, m.job_id, m.step, m.note, p.person AS by, i.name AS instrument FROM"
        " stock_move m LEFT JOIN entered_by p ON p.what = 'stock_move' AND p.row_id = m.id LEFT JOIN job j ON j.id ="
        " m.job_id LEFT JOIN instrument i ON i.id = j.instrument_id WHERE m.item_id = ? ORDER BY m.id DESC LIMIT ?",
        (item_id, limit),
    )
    return [Move(**dict(row)) for row in rows]


def used_by(db: Connection, job_id: int) -> dict[str, float]:
    """What a job has taken of each item, what it put back taken off; wire by the piece."""
    rows = db.execute(
        "SELECT i.name, -sum(m.change) AS used FROM stock_move m JOIN stock_item i ON i.id = m.item_id WHERE m.job_id ="
        " ? AND m.why <> 'offcut' GROUP BY i.id HAVING abs(used) > 1e-9 ORDER BY i.name",
        (job_id,),
    )
    return {row["name"]: row["used"] for row in rows}


def add_lot(db: Connection, item_id: int, label: str, opened_on: str | None, expires_on: str | None, at: str) -> None:
    """Enter a pot or bottle."""
    with transaction(db):
        db.execute(
            "INSERT INTO stock_lot (item_id, label, opened_on, expires_on, entered_at) VALUES (?, ?, ?, ?, ?)",
            (item_id, label, opened_on, expires_on, at),
        )


def lots(db: Connection) -> list[Lot]:
    """Pots and bottles that are not used up."""
    rows = db.execute(
        "SELECT id, item_id, label, opened_on, expires_on FROM stock_lot WHERE spent_at IS NULL ORDER BY item_id, id"
    )
    return [Lot(**dict(row)) for row in rows]


def spend_lot(db: Connection, lot_id: int, at: str) -> None:
    """Record that a pot is used up or thrown away."""
    with transaction(db):
        db.execute("UPDATE stock_lot SET spent_at = ? WHERE id = ? AND spent_at IS NULL", (at, lot_id))


def order(
    db: Connection,
    what: str,
    due_on: str,
    at: str,
    *,
    item_id: int | None = None,
    quantity: float = 1,
    job_id: int | None = None,
    step: str = "",
) -> None:
    """Enter something as on order."""
    with transaction(db):
        db.execute(
            "INSERT INTO stock_order (what, item_id, quantity, job_id, step, due_on, ordered_at) VALUES (?, ?, ?, ?, ?,"
            " ?, ?)",
            (what, item_id, quantity, job_id, step, due_on, at),
        )


def orders(db: Connection) -> list[Order]:
    """What is on order and has not come, the nearest day first."""
    rows = db.execute(
        "SELECT id, what, item_id, quantity, job_id, step, due_on FROM stock_order WHERE arrived_at IS NULL ORDER BY"
        " due_on, id"
    )
    return [Order(**dict(row)) for row in rows]


def arrived(db: Connection, order_id: int, at: str) -> bool:
    """Record that an order has come: an item's stock grows by it. False when it had come before or is none."""
    with transaction(db):
        row = db.execute(
            "UPDATE stock_order SET arrived_at = ? WHERE id = ? AND arrived_at IS NULL RETURNING item_id, quantity,"
            " what",
            (at, order_id),
        ).fetchone()
        if row is not None and row["item_id"] is not None:
            move(db, row["item_id"], at, row["quantity"], "received", note=row["what"])
    return row is not None


def put_off(db: Connection, order_id: int, due_on: str) -> None:
    """An order comes on another day."""
    with transaction(db):
        db.execute("UPDATE stock_order SET due_on = ? WHERE id = ? AND arrived_at IS NULL", (due_on, order_id))
