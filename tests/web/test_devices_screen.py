"""The Devices page: a gauge is set up, tried, measured, and stands in the surveys that it can read for."""

import json
import re
import time
from collections.abc import Callable, Iterable
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from threading import Thread
from typing import cast

import pytest

from deft_bench.bench.climate import alarm, near
from deft_bench.bench.surveying import start_survey, usual_head
from deft_bench.core.times import stamp
from deft_bench.devices.line_format import PRESETS
from deft_bench.devices.stand_in import Gauge, Hygrometer, by_post, over_tcp
from deft_bench.devices.stand_in_neck import neck_figures
from deft_bench.store import devices, instruments, jobs, shop, surveys
from deft_bench.store.database import Connection
from deft_bench.store.devices import DeviceSetup
from deft_bench.web import create_app
from deft_bench.web.devices.keeper import keep_climate
from deft_bench.web.devices.views import device_of
from deft_bench.web.serving import in_background
from harness import NOW, Bench, words

GAUGE = {
    "name": "Dial on the beam",
    "used_for": "readings",
    "way": "tcp",
    "address": "127.0.0.1:1",
    "format": "figure_unit",
    "unit": "mm",
    "resolution_um": "0.01",
    "still": "0.2",
    "taken": "still",
    "reference": "none",
}


def test_a_gauge_is_set_up_tried_and_measured(bench: Bench, demo: Connection) -> None:
    assert "A gauge with an output enters its readings by itself" in words(bench.get("/devices"))
    listener, port = over_tcp(Gauge([0.12], hold_seconds=3))
    page = words(bench.post("/devices", {**GAUGE, "address": f"127.0.0.1:{port}"}).text)
    assert "Dial on the beam is set up" in page
    assert "Not measured yet." in page
    [made] = devices.every(demo)
    answer = bench.client.get(f"/devices/{made.id}/live", buffered=False)
    assert answer.headers["Content-Type"].startswith("text/event-stream")
    said = []
    for chunk in answer.response:
        said += [
            json.loads(one) for one in re.findall(r"data: (.*)\n", chunk if isinstance(chunk, str) else chunk.decode())
        ]
        if said[-1]["status"] == "live":
            break
    answer.close()
    assert (said[-1]["typed"], said[-1]["text"]) == ("0.12 mm", "0.12 mm")
    listener.close()
    few = words(bench.post(f"/devices/{made.id}/spread", {"mm": ["0.1"] * 9}).text)
    assert "it takes 10 readings" in few
    measured = words(bench.post(f"/devices/{made.id}/spread", {"mm": ["0.10", "0.11"] * 5}).text)
    assert "Its spread is 0.01 mm, of 10 readings." in measured
    bench.post(f"/devices/{made.id}/air", {"mm": "5.0"})
    assert devices.get(demo, made.id).air_um == 5000
    assert "the gauge says no figure" in words(bench.post(f"/devices/{made.id}/air", {"mm": ""}).text)
    assert devices.get(demo, made.id).spread_um == pytest.approx(5 * (10 / 9) ** 0.5)
    survey = surveys.of_instrument(demo, 1, "fret_heights")[0]
    assert "Dial on the beam" in words(bench.get(f"/surveys/{survey.id}"))
    [rocker, *_] = [one for i in range(1, 15) for one in surveys.of_instrument(demo, i, "rocker")]
    assert "Dial on the beam" not in words(bench.get(f"/surveys/{rocker.id}"))
    # a survey that is read with it carries its spread, one that is read with another does not
    job = jobs.get(demo, 1)
    instrument = instruments.get(demo, job.instrument_id)
    head = usual_head(demo, shop.settings(demo), NOW, job, instrument, "fret_heights").of("fret_heights", 6)
    assert (head.tool, head.resolution_um) == ("Dial on the beam", 10)
    for tool, spread in (("Dial on the beam", devices.get(demo, made.id).spread_um), ("feeler gauges", None)):
        begun = start_survey(demo, NOW, job, instrument, replace(head, tool=tool))
        assert surveys.get(demo, begun).head.spread_um == spread
    # what it was measured at holds for this gauge alone
    moved = bench.post(f"/devices/{made.id}", {**GAUGE, "address": "127.0.0.1:2"}).text
    assert "Not measured yet." in words(moved)
    second = words(bench.post("/devices", {**GAUGE, "name": "Height gauge"}).text)
    assert "Dial on the beam : nothing yet" in second
    bench.post(f"/devices/{made.id}/remove", {})
    assert [one.setup.name for one in devices.every(demo)] == ["Height gauge"]
    assert bench.client.get(f"/devices/{made.id}").status_code == 404


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"name": ""}, "Give it a name."),
        ({"address": ""}, "Say where it is"),
        ({"address": "bench"}, "Give the host and the port"),
        ({"format": "own", "pattern": "("}, "The pattern is not understood"),
        ({"format": "own", "pattern": "[0-9]+"}, "The pattern names no figure"),
        ({"resolution_um": "fine"}, "is not a length"),
        ({"resolution_um": "3"}, "Accepted: "),
        ({"still": "9"}, "a number from 0.1 to 5"),
        ({"ask": "\\x"}, "A backslash begins"),
        ({"way": "typed", "used_for": "pedal", "address": ""}, "Say which key it presses"),
        ({"way": "typed", "used_for": "climate"}, "A hygrometer does not type"),
        ({"taken": "perhaps"}, "Choose one of: still, line, enter."),
        ({"way": "pigeon"}, "Choose one of: serial, tcp, post, typed."),
    ],
)
def test_a_device_that_cannot_be_meant_is_refused_box_by_box(bench: Bench, wrong: dict[str, str], said: str) -> None:
    answer = bench.post("/devices", {**GAUGE, **wrong})
    assert answer.status_code == 422
    assert said in words(answer.text)
    if "name" not in wrong:
        assert 'value="Dial on the beam"' in answer.text


CLIMATE = {"used_for": "climate", "format": "climate", "unit": "%"}
POSTS = {**GAUGE, "name": "Hygrometer", "way": "post", "address": "", **CLIMATE}


def posts(bench: Bench, body: str | dict[str, object], key: str) -> tuple[int, dict[str, object]]:
    sent = {"json": body} if isinstance(body, dict) else {"data": body}
    answer = bench.client.post("/devices/posted", headers={"X-Bench-Key": key}, **sent)
    return answer.status_code, answer.get_json()


def key_of(bench: Bench, setup: dict[str, str]) -> tuple[int, str]:
    page = bench.post("/devices", setup)
    device = int(page.request.path.rsplit("/", 1)[1])
    said = words(bench.post(f"/devices/{device}/key").text)
    return device, re.findall(r"Its key is (\S+) ", said)[0]


def test_a_hygrometer_posts_with_its_key_and_is_kept_thinned(bench: Bench, demo: Connection) -> None:
    device, key = key_of(bench, POSTS)
    before = len(shop.climates(demo, 10_000))
    assert posts(bench, {"humidity": 33.5, "temperature": 20.5}, key) == (200, {"kept": True})
    assert posts(bench, "33.6 %RH, 20.6 °C", key) == (200, {"kept": False})
    assert shop.latest_climate(demo)[1:] == (20.5, 33.5)
    assert len(shop.climates(demo, 10_000)) == before + 1
    assert posts(bench, {"humidity": 41}, key) == (200, {"kept": False}), "the temperature of the last day is taken"
    assert "accepted: 0 to 100" in str(posts(bench, {"humidity": 150}, key)[1])
    assert "holds no figure" in str(posts(bench, "warm enough", key)[1])
    assert "JSON holds no reading" in str(posts(bench, {"damp": True}, key)[1])
    bench.post(f"/devices/{device}/key")
    assert [posts(bench, "40 %", key)[0] for _ in range(7)] == [401] * 5 + [429] * 2


def test_a_gauge_that_posts_is_heard_and_nothing_is_stored(bench: Bench) -> None:
    device, key = key_of(bench, {**GAUGE, "way": "post", "address": ""})
    answer = bench.client.get(f"/devices/{device}/live", buffered=False)
    said = iter(cast("Iterable[bytes | str]", answer.response))
    next(said)
    assert posts(bench, {"value": 5, "unit": "thou"}, key) == (200, {"heard": pytest.approx(0.127)})
    event = next(said)
    text = event if isinstance(event, str) else event.decode()
    heard = json.loads(text.removeprefix("data: "))
    assert (heard["typed"], heard["still"]) == ("0.127 mm", heard["count"])
    answer.close()


def test_the_climate_of_a_survey_is_the_nearest_in_time_and_today_warns(bench: Bench, demo: Connection) -> None:
    demo.execute("DELETE FROM climate")
    for hours, humidity in ((60, 44.0), (30, 36.0), (6, 35.0), (1, 34.0)):
        shop.add_climate(demo, stamp(NOW - timedelta(hours=hours)), 20.0, humidity)
    assert "34 % RH for 30 hours: nothing with a board on it gets its ends filed" in words(bench.get("/"))
    assert near(demo, NOW - timedelta(hours=7)) == (20.0, 35.0)
    assert near(demo, NOW + timedelta(days=9)) is None
    bench.post("/settings", {"dry_below": "30"})
    assert alarm(demo, replace(shop.settings(demo), dry_below=30.0), NOW) is None


@pytest.mark.parametrize(
    ("fields", "status"),
    [
        ({"read": "[[0, 1.0], [5, 1.1]]", "again": "[10, 1.0]"}, 200),
        ({"read": "[[0, 1.0], [5, 1.1]]", "again": "[10, 1.5]"}, 422),
        ({"read": "[[0, 1.0], 5]", "again": "[10, 1.0]"}, 422),
        ({"read": "[]", "again": "[]"}, 422),
        ({}, 422),
    ],
)
def test_a_lanes_drift_is_asked_for_in_words(bench: Bench, fields: dict[str, str], status: int) -> None:
    assert bench.client.post("/surveys/1/drift").status_code == 400
    bench.post("/devices", GAUGE)
    answer = bench.post("/surveys/1/drift", fields)
    assert answer.status_code == status
    assert set(answer.get_json()) == ({"mended"} if status == 200 else {"error"})


def waits(until: Callable[[], bool]) -> bool:
    for _ in range(400):
        if until():
            return True
        time.sleep(0.05)
    return False


def test_the_stand_ins_are_switched_on_read_and_kept_and_off(demo_path: Path, demo: Connection) -> None:
    app = create_app(demo_path, now=lambda: NOW + timedelta(hours=1))
    bench = Bench(app.test_client())
    page = words(bench.post("/devices/stand-ins", {"on": "1"}).text)
    assert "Stand-ins are on" in page
    gauge, hygrometer, pedal = devices.every(demo)
    assert [one.setup.used_for for one in (gauge, hygrometer, pedal)] == ["readings", "climate", "pedal"]
    Thread(target=keep_climate, args=(app,), daemon=True).start()
    assert waits(lambda: shop.latest_climate(demo)[1:] == (21.0, 45.0))
    followed = app.extensions["devices"].follow(device_of(pedal), 0.2)
    assert waits(lambda: next(followed).status == "live")
    bench.post("/devices/stand-ins", {"press": "1"})
    assert waits(lambda: next(followed).still == 1)
    heard = app.extensions["devices"].follow(device_of(gauge), 0.2)
    figures = neck_figures("Practice")
    assert waits(
        lambda: (one := next(heard)).still > 0 and abs(9.0 if one.value is None else one.value - figures[0]) < 0.02
    )
    bench.post("/devices/stand-ins", {"off": "1"})
    assert devices.every(demo) == []
    app.extensions["following"].close()
    app.extensions["devices"].close()


def test_a_stand_in_posts_over_the_network(demo_path: Path, demo: Connection) -> None:
    setup = DeviceSetup("Hygrometer", "climate", "post", "", PRESETS["climate"][1], "%", "", 10, 600)
    devices.set_key(demo, devices.put(demo, setup, stamp(NOW)), "the key")
    with in_background(create_app(demo_path, now=lambda: NOW)) as server:
        url = f"http://127.0.0.1:{server.port}/devices/posted"
        Thread(target=by_post, args=(Hygrometer(31.0, 19.0), url, "the key"), daemon=True).start()
        assert waits(lambda: shop.latest_climate(demo)[1:] == (19.0, 31.0))
        by_post(Hygrometer(), url, "no key")  # it is refused, and ends


def test_a_named_neck_is_the_same_neck() -> None:
    assert neck_figures("Practice", 24) == neck_figures("Practice", 24)
    assert len(neck_figures("Practice", 24)) == 72
    assert neck_figures("Practice") != neck_figures("Another")
    assert min(neck_figures("Another")) == 0
