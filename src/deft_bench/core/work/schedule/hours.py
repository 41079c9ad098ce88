"""Bench hours, days off, fixtures and dry windows as a person writes them, and as they are stored."""

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time, tzinfo
from typing import Any

from deft_bench.core.times import day_words, read_day
from deft_bench.core.work.schedule.bench import WEEKDAYS, Technician

_SHIFT = re.compile(r"(\d{1,2})(?:[:.](\d{2}))?\s*(?:-|–|to)\s*(\d{1,2})(?:[:.](\d{2}))?")
_DAY_AND_SPAN = re.compile(r"(.*\S)\s+(\d{1,2}(?:[:.]\d{2})?\s*(?:-|–|to)\s*\d{1,2}(?:[:.]\d{2})?)")
FORMS = "give shifts such as 9:00-12:30, 13:15-17:30"
USUAL = "9:00-12:30, 13:15-17:30"
MOST_OF_A_FIXTURE = 99

Shifts = tuple[tuple[time, time], ...]


@dataclass(frozen=True, slots=True)
class BenchHours:
    """Who works when, how many of each fixture there are, and when it is dry enough to spray outdoors (None: never
    entered).
    """

    technicians: tuple[Technician, ...] = ()
    fixtures: Mapping[str, int] = field(default_factory=dict)
    dry: tuple[tuple[datetime, datetime], ...] | None = None


def read_shifts(text: str) -> Shifts:
    """Shifts of a day, none for an empty text; raises ValueError in words for one that cannot be meant."""
    shifts: list[tuple[time, time]] = []
    for part in re.split(r"[,;]", text):
        if not part.strip():
            continue
        match = _SHIFT.fullmatch(part.strip())
        hours = [int(part or 0) for part in match.groups()] if match else []
        if not hours or hours[0] > 23 or hours[2] > 23 or hours[1] > 59 or hours[3] > 59:
            raise ValueError(f"“{part.strip()[:20]}” is no shift: {FORMS}")
        shift = time(hours[0], hours[1]), time(hours[2], hours[3])
        if shift[1] <= shift[0] or (shifts and shift[0] < shifts[-1][1]):
            raise ValueError(f"“{part.strip()[:20]}” does not come after what stands before it: {FORMS}")
        shifts.append(shift)
    return tuple(shifts)


def write_shifts(shifts: Shifts) -> str:
    """Shifts as they are typed."""
    return ", ".join(f"{a:%-H:%M}-{b:%-H:%M}" for a, b in shifts)


def read_days(text: str, today: date) -> frozenset[date]:
    """Days off with commas between, and spans such as Thu 24 Dec to Thu 31 Dec; raises ValueError in words."""
    found: set[date] = set()
    for part in re.split(r"[,;\n]", text):
        if not part.strip():
            continue
        ends = [word.strip() for word in part.split(" to ")]
        first, last = read_day(ends[0], today), read_day(ends[-1], today)
        if len(ends) > 2 or not 0 <= (last - first).days <= 366:
            raise ValueError(f"“{part.strip()[:30]}” is no span of days off: give its first day, then its last")
        found |= {date.fromordinal(k) for k in range(first.toordinal(), last.toordinal() + 1)}
    return frozenset(found)


def day_spans(days: frozenset[date]) -> list[tuple[date, date]]:
    """Days off as spans, first and last day."""
    spans: list[list[date]] = []
    for day in sorted(days):
        if spans and (day - spans[-1][1]).days == 1:
            spans[-1][1] = day
        else:
            spans.append([day, day])
    return [(first, last) for first, last in spans]


def read_fixtures(text: str) -> dict[str, int]:
    """Fixtures from lines such as `clamps 3`; raises ValueError in words."""
    found = {}
    for line in re.split(r"[;\n]", text):
        if not line.strip():
            continue
        name, _, count = line.strip().rpartition(" ")
        if not name.strip() or not count.isascii() or not count.isdigit() or int(count[:4]) > MOST_OF_A_FIXTURE:
            raise ValueError(
                f"“{line.strip()[:30]}” is not understood: give a name and how many there are, such as “clamps 3”"
            )
        found[name.strip().rstrip(":")[:40]] = int(count)
    return found


def read_windows(text: str, zone: tzinfo, today: date) -> tuple[tuple[datetime, datetime], ...] | None:
    """Dry windows from lines such as `Thu 27 Aug 10:00 to 16:00`, local time; None for an empty text; raises
    ValueError in words.
    """
    found = []
    for line in re.split(r"[;\n]", text):
        if not line.strip():
            continue
        try:
            day, span = _DAY_AND_SPAN.fullmatch(line.strip()).groups()  # type: ignore[union-attr]
            ((opens, closes),) = read_shifts(span)
            at = read_day(day, today)
        except (ValueError, AttributeError):
            example = f"{day_words(today, today.year)} 10:00 to 16:00"
            raise ValueError(
                f"“{line.strip()[:40]}” is no dry window: give a day and hours, such as {example}"
            ) from None
        found.append((datetime.combine(at, opens, zone), datetime.combine(at, closes, zone)))
    return tuple(sorted(found)) or None


def to_fields(hours: BenchHours) -> dict[str, Any]:
    """As it is stored."""
    return {
        "technicians": [
            {
                "name": technician.name,
                "week": {WEEKDAYS[day]: write_shifts(tuple(shifts)) for day, shifts in sorted(technician.week.items())},
                "days_off": sorted(day.isoformat() for day in technician.days_off),
            }
            for technician in hours.technicians
        ],
        "fixtures": dict(hours.fixtures),
        "dry": None if hours.dry is None else [[a.isoformat(), b.isoformat()] for a, b in hours.dry],
    }


def from_fields(stored: Mapping[str, Any]) -> BenchHours:
    """Stored bench hours."""
    return BenchHours(
        tuple(
            Technician(
                technician["name"],
                {WEEKDAYS.index(day): read_shifts(text) for day, text in technician["week"].items()},
                frozenset(date.fromisoformat(day) for day in technician["days_off"]),
            )
            for technician in stored["technicians"]
        ),
        dict(stored["fixtures"]),
        (
            None
            if stored["dry"] is None
            else tuple((datetime.fromisoformat(a), datetime.fromisoformat(b)) for a, b in stored["dry"])
        ),
    )


def usual_hours() -> BenchHours:
    """What a shop begins with until it says otherwise: one technician on weekdays, two pairs of clamps."""
    week = dict.fromkeys(range(5), read_shifts(USUAL))
    return BenchHours((Technician("Bench", week),), {"clamps": 2})
