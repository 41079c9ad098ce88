"""What is done to a refret: blanks and ends ticked off, frets recorded as fitted, the wire taken from stock."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from deft_bench.bench.refret_progress import cutting_of, latest_values, refret_plan
from deft_bench.core.frets.cut_list import CutListError
from deft_bench.core.frets.heights import LANES
from deft_bench.core.refret import END_STEPS, SIDES, RefretPlan
from deft_bench.core.times import stamp
from deft_bench.core.work.stock import after_cutting
from deft_bench.store import instruments, jobs, refrets, surveys
from deft_bench.store.database import Connection, transaction

ENDS = tuple(f"{step} {side}" for step in END_STEPS for side in SIDES)
"""End work as it is ticked off."""


class RefretRefusedError(ValueError):
    """What was asked of a refret is not done; `where` is the part of the page that it hangs on."""

    def __init__(self, why: str, where: str | None = None) -> None:
        self.where = where
        super().__init__(why)


def save_refret(db: Connection, now: datetime, job: jobs.Job, wanted: RefretPlan) -> bool:
    """Save the refret's numbers; ticks made meanwhile in another window stay. False when nothing was changed."""
    with transaction(db):
        before = refrets.PLANS.last(db, job.id)
        after = refrets.change(
            db, job.id, wanted, lambda last: replace(wanted, cut=last.cut, ends_done=last.ends_done), stamp(now)
        )
    return after != before


def keep_wire(db: Connection, now: datetime, plan: RefretPlan) -> None:
    """Enter the refret's wire into stock under its name, with its pieces."""
    sizes = plan.crown_width_um, plan.fret_height_um, plan.tang_depth_um, plan.tang_width_um, plan.barb_width_um
    counted = [(um, plan.pieces_um.count(um)) for um in sorted(set(plan.pieces_um), reverse=True)]
    refrets.add_wire(db, plan.wire or "Unnamed wire", sizes, plan.wire_radius_um, counted, stamp(now))


def with_wire(plan: RefretPlan, wire: refrets.Wire) -> RefretPlan:
    """The refret with a wire from stock."""
    return replace(
        plan,
        wire=wire.name,
        crown_width_um=wire.crown_width_um,
        fret_height_um=wire.fret_height_um,
        tang_depth_um=wire.tang_depth_um,
        tang_width_um=wire.tang_width_um,
        barb_width_um=wire.barb_width_um,
        wire_radius_um=wire.radius_um or 5_000_000,
        pieces_um=wire.pieces_um,
    )


def toggle_cut(
    db: Connection, now: datetime, job: jobs.Job, instrument: instruments.Instrument, fret: int
) -> RefretPlan:
    """Tick one blank off as cut and in the holder, or take the tick back. Raises RefretRefusedError."""
    plan, _ = refret_plan(db, job, instrument)
    if fret not in plan.frets:
        raise RefretRefusedError("That fret is not part of this refret.", "holder")
    return refrets.change(
        db, job.id, plan, lambda last: replace(last, cut=tuple(sorted(set(last.cut) ^ {fret}))), stamp(now)
    )


def toggle_end(db: Connection, now: datetime, job: jobs.Job, instrument: instruments.Instrument, which: str) -> None:
    """Tick end work off (one of `ENDS`), or take it back."""
    plan, _ = refret_plan(db, job, instrument)
    if which in ENDS:
        refrets.change(
            db,
            job.id,
            plan,
            lambda last: replace(last, ends_done=tuple(sorted(set(last.ends_done) ^ {which}))),
            stamp(now),
        )


@dataclass(frozen=True, slots=True)
class WireTaken:
    """The wire that left the stock for a refret: pieces and offcuts kept; `problem` when none could."""

    pieces: int = 0
    offcuts: int = 0
    problem: str = ""


def fit_frets(db: Connection, now: datetime, job: jobs.Job, instrument: instruments.Instrument) -> WireTaken:
    """Record that the frets are in, and take their wire from stock, together: their metal budget starts here, and a
    whole refret's wire becomes the instrument's.

    Raises RefretRefusedError for a refret that was not saved, or nibs that the owner was not told of.
    """
    plan, saved = refret_plan(db, job, instrument)
    if not saved:
        raise RefretRefusedError("Save the refret first: the wire that goes in is part of the record.")
    if plan.nibs != "none" and not plan.nibs_said:
        raise RefretRefusedError(
            "Say to the owner what becomes of the nibs first, and tick that it was said.", "numbers"
        )
    with transaction(db):
        refrets.fit(db, job.id, instrument.id, plan, stamp(now))
        return _take_wire(db, now, job, instrument, plan)


def _take_wire(
    db: Connection, now: datetime, job: jobs.Job, instrument: instruments.Instrument, plan: RefretPlan
) -> WireTaken:
    """Take the pieces that were cut up, and keep the offcuts that make a fret."""
    item = refrets.wire_item(db, plan.wire)
    cutting, _ = cutting_of(db, instrument, plan)
    if item is None or cutting is None:
        return WireTaken()
    longest = max(round(blank.crown_mm * 1000) for blank in cutting.blanks)
    try:
        used, offcuts, _left = after_cutting(item.pieces_um, cutting, longest)
    except CutListError as error:
        return WireTaken(problem=str(error))
    taken = refrets.cut_from_stock(db, job.id, plan, used, offcuts, stamp(now))
    return WireTaken(len(used), len(offcuts)) if taken else WireTaken()


def seated_off_mm(db: Connection, job: jobs.Job, frets: int) -> dict[str, list[float | None]]:
    """Daylight by lane and fret as last read, mm; empty where the seating was not read."""
    seat = latest_values(db, job, "seating")
    if seat is None:
        return {}
    return {
        lane: [None if (um := seat[1].get((lane, fret))) is None else um / 1000 for fret in range(1, frets + 1)]
        for lane in LANES
    }


def sprouts(db: Connection, instrument: instruments.Instrument) -> Sequence[tuple[str, float, float | None]]:
    """When sprout was read, the most of it in mm, and the humidity then; oldest first."""
    return [
        (survey.taken_at, max(read) / 1000, survey.head.humidity)
        for survey in reversed(surveys.of_instrument(db, instrument.id, "sprout", 40))
        if (read := [um for um in surveys.values(db, survey.id).values() if um is not None])
    ]
