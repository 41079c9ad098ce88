"""The Devices page: a gauge is set up, tried, measured, and stands in the surveys that it can read for."""

import json
import re

import pytest

from deft_bench.devices.stand_in import Gauge, over_tcp
from deft_bench.store import devices, surveys
from deft_bench.store.database import Connection
from harness import Bench, words

GAUGE = {
    "name": "Dial on the beam",
    "used_for": "readings",
    "way": "tcp",
    "address": "127.0.0.1:1",
    "format": "figure_unit",
    "unit": "mm",
    "resolution_um": "0.01",
    "still": "0.2",
    "when_still": "1",
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
    assert devices.get(demo, made.id).spread_um == pytest.approx(5 * (10 / 9) ** 0.5)
    survey = surveys.of_instrument(demo, 1, "fret_heights")[0]
    assert "Dial on the beam" in words(bench.get(f"/surveys/{survey.id}"))
    [rocker, *_] = [one for i in range(1, 15) for one in surveys.of_instrument(demo, i, "rocker")]
    assert "Dial on the beam" not in words(bench.get(f"/surveys/{rocker.id}"))
    # what it was measured at holds for this gauge alone
    moved = bench.post(f"/devices/{made.id}", {**GAUGE, "address": "127.0.0.1:2"}).text
    assert "Not measured yet." in words(moved)
    second = words(bench.post("/devices", {**GAUGE, "name": "Height gauge"}).text)
    assert "used for nothing yet" in second
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
        ({"way": "pigeon"}, "Choose one of: serial, tcp."),
    ],
)
def test_a_device_that_cannot_be_meant_is_refused_box_by_box(bench: Bench, wrong: dict[str, str], said: str) -> None:
    answer = bench.post("/devices", {**GAUGE, **wrong})
    assert answer.status_code == 422
    assert said in words(answer.text)
    if "name" not in wrong:
        assert 'value="Dial on the beam"' in answer.text
