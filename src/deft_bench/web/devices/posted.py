"""What devices of the local network post by themselves, each with its key."""

import json
from dataclasses import replace

from flask import Response, current_app, jsonify, request

from deft_bench.bench.climate import ClimateError, keep
from deft_bench.devices.hub import Device, Hub
from deft_bench.devices.line_format import MOST_CHARACTERS, PRESETS, Figure, GarbledError, LineFormat
from deft_bench.store import devices
from deft_bench.web.access.gate import tries
from deft_bench.web.devices.views import device_of, screen
from deft_bench.web.extensions import csrf
from deft_bench.web.support import db, now

FIELDS = (("humidity", "temperature", "climate", "{} %, {} °C"), ("value", "unit", "figure_unit", "{} {}"))
"""What may stand in a JSON object, in pairs, the second of which may be missing; its format, and how it is written."""
FORM = 'send a line in the device\'s format, or JSON: {"humidity": 45.2, "temperature": 21.3} or {"value": 0.12}'


@screen.post("/devices/posted")
@csrf.exempt  # type: ignore[untyped-decorator]
def posted() -> tuple[Response, int]:
    """Take one reading of a device: its key in the header X-Bench-Key, a line or a JSON object in the body.

    A length is shown to whoever follows the device and stored only when it is accepted there; a climate is kept,
    thinned. 401 without its key, 429 after too many wrong ones, 422 for what is no reading.
    """
    address = request.remote_addr or ""
    if not tries().allowed(address):
        return jsonify(error="Too many wrong keys: wait five minutes."), 429
    found = devices.of_key(db(), request.headers.get("X-Bench-Key", ""))
    if found is None or found.setup.way != "post":
        tries().wrong(address)
        return jsonify(error="No device has this key: see its page under Devices."), 401
    hub: Hub = current_app.extensions["devices"]
    try:
        figure = hub.told(*_said(device_of(found)))
    except GarbledError as error:
        return jsonify(error=f"{error}: {FORM}."), 422
    if found.setup.used_for != "climate":
        return jsonify(heard=None if figure is None else figure.value), 200
    try:
        return jsonify(kept=_kept(figure)), 200
    except ClimateError as error:
        return jsonify(error=f"Not kept: {error}."), 422


def _kept(figure: Figure | None) -> bool:
    if figure is None or figure.unit != "%":
        raise ClimateError("a humidity in % is wanted")
    return keep(db(), now(), figure.value, figure.temperature_c)


def _said(device: Device) -> tuple[Device, str]:
    """The line that was posted, and the device as it writes it; a JSON object is a line of its own format. Raises
    GarbledError.
    """
    body = request.get_data(as_text=True)[: 4 * MOST_CHARACTERS].strip()
    if not body.startswith("{"):
        return device, body
    try:
        said = json.loads(body)
    except ValueError:
        raise GarbledError("the JSON cannot be read") from None
    for first, second, preset, line in FIELDS:
        beside = said.get(second, "")
        if isinstance(said.get(first), (int, float)) and isinstance(beside, (int, float, str)):
            form = LineFormat(PRESETS[preset][1], device.form.unit)
            return replace(device, form=form), line.format(said[first], beside).strip(" ,°C")
    raise GarbledError("the JSON holds no reading")
