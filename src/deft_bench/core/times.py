"""Moments as they are stored and shown: UTC ISO-8601 to the millisecond; days, times and durations in words."""

import re
from collections.abc import Sequence
from datetime import UTC, date, datetime, time, timedelta

DAY_FORMS = ("%Y-%m-%d", "%d %b %Y", "%d %B %Y", "%d.%m.%Y", "%b %d %Y", "%B %d %Y")
YEARLESS = ("%d %b", "%d %B", "%d.%m.", "%b %d", "%B %d")
PAST_DAYS, AHEAD_DAYS = 120, 366
"""A day without its year lies no further back than this, and no further ahead unless there is none."""
YEARS = range(1900, 2201)
"""Years in which anything at a bench can have happened or be promised."""
WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
CLOCK = re.compile(r"(\d{1,2})(?:[:.]?(\d{2}))?")


def stamp(now: datetime) -> str:
    """A time as it is stored: 2026-08-24T09:30:00.000Z."""
    return now.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def moment(text: str) -> datetime:
    """A stored time."""
    return datetime.fromisoformat(text.replace("Z", "+00:00"))


def day_words(day: date, this_year: int | None = None) -> str:
    """A day as a person writes it: `Mon 30 Nov`; with its year unless that is the one given, `Mon 30 Nov 2026`."""
    return f"{day:%a} {day.day} {day:%b}" + ("" if day.year == this_year else f" {day.year}")


def clock_words(at: datetime) -> str:
    """The time of day in the zone of a moment: `14:02`."""
    return f"{at:%H:%M}"


def span_words(minutes: float) -> str:
    """A duration: `25 min`, `2 h 05`, from two days on `2.5 days`."""
    whole = round(minutes)
    if whole >= 2880:
        return f"{whole / 1440:.2g} days"
    return f"{whole} min" if whole < 60 else f"{whole // 60} h {whole % 60:02d}"


def read_day(text: str, today: date) -> date:
    """A day as a person writes it, of the year that is nearest where none is said: `Mon 30 Nov`, `30 Nov 2027`,
    `30.11.`, `2026-11-30`, `today`, `tomorrow`, `Fri` (the next one). Raises ValueError in words.
    """
    typed = re.sub(r"[,\s]+", " ", text).strip()
    named = {"today": today, "tomorrow": today + timedelta(days=1)}.get(typed.lower())
    if named is not None:
        return named
    first, _, rest = typed.partition(" ")
    weekday = next((i for i, name in enumerate(WEEKDAYS) if len(first) > 2 and name.startswith(first.lower())), None)
    if weekday is not None and not rest:
        return today + timedelta(days=(weekday - today.weekday() - 1) % 7 + 1)
    found = _days_of(rest if weekday is not None else typed, today)
    if not found:
        ahead = today + timedelta(days=7)
        example = day_words(ahead, today.year)
        raise ValueError(f"“{text.strip()[:20]}” is not a date: give it such as {example}, 24.12. or tomorrow")
    meant = [day for day in found if weekday in (None, day.weekday())]
    if not meant:
        raise ValueError(f"{found[0].day} {found[0]:%b} {found[0].year} is a {found[0]:%A}, not a {first[:12]}")
    if meant[0].year not in YEARS:
        raise ValueError(f"{meant[0].year} is not a year of this bench: give one from {YEARS[0]} to {YEARS[-1]}")
    return meant[0]


def _days_of(text: str, today: date) -> list[date]:
    """The days that are meant: one with its year, else the next ones of such a name."""
    said = _parsed(text, DAY_FORMS)
    if said is not None:
        return [said]
    years = range(today.year - 1, today.year + 5)
    found = [day for year in years if (day := _parsed(f"{text} {year}", [f"{form} %Y" for form in YEARLESS]))]
    found = [day for day in found if day >= today - timedelta(days=PAST_DAYS)]
    return [day for day in found if day <= today + timedelta(days=AHEAD_DAYS)] or found[:1]


def _parsed(text: str, forms: Sequence[str]) -> date | None:
    for form in forms:
        try:
            return datetime.strptime(text, form).date()
        except ValueError:
            continue
    return None


def read_clock(text: str) -> time:
    """A time of day: `14:02`, `14.02`, `1402`, `9`. Raises ValueError in words."""
    match = CLOCK.fullmatch(text.strip())
    hours, minutes = (int(part or 0) for part in match.groups()) if match else (24, 0)
    if hours > 23 or minutes > 59:
        raise ValueError(f"“{text.strip()[:12]}” is not a time of day: give it such as 14:30, to 23:59")
    return time(hours, minutes)


def read_moment(text: str, today: date) -> datetime:
    """A day and a time of day, without a zone: `Mon 30 Nov, 14:02`, `tomorrow 9:30`, `2026-11-30T14:02`. Raises
    ValueError in words.
    """
    day, _, at = text.strip().replace("T", " ", 1 if text[:4].isdigit() else 0).rpartition(" ")
    if not day:
        raise ValueError(
            f"“{text.strip()[:20]}” is not a day and a time: give it such as {day_words(today, today.year)}, 14:30"
        )
    return datetime.combine(read_day(day, today), read_clock(at))
