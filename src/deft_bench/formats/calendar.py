"""The schedule as an iCalendar file (RFC 5545), by the icalendar package: an event a stretch of work, one a cure, a
promise as a whole day.
"""

from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, timedelta

from icalendar import Calendar, Event

from deft_bench.core.work.schedule.bench import Placed

PRODUCT = "-//Deft Bench//Schedule//EN"


def write_calendar(
    placed: Sequence[Placed],
    titles: Mapping[str, str],
    steps: Mapping[tuple[str, str], str],
    promised: Mapping[str, date],
    made_at: datetime,
) -> bytes:
    """All steps, each with its instrument and technician; waits of an hour and more; and promised dates. Times are
    UTC.
    """
    book = Calendar()
    book.add("prodid", PRODUCT)
    book.add("version", "2.0")
    book.add("x-wr-calname", "Deft Bench")
    for one in placed:
        title, step = titles.get(one.job, one.job), steps.get((one.job, one.step), one.step)
        part = f" ({one.part} of {one.parts})" if one.parts > 1 else ""
        uid = f"{one.job}-{one.step}-{one.part}@deft-bench"
        book.add_component(_event(uid, f"{title}: {step}{part}", one.start, one.end, made_at, one.technician))
        if one.free_at - one.end >= timedelta(hours=1):
            book.add_component(
                _event(f"rest-{uid}", f"{title} rests: {step}", one.end, one.free_at, made_at, busy=False)
            )
    for job, day in promised.items():
        event = _event(
            f"promise-{job}@deft-bench",
            f"{titles.get(job, job)} promised",
            day,
            day + timedelta(days=1),
            made_at,
            busy=False,
        )
        book.add_component(event)
    text: bytes = book.to_ical()
    return text


def _event(
    uid: str,
    summary: str,
    start: datetime | date,
    end: datetime | date,
    made_at: datetime,
    who: str = "",
    busy: bool = True,
) -> Event:
    event = Event()
    event.add("uid", uid)
    event.add("dtstamp", made_at.astimezone(UTC))
    event.add("dtstart", start.astimezone(UTC) if isinstance(start, datetime) else start)
    event.add("dtend", end.astimezone(UTC) if isinstance(end, datetime) else end)
    event.add("summary", summary)
    event.add("transp", "OPAQUE" if busy else "TRANSPARENT")
    if who:
        event.add("description", who)
    return event
