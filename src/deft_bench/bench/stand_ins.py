"""Devices that are none, on a bench of made-up data: whether they are switched on."""

from deft_bench.core.shop_settings import ShopSettings
from deft_bench.store import devices
from deft_bench.store.database import Connection

STAND_INS = ("Stand-in gauge", "Stand-in hygrometer", "Stand-in pedal")


def stand_ins_on(db: Connection, settings: ShopSettings) -> bool:
    """Whether stand-ins answer here: only a bench of made-up data has them."""
    return settings.demo and any(one.setup.name in STAND_INS for one in devices.every(db))
