"""What the open jobs will use of the stock, in the order of the schedule, and what runs short before which step."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

from deft_bench.bench.refret_progress import cutting_of
from deft_bench.bench.scheduling import OnBench
from deft_bench.bench.sheet_state import sheet_of
from deft_bench.core.frets.cut_list import CutListError
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.work.stock import KINDS, Aging, Need, Outlook, after_cutting, aging, needs_of, outlook
from deft_bench.store import boards, instruments, jobs, refrets, schedules, stock
from deft_bench.store.database import Connection
from deft_bench.store.kept import kept

WIRE = "fret wire"
CUTS = refrets.CUT_STEP


@dataclass(frozen=True, slots=True)
class StockOutlook:
    """One stock item against the open jobs; `why` says what is wrong where more than a number is."""

    item: stock.Item
    outlook: Outlook
    ordered: tuple[stock.Order, ...]
    why: str = ""

    @property
    def short(self) -> bool:
        """Whether it runs out before every open job is done."""
        return self.outlook.short is not None or bool(self.why)

    @property
    def low(self) -> bool:
        """Whether less than the least that should be there will be left."""
        return self.outlook.left < self.item.least


@dataclass(frozen=True, slots=True)
class BenchOutlook:
    """The whole shelf, and what jobs use that is not kept in stock or not chosen yet."""

    shelves: tuple[StockOutlook, ...]
    unkept: tuple[str, ...]
    unchosen: tuple[str, ...]

    @property
    def short(self) -> list[StockOutlook]:
        """What runs out, what is needed first on top."""
        return sorted(
            (shelf for shelf in self.shelves if shelf.short),
            key=lambda shelf: need.at.timestamp() if (need := shelf.outlook.short) and need.at else 0.0,
        )

    @property
    def by_kind(self) -> dict[str, list[StockOutlook]]:
        """The shelf by kind in words; kinds of which there is nothing are left out."""
        rows = {words: [shelf for shelf in self.shelves if shelf.item.kind == kind] for kind, words in KINDS.items()}
        return {words: shelves for words, shelves in rows.items() if shelves}


@dataclass(frozen=True, slots=True)
class Pot:
    """A pot or bottle with what its dates say."""

    lot: stock.Lot
    item: stock.Item
    aging: Aging | None


def pots(db: Connection, now: datetime) -> list[Pot]:
    """Every pot that is not used up."""
    items = {item.id: item for item in stock.items(db)}
    return [
        Pot(lot, items[lot.item_id], aging(_day(lot.opened_on), _day(lot.expires_on), now.date()))
        for lot in stock.lots(db)
        if lot.item_id in items
    ]


def _day(text: str | None) -> date | None:
    return date.fromisoformat(text) if text else None


def stock_outlook(db: Connection, settings: ShopSettings, found: Sequence[OnBench]) -> BenchOutlook:
    """Calculate what every open job will still use against what is there."""
    saved = schedules.latest(db)
    at: dict[str, dict[str, datetime]] = {}
    for placed in saved.placed if saved else ():
        at.setdefault(placed.job, {}).setdefault(placed.step, placed.start)
    items, ordered = stock.items(db), stock.orders(db)
    wanted: list[Need] = []
    for work in found:
        when = at.get(str(work.job.id), {})
        wanted += [replace(need, at=when.get(need.step)) for need in _needs(db, settings, work.job, work.instrument)]
    wires, unchosen, why = _wire(db, found, items, at)
    wanted += wires
    names = {item.name.lower() for item in items}
    by_name: dict[str, list[Need]] = {}
    for need in wanted:
        by_name.setdefault(need.material.lower(), []).append(need)
    shelves = []
    for item in items:
        coming = tuple(order for order in ordered if order.item_id == item.id)
        incoming = [(date.fromisoformat(order.due_on), order.quantity) for order in coming]
        have = outlook(item.have, by_name.get(item.name.lower(), []), incoming)
        shelves.append(StockOutlook(item, have, coming, why.get(item.id, "")))
    return BenchOutlook(
        tuple(shelves),
        tuple(sorted({need.material for need in wanted if need.material.lower() not in names})),
        tuple(unchosen),
    )


@kept
def _needs(db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument) -> list[Need]:
    """What a job will still use, whenever that is; wire is counted by its pieces."""
    sheet = sheet_of(db, settings, job, instrument)
    return needs_of(instrument.spec.name, sheet.left(), sheet.extent, {}, without=(WIRE,))


def _wire(
    db: Connection, found: Sequence[OnBench], items: Sequence[stock.Item], at: dict[str, dict[str, datetime]]
) -> tuple[list[Need], list[str], dict[int, str]]:
    """Wire goes by whole pieces: each refret's cutting plan from what the ones before it leave."""
    far = datetime.max.timestamp
    cutting = [one for one in found if any(step.code == CUTS for step in one.sheet.left())]
    cutting.sort(key=lambda work: moment.timestamp() if (moment := at.get(str(work.job.id), {}).get(CUTS)) else far())
    left = {item.id: list(item.pieces_um) for item in items if item.wire_id is not None}
    by_wire = {item.wire_id: item for item in items if item.wire_id is not None}
    wires = {name: by_wire[wire_id] for name, wire_id in refrets.wire_ids(db).items() if wire_id in by_wire}
    plans = refrets.PLANS.last_of(db, [work.job.id for work in cutting])
    bound = boards.plans_of(db, [work.instrument for work in cutting if work.instrument.spec.bound])
    needs: list[Need] = []
    unchosen: list[str] = []
    why: dict[int, str] = {}
    for work in cutting:
        plan = plans.get(work.job.id)
        item = wires.get(plan.wire) if plan is not None else None
        if plan is None or item is None:
            unchosen.append(work.name)
            continue
        cuts, problem = cutting_of(db, work.instrument, plan, left[item.id], bound.get(work.instrument.id))
        when = at.get(str(work.job.id), {}).get(CUTS)
        if cuts is None:
            why[item.id] = f"{work.name}: {problem[:1].lower()}{problem[1:].rstrip('.')}"
            continue
        try:
            used, offcuts, rest = after_cutting(left[item.id], cuts)
        except CutListError as error:
            why[item.id] = f"{work.name}: {error}"
            continue
        left[item.id] = sorted([*rest, *offcuts], reverse=True)
        needs.append(Need(work.name, CUTS, item.name, item.unit, len(used), when))
    return needs, unchosen, why
