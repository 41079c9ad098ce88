"""Devices that give readings by themselves."""

from dataclasses import astuple, dataclass, fields
from hashlib import sha256
from typing import Any

from deft_bench.store.database import Connection, transaction


@dataclass(frozen=True, slots=True)
class DeviceSetup:
    """How a device is set up: `way` and `address` to it (of one that types: its key, where it is a pedal), the pattern
    of its lines, the unit where a line says none, what is sent to be told a figure, its resolution in micrometres, and
    after how many milliseconds of rest a figure stands still. It is `taken` when it stands still, line by line, or on
    Enter; `reference` says what it reads against: nothing, or the first place of each lane.
    """

    name: str
    used_for: str
    way: str
    address: str
    pattern: str
    unit: str
    ask: str
    resolution_um: int
    still_ms: int
    taken: str = "still"
    reference: str = "none"


@dataclass(frozen=True, slots=True)
class StoredDevice:
    """A device with its spread as it was measured, micrometres (None: not measured). `keyed`: it has a key to post by;
    `air_um`: what it reads where it touches nothing (None: not known).
    """

    id: int
    setup: DeviceSetup
    spread_um: float | None
    keyed: bool = False
    air_um: int | None = None


_NAMES = [field.name for field in fields(DeviceSetup)]
_DEVICE = f"SELECT id, spread_um, key_hash, air_um, {', '.join(_NAMES)} FROM device WHERE removed_at IS NULL"


def _stored(row: Any) -> StoredDevice:
    values = {name: row[name] for name in _NAMES}
    return StoredDevice(row["id"], DeviceSetup(**values), row["spread_um"], row["key_hash"] is not None, row["air_um"])


def every(db: Connection) -> list[StoredDevice]:
    """Every device, in the order in which they were entered."""
    return [_stored(row) for row in db.execute(f"{_DEVICE} ORDER BY id")]


def get(db: Connection, device_id: int) -> StoredDevice:
    """One device; raises KeyError when there is none."""
    row = db.execute(f"{_DEVICE} AND id = ?", (device_id,)).fetchone()
    if row is None:
        raise KeyError(device_id)
    return _stored(row)


def used_for(db: Connection, use: str) -> StoredDevice | None:
    """The device that serves a use; None where none does."""
    row = db.execute(f"{_DEVICE} AND used_for = ? ORDER BY id LIMIT 1", (use,)).fetchone()
    return _stored(row) if row else None


def put(db: Connection, setup: DeviceSetup, at: str, device_id: int | None = None) -> int:
    """Enter a device, or change one; returns its id. A use that it takes is taken from the others. What its spread was
    holds as long as it is the same gauge: until its way or address changes.
    """
    with transaction(db):
        if setup.used_for != "nothing":
            db.execute("UPDATE device SET used_for = 'nothing' WHERE used_for = ?", (setup.used_for,))
        if device_id is None:
            names, marks = ", ".join(_NAMES), ", ".join("?" * (len(_NAMES) + 1))
            cursor = db.execute(f"INSERT INTO device ({names}, entered_at) VALUES ({marks})", (*astuple(setup), at))
            return int(cursor.lastrowid or 0)
        was = get(db, device_id).setup
        sets = ", ".join(f"{name} = ?" for name in _NAMES)
        db.execute(f"UPDATE device SET {sets} WHERE id = ?", (*astuple(setup), device_id))
        if (was.way, was.address) != (setup.way, setup.address):
            keep_spread(db, device_id, None)
            keep_air(db, device_id, None)
        return device_id


def keep_spread(db: Connection, device_id: int, um: float | None) -> None:
    """Keep how far readings of one gap lie apart, one standard deviation, micrometres."""
    with transaction(db):
        db.execute("UPDATE device SET spread_um = ? WHERE id = ?", (um, device_id))


def keep_air(db: Connection, device_id: int, um: int | None) -> None:
    """Keep what a gauge reads where it touches nothing, micrometres."""
    with transaction(db):
        db.execute("UPDATE device SET air_um = ? WHERE id = ?", (um, device_id))


def set_key(db: Connection, device_id: int, key: str) -> None:
    """Give a device the key that it posts by; it is kept as a hash."""
    with transaction(db):
        db.execute("UPDATE device SET key_hash = ? WHERE id = ?", (_hash(key), device_id))


def of_key(db: Connection, key: str) -> StoredDevice | None:
    """The device that a key is of; None where it is of none."""
    row = db.execute(f"{_DEVICE} AND key_hash = ?", (_hash(key),)).fetchone()
    return _stored(row) if row else None


def _hash(key: str) -> str:
    return sha256(key.encode()).hexdigest()


def remove(db: Connection, device_id: int, at: str) -> None:
    """Take a device off the list; what it read stays."""
    with transaction(db):
        db.execute("UPDATE device SET removed_at = ? WHERE id = ?", (at, device_id))
