"""What happened on the demo's run sheets: intakes behind, earlier levels with the times they took, one neck still
resting.
"""

import random
from datetime import UTC, date, datetime, time, timedelta

from deft_bench.core.work.job_sheet import Event
from deft_bench.store import instruments, jobs, sheets
from deft_bench.store.database import Connection

INTAKE = ("identify", "climate_rest", "check_parts", "estimate")
LEVELLED = (
    "strings_off",
    "straight",
    "survey",
    "reseat",
    "ends",
    "mask",
    "level",
    "resurvey",
    "crown",
    "scratches",
    "polish",
    "unmask",
    "clean",
)
REFRETTED = (
    "strings_off",
    "pull_frets",
    "straight_wood",
    "true_board",
    "clean_slots",
    "slot_lips",
    "nip_tangs",
    "relieve",
)
TAKES = {"survey": 21, "level": 33, "crown": 46, "polish": 38, "scratches": 24, "mask": 17, "ends": 29}
"""About how many minutes this shop takes; what is not named takes ten."""


def make_sheets(db: Connection, today: date) -> None:
    """Store the events of every open job's intake, of past levels, and of the refret as far as it has come."""
    for instrument in [*instruments.page(db, limit=50)]:
        chance = random.Random(instrument.id + 500)
        for job in jobs.of_instrument(db, instrument.id):
            opened = date.fromisoformat(job.opened_at[:10])
            if job.closed_at is not None:
                if job.kind == "level_and_dress":
                    _work(db, job.id, LEVELLED, opened, 13, chance)
                continue
            resting = instrument.spec.name == "Curlew No. 11"
            steps = ("identify", "check_parts") if resting else INTAKE
            _work(db, job.id, steps, opened - timedelta(days=2), 9, chance)
            if resting:
                sheets.add(db, job.id, Event("climate_rest", "finished", _at(today - timedelta(days=1), 16, 10)))
            if job.kind == "refret":
                kept = REFRETTED if instrument.spec.bound else ("straight_wood", "true_board", "clean_slots")
                _work(db, job.id, ("before_survey", *kept) if instrument.spec.bound else kept, opened, 10, chance)
                if instrument.spec.bound:
                    # every fret is in; 7 and 15 are not home and are to be seated again
                    for fret in (fret for fret in range(1, instrument.spec.frets + 1) if fret not in (7, 15)):
                        sheets.toggle_tick(db, job.id, "seat", fret, _at(today - timedelta(days=1), 9, 3 * fret))


def _work(db: Connection, job_id: int, steps: tuple[str, ...], day: date, hour: int, chance: random.Random) -> None:
    minute = 60 * hour
    for code in steps:
        sheets.add(db, job_id, Event(code, "started", _at(day, 0, minute)))
        minute += round(TAKES.get(code, 10) * chance.uniform(0.75, 1.3))
        sheets.add(db, job_id, Event(code, "finished", _at(day, 0, minute)))
        minute += 2


def _at(day: date, hour: int, minute: int) -> str:
    moment = datetime.combine(day, time(0, 0), UTC) + timedelta(hours=hour, minutes=minute)
    return moment.isoformat(timespec="milliseconds").replace("+00:00", "Z")
