"""The bench's climate as it is kept: what a hygrometer says, thinned; the entry nearest in time; the alarm."""

from datetime import datetime, timedelta

from deft_bench.core.climate import OutOfLimits, out_of_limits, worth_keeping
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.times import moment, stamp
from deft_bench.store import shop
from deft_bench.store.database import Connection

NEAR_HOURS, LOOKED_DAYS = 24, 21


class ClimateError(ValueError):
    """What a hygrometer says cannot be kept; the message says why."""


def keep(db: Connection, now: datetime, humidity: float, temperature_c: float | None) -> bool:
    """Keep what a hygrometer says, unless it says what stands already; returns whether it was kept. Where it says no
    temperature that of the last day is taken. Raises ClimateError.
    """
    last = shop.latest_climate(db)
    before = None if last is None else (moment(last[0]), last[1], last[2])
    if temperature_c is None:
        if before is None or now - before[0] > timedelta(hours=NEAR_HOURS):
            raise ClimateError("it says no temperature, and none of the last day is known: enter one on Today")
        temperature_c = before[1]
    if not (0 <= humidity <= 100 and -20 <= temperature_c <= 60):
        raise ClimateError("accepted: 0 to 100 % RH and −20 to 60 °C")
    kept = worth_keeping(before, now, temperature_c, humidity)
    if kept:
        shop.add_climate(db, stamp(now), round(temperature_c, 2), round(humidity, 2))
    return kept


def near(db: Connection, at: datetime) -> tuple[float, float] | None:
    """°C and % RH of the entry nearest in time, within a day; None where there is none."""
    reach = timedelta(hours=NEAR_HOURS)
    entries = shop.climates_since(db, stamp(at - reach))
    within = [(abs(moment(when) - at), celsius, humidity) for when, celsius, humidity in entries]
    found = min((one for one in within if one[0] <= reach), default=None)
    return None if found is None else found[1:]


def alarm(db: Connection, settings: ShopSettings, now: datetime) -> OutOfLimits | None:
    """What Today says where the bench has been too dry or too damp."""
    entries = shop.climates_since(db, stamp(now - timedelta(days=LOOKED_DAYS)))
    read = [(moment(at), celsius, humidity) for at, celsius, humidity in entries]
    return out_of_limits(read, now, settings.dry_below, settings.damp_above)
