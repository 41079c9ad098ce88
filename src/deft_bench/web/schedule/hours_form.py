"""The form of the hours, out of its boxes and into them: technicians' weeks and days off, fixtures, dry windows."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from datetime import date

from dateutil import tz

from deft_bench.bench.scheduling import bench_of
from deft_bench.core.text import ONE_LINE, barred
from deft_bench.core.work.schedule.bench import WEEKDAYS, Technician, troubles
from deft_bench.core.work.schedule.hours import (
    BenchHours,
    day_spans,
    read_days,
    read_fixtures,
    read_shifts,
    read_windows,
)
from deft_bench.web.numbered import boxes_of_rows, rows_of
from deft_bench.web.support import day as day_said
from deft_bench.web.support import db, now

MOST_TECHNICIANS = 6
ENDS = ("from", "to")


def boxes_of(stored: BenchHours) -> dict[str, str]:
    """Stored hours as the boxes of the form: a box an end of a shift, a day off, a dry window; rows count from 0."""
    boxes = {}
    for i, one in enumerate(stored.technicians):
        boxes[f"name{i}"] = one.name
        boxes |= _ends(f"off{i}", [(day_said(a), day_said(b)) for a, b in day_spans(one.days_off)])
        for d, name in enumerate(WEEKDAYS):
            boxes |= _ends(f"{name}{i}", [(f"{a:%H:%M}", f"{b:%H:%M}") for a, b in one.week.get(d, ())])
    for row, (name, count) in enumerate(stored.fixtures.items()):
        boxes |= {f"fixture_{row}": name, f"count_{row}": str(count)}
    here = [(a.astimezone(tz.tzlocal()), b.astimezone(tz.tzlocal())) for a, b in stored.dry or ()]
    boxes |= _ends("dry", [(f"{a:%H:%M}", f"{b:%H:%M}") for a, b in here])
    return boxes | {f"dry_{row}_day": day_said(a) for row, (a, _) in enumerate(here)}


def _ends(name: str, spans: Sequence[tuple[str, str]]) -> dict[str, str]:
    return boxes_of_rows(name, [dict(zip(ENDS, span, strict=True)) for span in spans])


def _spans(boxes: Mapping[str, str], name: str, between: str) -> list[str]:
    """Every row of a name as it is written: both ends, or the one that is there."""
    rows = [[boxes.get(f"{name}_{row}_{end}", "").strip() for end in ENDS] for row in rows_of(boxes, name)]
    return [between.join(end for end in ends if end) for ends in rows]


def _written(boxes: Mapping[str, str]) -> dict[str, str]:
    """The boxes as the texts that hours are read from."""

    def line(form: str, *names: str, row: int) -> str:
        return form.format(*(boxes.get(name.format(row), "").strip() for name in names))

    texts = {}
    for i in range(MOST_TECHNICIANS):
        texts[f"name{i}"] = boxes.get(f"name{i}", "")
        texts[f"off{i}"] = ", ".join(_spans(boxes, f"off{i}", " to "))
        texts |= {f"{day}{i}": ", ".join(_spans(boxes, f"{day}{i}", "-")) for day in WEEKDAYS}
    fixtures = sorted({*rows_of(boxes, "fixture"), *rows_of(boxes, "count")})
    texts["fixtures"] = "\n".join(line("{} {}", "fixture_{}", "count_{}", row=row) for row in fixtures)
    dry = ("dry_{}_day", "dry_{}_from", "dry_{}_to")
    texts["dry"] = "\n".join(line("{} {} to {}", *dry, row=row) for row in rows_of(boxes, "dry"))
    return texts


def read_hours(boxes: Mapping[str, str], errors: dict[str, str]) -> BenchHours | None:
    """The sent hours; None with the boxes that are wrong in `errors`."""
    boxes = _written(boxes)
    found = {i: one for i in range(MOST_TECHNICIANS) if (one := _technician(i, boxes, errors))}
    made = BenchHours(tuple(found.values()))
    try:
        made = replace(made, fixtures=read_fixtures(boxes.get("fixtures", "")))
    except ValueError as error:
        errors["fixtures"] = f"{error}."
    try:
        made = replace(made, dry=read_windows(boxes.get("dry", ""), tz.tzlocal(), _today()))
    except ValueError as error:
        errors["dry"] = f"{error}."
    if not found and not errors:
        errors["name0"] = "At least one name with hours."
    rows = list(found)
    for trouble in troubles(replace(bench_of(db(), now(), [], []), technicians=made.technicians)):
        row = rows[int(trouble.where.split("[")[1].split("]")[0])]
        errors.setdefault(f"name{row}", f"{trouble.why}.")
    return None if errors else made


def _today() -> date:
    return now().astimezone().date()


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
        days_off = read_days(boxes.get(f"off{i}", ""), _today())
    except ValueError as error:
        errors[f"off{i}"] = f"{error}."
    if barred(name):
        errors[f"name{i}"] = ONE_LINE
    elif name:
        return Technician(name, week, days_off)
    elif week:
        errors[f"name{i}"] = "These hours need a name."
    return None
