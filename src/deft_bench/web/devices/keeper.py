"""Keeps the bench's climate while the server runs: what the hygrometer says that is listened to, thinned."""

import logging
import time
from contextlib import closing

from flask import Flask

from deft_bench.bench.climate import ClimateError, keep
from deft_bench.devices.connections import WAYS
from deft_bench.devices.hub import Device, Hub
from deft_bench.store import devices
from deft_bench.store.database import StoreError, connect
from deft_bench.web.devices.views import CLIMATE, device_of
from deft_bench.web.following import following_of

LOOK_SECONDS, AGAIN_SECONDS = 5.0, 30.0


def keep_climate(app: Flask) -> None:
    """Listen to the hygrometer, whichever it is, until the server stops."""
    for _ in following_of(app).turns(CLIMATE, AGAIN_SECONDS):
        found = _hygrometer(app)
        if found is not None:
            _listen(app, found)


def _hygrometer(app: Flask) -> Device | None:
    with closing(connect(app.config["DATABASE"])) as db:
        found = devices.used_for(db, "climate")
    return device_of(found) if found is not None and found.setup.way in WAYS else None


def _listen(app: Flask, device: Device) -> None:
    """Keep what a hygrometer says until it is changed or the server stops."""
    hub: Hub = app.extensions["devices"]
    looked = 0.0
    for heard in hub.follow(device):
        if following_of(app).closed or (heard.status == "gone" and hub.listening.get(device.key) is None):
            return
        if heard.value is None or heard.unit != "%" or time.monotonic() - looked < LOOK_SECONDS:
            continue
        looked = time.monotonic()
        try:
            with closing(connect(app.config["DATABASE"])) as db:
                keep(db, app.config["NOW"](), heard.value, heard.temperature_c)
        except (ClimateError, StoreError) as error:
            logging.getLogger("deft_bench.climate").warning("Not kept: %s", error)
