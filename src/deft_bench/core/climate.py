"""The bench's climate: which readings of a hygrometer are kept, and how long it has been out of the shop's limits."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

Entry = tuple[datetime, float, float]
"""When, °C and % RH."""
KEPT_AFTER, SOONEST = timedelta(minutes=30), timedelta(minutes=1)
STEP_RH, STEP_C = 1.0, 0.5
FIRST_TOLD, IN_DAYS = timedelta(hours=12), 36
"""It is told after half a day, and in days from the 36th hour on."""
GAP = timedelta(days=2)
"""Where nothing was read for so long, nobody knows how it was between."""


def worth_keeping(last: Entry | None, now: datetime, temperature_c: float, humidity: float) -> bool:
    """Whether a hygrometer's reading is kept: half an hour after the last, or where it moved by 1 % RH or 0.5 °C."""
    if last is None:
        return True
    since = now - last[0]
    moved = abs(humidity - last[2]) >= STEP_RH or abs(temperature_c - last[1]) >= STEP_C
    return since >= KEPT_AFTER or (moved and since >= SOONEST)


@dataclass(frozen=True, slots=True)
class OutOfLimits:
    """How long the bench has been too dry or too damp without a break, and its humidity now."""

    dry: bool
    humidity: float
    lasted: timedelta

    @property
    def words(self) -> str:
        """What that asks of the work."""
        hours = self.lasted.total_seconds() / 3600
        span = f"{hours:.0f} hours" if hours < IN_DAYS else f"{hours / 24:.0f} days"
        what = (
            "nothing with a board on it gets its ends filed, and relief is read again before a rod is turned"
            if self.dry
            else "boards have swollen: no board is glued and no nut slot is finished until it has rested"
        )
        return f"{self.humidity:.0f} % RH for {span}: {what}"


def out_of_limits(entries: Sequence[Entry], now: datetime, dry: float, damp: float) -> OutOfLimits | None:
    """Whether the climate has been out of the limits for half a day or longer; entries oldest first."""
    if not entries or now - entries[-1][0] > GAP:
        return None
    humidity = entries[-1][2]
    if dry <= humidity <= damp:
        return None
    too_dry, began, after = humidity < dry, entries[-1][0], now
    for at, _, read in reversed(entries):
        if after - at > GAP or not (read < dry if too_dry else read > damp):
            break
        began = after = at
    lasted = now - began
    return OutOfLimits(too_dry, humidity, lasted) if lasted >= FIRST_TOLD else None
