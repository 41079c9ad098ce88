"""What belongs to the whole shop: settings and the bench's climate."""

from collections.abc import Mapping

from deft_bench.core.shop_settings import NAMES, ShopSettings, from_text
from deft_bench.store.database import Connection, transaction


def settings(db: Connection) -> ShopSettings:
    """The shop's settings, as a shop begins where nothing was set."""
    return from_text({row["name"]: row["value"] for row in db.execute("SELECT name, value FROM setting")})


def change(db: Connection, values: Mapping[str, str]) -> None:
    """Set some settings by name, each as its stored text; raises KeyError for a name that is none."""
    unknown = values.keys() - set(NAMES)
    if unknown:
        raise KeyError(*sorted(unknown))
    with transaction(db):
        db.executemany(
            "INSERT INTO setting (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value",
            list(values.items()),
        )


def add_climate(db: Connection, at: str, temperature_c: float, humidity: float) -> None:
    """Record the bench's temperature (°C) and relative humidity (%)."""
    with transaction(db):
        db.execute("INSERT INTO climate (at, temperature_c, humidity) VALUES (?, ?, ?)", (at, temperature_c, humidity))


def latest_climate(db: Connection) -> tuple[str, float, float] | None:
    """(when, °C, % RH) of the last entry, or None."""
    row = db.execute("SELECT at, temperature_c, humidity FROM climate ORDER BY at DESC, id DESC LIMIT 1").fetchone()
    return tuple(row) if row else None


def climates_since(db: Connection, at: str) -> list[tuple[str, float, float]]:
    """The climate entries from a time on, oldest first."""
    rows = db.execute("SELECT at, temperature_c, humidity FROM climate WHERE at >= ? ORDER BY at, id", (at,))
    return [tuple(row) for row in rows]


def climates(db: Connection, limit: int = 60) -> list[tuple[str, float, float]]:
    """The latest climate entries, newest first."""
    rows = db.execute("SELECT at, temperature_c, humidity FROM climate ORDER BY at DESC, id DESC LIMIT ?", (limit,))
    return [tuple(row) for row in rows]
