"""Moments as they are stored and shown: UTC ISO-8601 to the millisecond."""

from datetime import UTC, datetime


def stamp(now: datetime) -> str:
    """A time as it is stored: 2026-08-24T09:30:00.000Z."""
    return now.astimezone(UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")


def moment(text: str) -> datetime:
    """A stored time."""
    return datetime.fromisoformat(text.replace("Z", "+00:00"))
