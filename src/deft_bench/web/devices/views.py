"""Devices: set up and tried; what a device says now, as it says it."""

import json
import secrets
from collections.abc import Collection, Iterator

from flask import Blueprint, Response, current_app, flash, jsonify, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from deft_bench.bench.stand_ins import stand_ins_on
from deft_bench.core.units import Display
from deft_bench.devices.hub import Device, Heard, Hub
from deft_bench.devices.line_format import (
    MM_OF,
    MOST_CHARACTERS,
    OTHERS,
    PRESETS,
    GarbledError,
    LineFormat,
    compiled,
    escaped,
)
from deft_bench.devices.spread import FURTHEST_MM, REPEATS, spread_mm
from deft_bench.store import devices
from deft_bench.store.devices import DeviceSetup, StoredDevice
from deft_bench.web.access.gate import while_in
from deft_bench.web.following import STILL_HERE, Following, events, following
from deft_bench.web.support import Form, db, display, or_404, settings, stamp

screen = Blueprint(
    "devices", __name__, template_folder="templates", static_folder="static", static_url_path="/devices/static"
)

WAYS = {
    "serial": "a serial port",
    "tcp": "the network, it is listened to",
    "post": "the network, it posts with a key",
    "typed": "the keyboard, it types",
}
USES = {
    "readings": "all readings in lengths",
    "climate": "the bench’s climate",
    "pedal": "a pedal that accepts",
    "nothing": "nothing yet",
}
CLIMATE = "climate device"
"""What is told when a device is set up or changed."""
TAKEN = {"still": "when it stands still", "line": "as it is sent: its own button", "enter": "on Enter or the pedal"}
REFERENCES = {"none": "as it stands", "lane": "against the first place of each lane, for heights above a reference"}
UNITS = {"mm": "millimetres", "in": "inches", "um": "micrometres", "%": "% RH"}
CHOICES: dict[str, Collection[str]] = {
    **{"way": WAYS, "used_for": USES, "unit": {**MM_OF, **OTHERS}},
    **{"taken": TAKEN, "reference": REFERENCES},
}


@screen.get("/devices")
def listing() -> str:
    """Every device, and the form of a new one."""
    starting = {"way": "serial", "format": "figure_unit", "unit": "mm", "resolution_um": display().entry(10)}
    return _page(None, {**starting, "still": "0.6", "used_for": "readings", "taken": "still", "reference": "none"})


@screen.route("/devices/<int:device_id>", methods=["GET", "POST"])
def show(device_id: int) -> str | tuple[str, int] | AnyResponse:
    """One device: what it says now, how it is set up, and its spread."""
    with or_404():
        found = devices.get(db(), device_id)
    if request.method == "POST":
        return _saved(found)
    return _page(found, _values_of(found.setup))


@screen.post("/devices")
def enter() -> tuple[str, int] | AnyResponse:
    """Enter a device; a box that cannot be meant is named and nothing is lost."""
    return _saved(None)


@screen.post("/devices/<int:device_id>/remove")
def remove(device_id: int) -> AnyResponse:
    """Take a device off the list."""
    with or_404():
        name = devices.get(db(), device_id).setup.name
    devices.remove(db(), device_id, stamp())
    _hub().forget(str(device_id))
    flash(f"{name} is off the list; what it read stays.")
    return redirect(url_for(".listing"))


@screen.post("/devices/<int:device_id>/spread")
def spread(device_id: int) -> AnyResponse:
    """Keep the spread of repeated readings of one gap."""
    with or_404():
        devices.get(db(), device_id)
    read = request.form.getlist("mm", type=float)
    try:
        mm = spread_mm(read)
    except ValueError as error:
        flash(f"Not kept: {error}.")
    else:
        devices.keep_spread(db(), device_id, 1000 * mm)
        flash(f"Its spread is {display().fine_mm(mm)}, of {len(read)} readings.")
    return redirect(url_for(".show", device_id=device_id))


@screen.post("/devices/<int:device_id>/air")
def air(device_id: int) -> AnyResponse:
    """Keep what a gauge reads where it touches nothing: it never counts as a reading."""
    with or_404():
        devices.get(db(), device_id)
    mm = request.form.get("mm", type=float)
    if mm is None or not abs(mm) <= FURTHEST_MM:
        flash("Not kept: the gauge says no figure.")
    else:
        devices.keep_air(db(), device_id, round(1000 * mm))
        _hub().forget(str(device_id))
        flash(f"In the air it reads {display().fine_mm(mm)}: that is never taken.")
    return redirect(url_for(".show", device_id=device_id))


@screen.post("/devices/<int:device_id>/key")
def key(device_id: int) -> AnyResponse:
    """Make a new key for a device that posts; it is shown once."""
    with or_404():
        devices.get(db(), device_id)
    made = secrets.token_urlsafe(24)
    devices.set_key(db(), device_id, made)
    flash(f"Its key is {made} – write it down, it is not shown again.")
    return redirect(url_for(".show", device_id=device_id))


@screen.post("/devices/<int:device_id>/typed")
def typed(device_id: int) -> Response | tuple[Response, int]:
    """What a gauge that types has typed, as a figure."""
    with or_404():
        found = devices.get(db(), device_id)
    try:
        figure = _hub().told(device_of(found), request.form.get("line", "")[:MOST_CHARACTERS])
    except GarbledError as error:
        return jsonify(error=f"{error}."), 422
    return jsonify(typed="" if figure is None else _typed(figure.value))


@screen.get("/devices/<int:device_id>/live")
def live(device_id: int) -> Response:
    """What a device says, as server-sent events, for as long as the page listens."""
    with or_404():
        found = devices.get(db(), device_id)
    return events(while_in(_events(_hub(), following(), device_of(found), display())))


def _events(hub: Hub, followers: Following, device: Device, shown: Display) -> Iterator[str]:
    last: Heard | None = None
    for heard in hub.follow(device):
        if followers.closed:
            return
        if heard is last:
            yield STILL_HERE
            continue
        last = heard
        said = {
            "status": heard.status,
            "count": heard.count,
            "still": heard.still,
            "mm": heard.value if heard.unit == "mm" else None,
            "typed": "" if heard.value is None else _typed(heard.value),
            "text": _said(heard, shown),
            "words": heard.words,
        }
        yield f"data: {json.dumps(said, ensure_ascii=False)}\n\n"


def _typed(mm: float) -> str:
    return f"{round(mm, 4):g} mm"


def _said(heard: Heard, shown: Display) -> str:
    if heard.value is None:
        return ""
    beside = "" if heard.temperature_c is None else f", {heard.temperature_c:.1f} °C"
    return shown.fine_mm(heard.value) if heard.unit == "mm" else f"{heard.value:.1f} {heard.unit}{beside}"


def device_of(found: StoredDevice) -> Device:
    """A stored device as it is listened to."""
    setup = found.setup
    form = LineFormat(setup.pattern, setup.unit, escaped(setup.ask))
    resolution, still, pedal = setup.resolution_um / 1000, setup.still_ms / 1000, setup.used_for == "pedal"
    by_line = setup.taken == "line" or setup.used_for == "climate"
    air = None if found.air_um is None else found.air_um / 1000
    return Device(str(found.id), setup.way, setup.address, form, resolution, still, by_line, pedal, air)


def _hub() -> Hub:
    hub: Hub = current_app.extensions["devices"]
    return hub


def _values_of(setup: DeviceSetup) -> dict[str, str]:
    shown = display()
    preset = next((code for code, (_, pattern) in PRESETS.items() if pattern == setup.pattern), "own")
    return {
        "name": setup.name,
        "used_for": setup.used_for,
        "way": setup.way,
        "address": setup.address,
        "format": preset,
        "pattern": setup.pattern if preset == "own" else "",
        "unit": setup.unit,
        "ask": setup.ask,
        "resolution_um": shown.entry(setup.resolution_um),
        "still": f"{setup.still_ms / 1000:g}",
        "taken": setup.taken,
        "reference": setup.reference,
    }


def _saved(found: StoredDevice | None) -> tuple[str, int] | AnyResponse:
    form = Form()
    setup = _read(form)
    if setup is None:
        values = {name: text for name, text in request.form.items() if name != "csrf_token"}
        return _page(found, values, form.errors), 422
    device_id = devices.put(db(), setup, stamp(), found.id if found else None)
    _hub().forget(str(device_id))
    following().tell(CLIMATE)
    flash(f"{setup.name} is set up: look whether its figure follows the gauge.")
    return redirect(url_for(".show", device_id=device_id))


def _read(form: Form) -> DeviceSetup | None:
    name, address, kind = form.text("name")[:60], form.text("address")[:200], form.text("format")
    pattern = PRESETS[kind][1] if kind in PRESETS else form.text("pattern")[:400]
    resolution, still = form.length("resolution_um"), form.number("still", 0.1, 5)
    if not name:
        form.errors["name"] = "Give it a name."
    way, used_for = form.text("way"), form.text("used_for")
    if problem := _no_address(way, used_for, address):
        form.errors["address"] = problem
    if resolution is not None and not 1 <= resolution <= 1000:
        form.errors["resolution_um"] = f"Accepted: {form.shown.fine(1)} to {form.shown.fine(1000)}."
    for box, text, read in (("pattern", pattern, compiled), ("ask", form.text("ask"), escaped)):
        try:
            read(text)
        except ValueError as error:
            form.errors[box] = f"{str(error)[:1].upper()}{str(error)[1:]}."
    if way == "typed" and used_for == "climate":
        form.errors["way"] = "A hygrometer does not type: choose another way."
    for box, known in CHOICES.items():
        if form.text(box) not in known:
            form.errors[box] = f"Choose one of: {', '.join(known)}."
    if form.errors or resolution is None or still is None:
        return None
    return DeviceSetup(
        name,
        used_for,
        way,
        address,
        pattern,
        form.text("unit"),
        form.text("ask")[:40],
        resolution,
        round(1000 * still),
        form.text("taken"),
        form.text("reference"),
    )


def _no_address(way: str, used_for: str, address: str) -> str:
    """What is wrong with where a device is; empty where it will do."""
    if way == "typed" and used_for == "pedal" and not address:
        return "Say which key it presses: F13, PageDown, Space."
    if way in ("serial", "tcp") and not address:
        return "Say where it is: the name of a port, or host:port."
    if way == "tcp" and not address.rpartition(":")[2].isdigit():
        return "Give the host and the port, such as 127.0.0.1:4010."
    return ""


def _page(found: StoredDevice | None, values: dict[str, str], errors: dict[str, str] | None = None) -> str:
    return render_template(
        "devices/show.html",
        section="settings",
        devices=devices.every(db()),
        device=found,
        values=values,
        errors=errors or {},
        ways=WAYS,
        uses=USES,
        taken=TAKEN,
        references=REFERENCES,
        units=UNITS,
        formats={code: words for code, (words, _) in PRESETS.items()} | {"own": "a pattern of its own"},
        repeats=REPEATS,
        stand_ins=settings().demo,
        standing_in=stand_ins_on(db(), settings()),
    )
