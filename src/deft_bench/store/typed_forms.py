"""How lengths were last typed into the boxes about an instrument: 3/32 stays 3/32."""

from collections.abc import Mapping

from deft_bench.store.database import Connection, transaction


def of_instrument(db: Connection, instrument_id: int) -> dict[str, str]:
    """What was typed last, by box."""
    rows = db.execute("SELECT field, typed FROM typed_form WHERE instrument_id = ?", (instrument_id,))
    return {row["field"]: row["typed"] for row in rows}


def keep(db: Connection, instrument_id: int, typed: Mapping[str, str]) -> None:
    """Keep what was typed, by box, over what was typed before."""
    with transaction(db):
        db.executemany(
            "INSERT INTO typed_form (instrument_id, field, typed) VALUES (?, ?, ?)"
            " ON CONFLICT DO UPDATE SET typed = excluded.typed",
            [(instrument_id, field, text) for field, text in typed.items()],
        )
