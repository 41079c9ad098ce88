"""Moments as they are stored and shown: UTC ISO-8601 to the millisecond; days, times and durations in words."""

from datetime import UTC, date, datetime


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
