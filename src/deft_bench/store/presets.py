"""Presets by name: of a player, or a style."""

from dataclasses import asdict, dataclass

from deft_bench.store.database import Connection, transaction

_FIELDS = "name, kind, relief_um, treble_um, bass_um, gap_um, force_percent, pickup_um"


@dataclass(frozen=True, slots=True)
class NamedPreset:
    """One preset: relief, action of treble and bass over fret 12, first-fret gap (None: by the strings) and pickup gap
    (None: as planned), µm; the force against the hand of the specification, per cent; for one kind of strings.
    """

    name: str
    kind: str
    relief_um: int
    treble_um: int
    bass_um: int
    gap_um: int | None = None
    force_percent: int = 100
    pickup_um: int | None = None


def named(db: Connection, kind: str = "") -> dict[int, NamedPreset]:
    """Presets by their id, of a kind of strings or all, by name."""
    rows = db.execute(
        f"SELECT id, {_FIELDS} FROM preset WHERE retired_at IS NULL AND (kind = :kind OR :kind = '') ORDER BY name"
        " COLLATE NOCASE",
        {"kind": kind},
    )
    return {row["id"]: NamedPreset(*tuple(row)[1:]) for row in rows}


def put(db: Connection, preset: NamedPreset) -> None:
    """Enter a preset, or change the one of that name."""
    with transaction(db):
        db.execute(
            f"INSERT INTO preset ({_FIELDS}) VALUES (:name, :kind, :relief_um, :treble_um, :bass_um, :gap_um,"
            " :force_percent, :pickup_um) ON CONFLICT (name) DO UPDATE SET kind = excluded.kind, relief_um ="
            " excluded.relief_um, treble_um = excluded.treble_um, bass_um = excluded.bass_um, gap_um = excluded.gap_um,"
            " force_percent = excluded.force_percent, pickup_um = excluded.pickup_um, retired_at = NULL",
            asdict(preset),
        )


def retire(db: Connection, preset_id: int, at: str) -> None:
    """Offer a preset no more; it stays in the record."""
    with transaction(db):
        db.execute("UPDATE preset SET retired_at = ? WHERE id = ?", (at, preset_id))
