"""The Stand-ins switch: on a bench of made-up data a gauge, a hygrometer and a pedal that are none, to try with."""

from contextlib import closing, suppress
from dataclasses import dataclass, field
from socket import SHUT_RDWR, socket
from threading import Lock

from flask import Flask, current_app, flash, redirect, request, url_for
from werkzeug.wrappers import Response as AnyResponse

from deft_bench.bench.stand_ins import STAND_INS, stand_ins_on
from deft_bench.core.times import stamp as to_stamp
from deft_bench.devices.line_format import PRESETS
from deft_bench.devices.stand_in import LIFTED_MM, Gauge, GaugeOnNecks, Hygrometer, Pedal, StandIn, over_tcp
from deft_bench.devices.stand_in_neck import neck_figures
from deft_bench.store import devices, shop
from deft_bench.store.database import connect
from deft_bench.store.devices import DeviceSetup
from deft_bench.web.devices.views import CLIMATE, screen
from deft_bench.web.following import following_of
from deft_bench.web.support import NotFoundError, settings

NECK = "Practice"
KINDS = dict(
    zip(
        STAND_INS,
        (("readings", "figure_unit", "mm"), ("climate", "climate", "%"), ("pedal", "figure", "mm")),
        strict=True,
    )
)
"""What each is used for, its format and its unit."""


@dataclass(slots=True)
class StandIns:
    """Those that run in this process."""

    gauge: GaugeOnNecks = field(default_factory=lambda: GaugeOnNecks(Gauge(neck_figures(NECK), noise_mm=0.002)))
    pedal: Pedal = field(default_factory=Pedal)
    listeners: list[socket] = field(default_factory=list)
    lock: Lock = field(default_factory=Lock)


@screen.post("/devices/stand-ins")
def stand_ins() -> AnyResponse:
    """Switch them on or off, or press the pedal."""
    app: Flask = current_app._get_current_object()  # type: ignore[attr-defined]
    if not settings().demo:
        raise NotFoundError("stand-ins")
    if "press" in request.form:
        _running(app).pedal.press()
        flash("The stand-in pedal was pressed.")
    elif request.form.get("on"):
        start(app)
        flash("Stand-ins are on: open a survey of fret heights, and the gauge begins to read.")
    else:
        stop(app)
        flash("Stand-ins are off.")
    return redirect(url_for(".listing"))


def start(app: Flask) -> None:
    """Start them, and set them up as devices, or again where they are."""
    running = _running(app)
    with running.lock, closing(connect(app.config["DATABASE"])) as own:
        _close(running)
        known = {one.setup.name: one.id for one in devices.every(own)}
        made: dict[str, StandIn] = dict(zip(KINDS, (running.gauge, Hygrometer(), running.pedal), strict=True))
        for name, (use, form, unit) in KINDS.items():
            listener, port = over_tcp(made[name])
            running.listeners.append(listener)
            setup = DeviceSetup(name, use, "tcp", f"127.0.0.1:{port}", PRESETS[form][1], unit, "", 10, 600)
            device = devices.put(own, setup, to_stamp(app.config["NOW"]()), known.get(name))
            devices.keep_air(own, device, round(1000 * LIFTED_MM))
            app.extensions["devices"].forget(str(device))
    following_of(app).tell(CLIMATE)


def stop(app: Flask) -> None:
    """Stop them, and take them off the list."""
    running = _running(app)
    with running.lock, closing(connect(app.config["DATABASE"])) as own:
        _close(running)
        for one in devices.every(own):
            if one.setup.name in KINDS:
                devices.remove(own, one.id, to_stamp(app.config["NOW"]()))
                app.extensions["devices"].forget(str(one.id))


def reads_practice(app: Flask, on: bool) -> None:
    """Whether the survey that is looked at now is of a practice neck: there the gauge waits to be set down."""
    running: StandIns | None = app.extensions.get("stand_ins")
    if running is not None:
        running.gauge.on_practice = on


def set_down(app: Flask, device: str, mm: float) -> bool:
    """Set the stand-in gauge on a place that reads so much; False where that device is another, or none stands in."""
    running: StandIns | None = app.extensions.get("stand_ins")
    if running is None or not running.listeners or device != STAND_INS[0]:
        return False
    running.gauge.set_down(mm)
    return True


def resume(app: Flask) -> None:
    """Start them again with the server, where they were on."""
    with closing(connect(app.config["DATABASE"])) as own:
        on = stand_ins_on(own, shop.settings(own))
    if on:
        start(app)


def _running(app: Flask) -> StandIns:
    found: StandIns = app.extensions.setdefault("stand_ins", StandIns())
    return found


def _close(running: StandIns) -> None:
    for listener in running.listeners:
        with suppress(OSError):
            listener.shutdown(SHUT_RDWR)  # whoever waits for the next to connect is let go
        listener.close()
    running.listeners.clear()
