"""What belongs to the whole shop: settings and the bench's climate."""

from deft_bench.store.database import Connection, transaction

DEFAULTS = {
    "demo": "",
    "system": "mm",
    "inches": "64",
    "nut_side": "left",
    "reading_order": "lane_by_lane",
    "rock_um": "20",
    "least_height_um": "",
    "polish_loss_um": "10",
    "rule_step": "1/2 mm",
    "rule_fine": "",
    "rule_fine_to_um": "150000",
    "rule_read": "1",
    "mask": "before_level",
    "currency": "EUR",
    "rate_per_hour": "48",
    "tax_percent": "0",
    "prices": "fret wire 0.45\nlow-tack tape 0.30\nlevelling paper 0.80\nstrings 9.50\nP120 paper 2.40\nP240 paper 2.40\nP600 paper 0.70\nP1000 paper 0.70\nP2000 paper 0.80\ncushioned pad, 4000 1.90\ncleaning spirit 0.01\nboard oil 0.06\nwood glue 0.02\nthin adhesive 0.30\nepoxy 0.15\nbinding strip 6\nbinding cement 0.20\nlacquer 0.05\nsealer 0.04\niron solution 0.02\ntannin 0.15\nnut blank 4.50\nsaddle blank 5\nside-marker rod 8",
    "nut_files_um": "250; 330; 430; 560; 660; 810; 910; 1070; 1170; 1420; 1800; 2100; 2500",
    "feelers_um": "50; 80; 100; 150; 200; 250; 300; 400; 500; 600; 800; 1000",
    "abrasives": "fepa_p 400, fepa_p 600, fepa_p 800, fepa_p 1000, fepa_p 1500, fepa_p 2000, pad 2000, pad 4000, pad 6000, compound 1",
}


def settings(db: Connection) -> dict[str, str]:
    """Every setting by name, the defaults where nothing was set."""
    return DEFAULTS | {row["name"]: row["value"] for row in db.execute("SELECT name, value FROM setting")}


def change(db: Connection, values: dict[str, str]) -> None:
    """Set some settings; raises KeyError for a name that is none."""
    unknown = values.keys() - DEFAULTS.keys()
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


def climates(db: Connection, limit: int = 60) -> list[tuple[str, float, float]]:
    """The latest climate entries, newest first."""
    rows = db.execute("SELECT at, temperature_c, humidity FROM climate ORDER BY at DESC, id DESC LIMIT ?", (limit,))
    return [tuple(row) for row in rows]
