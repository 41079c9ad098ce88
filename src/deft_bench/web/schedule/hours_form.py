"""The form of the hours, out of its boxes and into them: technicians' weeks and days off, fixtures, dry windows."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import date

from dateutil import tz

from deft_bench.bench.scheduling import bench_of
from deft_bench.core.text import ONE_LINE, barred
from deft_bench.core.work.schedule.bench import WEEKDAYS, Technician, troubles
from deft_bench.core.work.schedule.hours import (
    BenchHours,
    read_days,
    read_fixtures,
    read_shifts,
    read_windows,
    write_days,
    write_shifts,
    write_windows,
)
from deft_bench.web.support import db, now

MOST_TECHNICIANS = 6


def boxes_of(stored: BenchHours) -> dict[str, str]:
    """Stored hours as the boxes of the form."""
    boxes = {}
    for i, one in enumerate(stored.technicians):
        boxes[f"name{i}"], boxes[f"off{i}"] = one.name, write_days(one.days_off)
        boxes |= {f"{day}{i}": write_shifts(tuple(one.week.get(d, ()))) for d, day in enumerate(WEEKDAYS)}
    boxes["fixtures"] = "\n".join(f"{name} {count}" for name, count in stored.fixtures.items())
    boxes["dry"] = write_windows(stored.dry, tz.tzlocal())
    return boxes


def read_hours(boxes: Mapping[str, str], errors: dict[str, str]) -> BenchHours | None:
    """The sent hours; None with the boxes that are wrong in `errors`."""
    found = {i: one for i in range(MOST_TECHNICIANS) if (one := _technician(i, boxes, errors))}
    made = BenchHours(tuple(found.values()))
    try:
        made = replace(made, fixtures=read_fixtures(boxes.get("fixtures", "")))
    except ValueError as error:
        errors["fixtures"] = f"{error}."
    try:
        made = replace(made, dry=read_windows(boxes.get("dry", ""), tz.tzlocal()))
    except ValueError as error:
        errors["dry"] = f"{error}."
    if not found and not errors:
        errors["name0"] = "At least one name with hours."
    rows = list(found)
    for trouble in troubles(replace(bench_of(db(), now(), [], []), technicians=made.technicians)):
        row = rows[int(trouble.where.split("[")[1].split("]")[0])]
        errors.setdefault(f"name{row}", f"{trouble.why}.")
    return None if errors else made


def _technician(i: int, boxes: Mapping[str, str], errors: dict[str, str]) -> Technician | None:
    """The technician of one row, or None where it is empty or wrong."""
    name = boxes.get(f"name{i}", "").strip()[:40]
    week, days_off = {}, frozenset[date]()
    for d, day in enumerate(WEEKDAYS):
        try:
            shifts = read_shifts(boxes.get(f"{day}{i}", ""))
            if shifts:
                week[d] = shifts
        except ValueError as error:
            errors[f"{day}{i}"] = f"{error}."
    try:
        days_off = read_days(boxes.get(f"off{i}", ""))
    except ValueError as error:
        errors[f"off{i}"] = f"{error}."
    if barred(name):
        errors[f"name{i}"] = ONE_LINE
    elif name:
        return Technician(name, week, days_off)
    elif week:
        errors[f"name{i}"] = "These hours need a name."
    return None
