"""Refrets: what is planned and how far it has come, the frets that were fitted, and the wire in stock."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import partial

from deft_bench.core.described import from_fields, to_fields
from deft_bench.core.instrument import Spec
from deft_bench.core.refret import RefretPlan, spec_after
from deft_bench.store import instruments, stock
from deft_bench.store.database import Connection, transaction
from deft_bench.store.documents import SavedDocuments

PLANS = SavedDocuments("refret_plan", "job_id", partial(from_fields, RefretPlan), to_fields)

CUT_STEP = "overbend_cut"
"""The operation under which a refret's wire leaves the stock."""


@dataclass(frozen=True, slots=True)
class Wire:
    """A wire in stock, lengths µm; `pieces_um` lists every piece. The radius is that of its bend, None when
    straight.
    """

    id: int
    name: str
    crown_width_um: int
    fret_height_um: int
    tang_depth_um: int
    tang_width_um: int
    barb_width_um: int
    radius_um: int | None
    pieces_um: tuple[int, ...]


def change(
    db: Connection, job_id: int, starting: RefretPlan, step: Callable[[RefretPlan], RefretPlan], at: str
) -> RefretPlan:
    """Change the refret from what it is at this moment, so that two ticks at once both stay; returns it as it is
    now.
    """
    with transaction(db):
        after = step(PLANS.last(db, job_id) or starting)
        PLANS.save(db, job_id, after, at)
    return after


def fitted(db: Connection, job_id: int) -> dict[int, str]:
    """When each fret was recorded as fitted in this job."""
    rows = db.execute(
        "SELECT fret, at FROM fret_fitted WHERE job_id = ? AND taken_back_at IS NULL ORDER BY fret", (job_id,)
    )
    return {row["fret"]: row["at"] for row in rows}


def keep_fitted(db: Connection, job_id: int, instrument_id: int, frets: Sequence[int], at: str) -> None:
    """Record frets as fitted, once each."""
    with transaction(db):
        db.executemany(
            "INSERT INTO fret_fitted (job_id, instrument_id, fret, at) VALUES (?, ?, ?, ?) ON CONFLICT (job_id, fret)"
            " DO UPDATE SET at = excluded.at, taken_back_at = NULL WHERE taken_back_at IS NOT NULL",
            [(job_id, instrument_id, fret, at) for fret in frets],
        )


def fit(db: Connection, job_id: int, instrument_id: int, plan: RefretPlan, at: str) -> None:
    """Record a refret's frets as fitted and what they make of the instrument's specification, together or not at
    all.
    """
    with transaction(db):
        keep_fitted(db, job_id, instrument_id, plan.frets, at)
        instruments.edit(db, instrument_id, spec_after(instruments.get(db, instrument_id).spec, plan), at)


def spec_before_fit(db: Connection, job_id: int, instrument_id: int) -> Spec | None:
    """The specification that a job's fitted frets replaced; None where they changed nothing, or are not in."""
    moments = set(fitted(db, job_id).values())
    return next((Spec(**spec) for at, spec in instruments.revisions(db, instrument_id) if at in moments), None)


def take_back_fitted(db: Connection, job_id: int, instrument_id: int, at: str) -> None:
    """Take back that a job's frets were fitted: the specification is what it was before, the wire is in stock again.
    The rows stay.
    """
    with transaction(db):
        before = spec_before_fit(db, job_id, instrument_id)
        db.execute("UPDATE fret_fitted SET taken_back_at = ? WHERE job_id = ? AND taken_back_at IS NULL", (at, job_id))
        if before is not None:
            instruments.edit(db, instrument_id, before, at)
        stock.put_back_pieces(db, job_id, CUT_STEP, at)


def wires(db: Connection) -> list[Wire]:
    """All wire in stock, by name, with its pieces by the ledger."""
    pieces = {item.wire_id: item.pieces_um for item in stock.items(db) if item.wire_id is not None}
    rows = db.execute(
        "SELECT id, name, crown_width_um, fret_height_um, tang_depth_um, tang_width_um, barb_width_um, radius_um"
        " FROM wire ORDER BY name COLLATE NOCASE"
    )
    return [Wire(**dict(row), pieces_um=pieces.get(row["id"], ())) for row in rows]


def wire_ids(db: Connection) -> dict[str, int]:
    """Every wire's number, by its name."""
    return {row["name"]: row["id"] for row in db.execute("SELECT id, name FROM wire")}


def wire_item(db: Connection, name: str) -> stock.Item | None:
    """The stock item of a wire by the wire's name."""
    row = db.execute(
        "SELECT s.id FROM wire w JOIN stock_item s ON s.wire_id = w.id WHERE w.name = ?", (name,)
    ).fetchone()
    return None if row is None else stock.get(db, row["id"])


def add_wire(
    db: Connection,
    name: str,
    sizes_um: Sequence[int],
    radius_um: int | None,
    pieces: Sequence[tuple[int, int]],
    at: str,
) -> int:
    """Enter a wire, or replace the one of its name: crown width and height, tang depth and width, width over the
    barbs; pieces as (length, count).
    """
    with transaction(db):
        row = db.execute(
            "INSERT INTO wire (name, crown_width_um, fret_height_um, tang_depth_um, tang_width_um, barb_width_um,"
            " radius_um) VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT (name) DO UPDATE SET crown_width_um ="
            " excluded.crown_width_um, fret_height_um = excluded.fret_height_um, tang_depth_um ="
            " excluded.tang_depth_um, tang_width_um = excluded.tang_width_um, barb_width_um = excluded.barb_width_um,"
            " radius_um = excluded.radius_um RETURNING id",
            (name, *sizes_um, radius_um),
        ).fetchone()
        kept = db.execute("SELECT id FROM stock_item WHERE wire_id = ?", (row["id"],)).fetchone()
        item = kept["id"] if kept else stock.put(db, f"Fret wire, {name}"[:80], "wire", "pieces", wire_id=row["id"])
        stock.count_pieces(db, item, [length for length, count in pieces for _ in range(count)], at)
    return int(row["id"])


def cut_from_stock(
    db: Connection, job_id: int, plan: RefretPlan, used_um: Sequence[int], offcuts_um: Sequence[int], at: str
) -> bool:
    """Take the pieces that a refret cut up and keep its offcuts, once a job; False when it was done before or the
    wire is not in stock.
    """
    item = wire_item(db, plan.wire)
    if item is None:
        return False
    with transaction(db):
        before = db.execute(
            "SELECT 1 FROM stock_move WHERE job_id = ? AND step = ? AND item_id = ? GROUP BY length_um"
            " HAVING sum(change) <> 0",
            (job_id, CUT_STEP, item.id),
        ).fetchone()
        if before is not None:
            return False
        stock.cut(db, item.id, job_id, used_um, offcuts_um, at, CUT_STEP)
    return True
