"""A survey that no key is touched for: a gauge that stands in enters its readings by standing still."""

import re
from contextlib import closing

from playwright.sync_api import Page, expect

from deft_bench.devices.line_format import PRESETS
from deft_bench.devices.stand_in import Gauge, over_tcp
from deft_bench.store import devices, surveys
from deft_bench.store.database import connect
from deft_bench.store.devices import DeviceSetup
from harness import Server


def test_a_gauge_enters_its_readings_and_enter_takes_its_figure(page: Page, bench_server: Server) -> None:
    figures = [0.10, 0.10, 0.12, 0.13, 0.12, 0.14, 0.15, 0.14]
    listener, port = over_tcp(Gauge(figures, hold_seconds=0.8, lift_seconds=0.4, noise_mm=0.001))
    form = PRESETS["figure_unit"][1]
    setup = DeviceSetup("Dial", "readings", "tcp", f"127.0.0.1:{port}", form, "mm", "", 10, 300, True)
    with closing(connect(bench_server.database)) as db:
        devices.put(db, setup, "2026-08-24T08:00:00.000Z")
    page.goto(f"{bench_server.url}/jobs/1/surveys/new?kind=fret_heights")
    page.locator(".form-end button").click()
    expect(page.locator("[data-gauge-says=text]")).to_contain_text(re.compile(r"0\.1\d mm"))
    expect(page.locator('[data-say="read"]')).to_have_text(str(len(figures)))
    survey = int(page.locator("#survey").get_attribute("data-survey") or 0)
    with closing(connect(bench_server.database)) as db:
        read = [um for um in surveys.values(db, survey).values() if um is not None]
    assert sorted(read) == sorted(round(1000 * mm) for mm in figures)
    # what is typed by hand goes before the gauge
    expect(page.locator("[data-gauge-says=text]")).to_have_text("5.00 mm")
    page.keyboard.type("0.16")
    page.keyboard.press("Enter")
    expect(page.locator('[data-say="read"]')).to_have_text(str(len(figures) + 1))
    listener.close()
