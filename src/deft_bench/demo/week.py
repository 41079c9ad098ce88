"""The demo's fortnight before the start of term: hours, fixtures, stock, tools, what is on order, and a plan that
cannot keep every promise.
"""

import random
from datetime import UTC, date, datetime, time, timedelta

from deft_bench.core.work.job_sheet import Event, SheetPlan
from deft_bench.core.work.schedule.bench import Technician
from deft_bench.core.work.schedule.hours import BenchHours, read_shifts
from deft_bench.store import instruments, jobs, schedules, sheets, stock, tools
from deft_bench.store.database import Connection

STOCK: tuple[tuple[str, str, str, float, float], ...] = (
    ("Low-tack tape", "abrasive", "m", 20, 46),
    ("Levelling paper", "abrasive", "strip", 10, 19),
    ("P120 paper", "abrasive", "m", 1, 3.2),
    ("P240 paper", "abrasive", "m", 1, 2.4),
    ("P600 paper", "abrasive", "strip", 8, 22),
    ("P1000 paper", "abrasive", "strip", 8, 15),
    ("P2000 paper", "abrasive", "strip", 8, 6),
    ("Cushioned pad, 4000", "abrasive", "piece", 2, 5),
    ("Wood glue", "glue", "g", 100, 310),
    ("Thin adhesive", "glue", "g", 10, 21),
    ("Epoxy", "glue", "g", 20, 48),
    ("Binding cement", "glue", "g", 20, 35),
    ("Board oil", "finish", "ml", 50, 180),
    ("Lacquer", "finish", "ml", 200, 420),
    ("Cleaning spirit", "finish", "ml", 100, 260),
    ("Iron solution", "finish", "ml", 0, 150),
    ("Tannin", "finish", "g", 10, 40),
    ("Strings 10–46 nickel-plated steel", "strings", "set", 3, 2),
    ("Strings 9–42 nickel-plated steel", "strings", "set", 1, 2),
    ("Strings 12–53 phosphor bronze", "strings", "set", 2, 3),
    ("Strings 10–47 twelve-string phosphor bronze", "strings", "set", 1, 1),
    ("Strings normal-tension nylon", "strings", "set", 1, 2),
    ("Strings 45–105 nickel-plated steel", "strings", "set", 1, 1),
    ("Strings 45–100 short-scale flat-wound", "strings", "set", 0, 1),
    ("String 10 thou plain steel", "strings", "piece", 4, 6),
    ("Nut blank 44 × 5 × 10 mm", "blank", "piece", 2, 3),
    ("Nut blank 50 × 5 × 10 mm", "blank", "piece", 1, 1),
    ("Saddle blank 70 mm", "blank", "piece", 2, 2),
    ("Side-marker rod", "other", "m", 0.5, 1.6),
)
"""What is on the shelf: name, kind, unit, the least that should be there, and how much was counted."""
TOOLS = (
    ("slotting saw", "sharpened", 480),
    ("crowning file", "blade changed", 200),
    ("levelling beam", "paper changed", 240),
    ("fret-end file", "sharpened", 600),
    ("nut files", "sharpened", None),
    ("plane", "sharpened", 180),
)

PEOPLE = ("Mara", "Ilo")
"""Who works at the demo bench."""


def make_week(db: Connection, today: date) -> None:
    """Store everything but the schedule itself, which is planned when the demo is made."""
    week = dict.fromkeys(range(5), read_shifts("9:00-12:30, 13:15-17:15"))
    apprentice = {2: read_shifts("13:15-17:15"), 4: read_shifts("13:15-17:15")}
    monday = today + timedelta(days=-today.weekday())
    off = frozenset({monday + timedelta(days=8)})
    schedules.save_hours(
        db,
        BenchHours(
            (Technician(PEOPLE[0], week, off), Technician(PEOPLE[1], apprentice)), {"clamps": 2, "neck rest": 2}
        ),
        _at(today, 7),
    )
    counted = today - timedelta(days=9)
    for name, kind, unit, least, have in STOCK:
        stock.move(db, stock.put(db, name, kind, unit, least), _at(counted, 16), have, "counted", note="shelf count")
    for job in jobs.in_bench_order(db):
        if job.promised_on is not None:
            days = (date.fromisoformat(job.promised_on) - today).days
            jobs.promise(db, job.id, _as_from_a_monday(today, days).isoformat(), job.weight)
    _lots(db, today)
    _tools(db, today)
    _board_job(db, today)
    _orders(db, today)


def _as_from_a_monday(today: date, days: int) -> date:
    """The day that leaves as many working days as so many days from a Monday would: the fortnight is as full on
    whatever day it is made.
    """
    working = sum(k % 7 < 5 for k in range(1, days + 1))
    over = days - max((k for k in range(days + 1) if k % 7 < 5), default=0)
    day = today + timedelta(days=max(0, 7 - today.weekday()) if today.weekday() > 4 else 0)
    while working:
        day += timedelta(days=1)
        working -= day.weekday() < 5
    return day + timedelta(days=over)


def _lots(db: Connection, today: date) -> None:
    for name, label, opened, expires in (
        ("Wood glue", "bottle 2", 120, 240),
        ("Thin adhesive", "bottle 1", 210, -6),
        ("Epoxy", "twin pack", 20, 400),
        ("Lacquer", "tin 1", 45, 9),
    ):
        item = stock.named(db, name)
        assert item is not None
        stock.add_lot(
            db,
            item,
            label,
            (today - timedelta(days=opened)).isoformat(),
            (today + timedelta(days=expires)).isoformat(),
            _at(today - timedelta(days=20), 10),
        )


def _tools(db: Connection, today: date) -> None:
    chance = random.Random(77)
    for name, care, lasts in TOOLS:
        tool = tools.put(db, name, care, lasts)
        for ago in {"levelling beam": (190, 90, 15), "crowning file": (790,)}.get(name, (190, 70)):
            tools.seen_to(db, tool, _at(today - timedelta(days=ago + chance.randint(0, 6)), 15))


def _board_job(db: Connection, today: date) -> None:
    """Sandpiper's board: coloured by iron and tannin, so that its solution is set on a week before."""
    made = instruments.named(db, "Sandpiper No. 14")[0]
    job = jobs.open_job(
        db,
        made,
        "work",
        _at(today - timedelta(days=4), 9),
        _as_from_a_monday(today, 24).isoformat(),
        "New board for the seven-string neck",
    )
    sheets.PLANS.save(
        db,
        job,
        SheetPlan("new_board", {"colour": "iron", "mask": "before_level"}, (), "hard"),
        _at(today - timedelta(days=4), 9, 5),
    )
    for code in ("check_parts", "choose_face", "true_edge", "centreline", "iron_solution", "thickness"):
        sheets.add(db, job, Event(code, "started", _at(today - timedelta(days=4), 10)))
        sheets.add(db, job, Event(code, "finished", _at(today - timedelta(days=4), 10, 21)))


def _orders(db: Connection, today: date) -> None:
    """Turnstone's saddle comes after its promise; wire for the next refret and paper come in time."""
    turnstone = jobs.open_of(db, instruments.named(db, "Turnstone No. 3"))[instruments.named(db, "Turnstone No. 3")[0]]
    promised = _as_from_a_monday(today, 9)
    jobs.promise(db, turnstone.id, promised.isoformat(), 3)
    due = promised + timedelta(days=2)
    due += timedelta(days=(7 - due.weekday()) % 7 if due.weekday() > 4 else 0)
    stock.order(
        db,
        "a twelve-string saddle blank",
        due.isoformat(),
        _at(today - timedelta(days=6), 11),
        job_id=turnstone.id,
        step="action",
    )
    stock.order(
        db,
        "P2000 paper, a pack",
        (today + timedelta(days=2)).isoformat(),
        _at(today - timedelta(days=1), 11),
        item_id=stock.named(db, "P2000 paper"),
        quantity=25,
    )


def _at(day: date, hour: int, minute: int = 0) -> str:
    return datetime.combine(day, time(hour, minute), UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
