"""A survey that no key is touched for: a gauge that stands in enters its readings by standing still."""

from contextlib import closing
from dataclasses import replace

import pytest
from playwright.sync_api import Page, expect

from deft_bench.bench.practice.whole import whole_job
from deft_bench.devices.line_format import PRESETS
from deft_bench.devices.stand_in import Gauge, GaugeInHand, over_tcp
from deft_bench.store import devices, practice_necks, surveys
from deft_bench.store.database import connect
from deft_bench.store.devices import DeviceSetup
from harness import Server


def test_a_gauge_enters_its_readings_and_enter_takes_its_figure(page: Page, bench_server: Server) -> None:
    figures = [0.10, 0.10, 0.12, 0.13, 0.12, 0.14, 0.15, 0.14]
    held = GaugeInHand()
    listener, port = over_tcp(held)
    form = PRESETS["figure_unit"][1]
    setup = DeviceSetup("Dial", "readings", "tcp", f"127.0.0.1:{port}", form, "mm", "", 10, 300)
    with closing(connect(bench_server.database)) as db:
        devices.put(db, setup, "2026-08-24T08:00:00.000Z")
    page.goto(f"{bench_server.url}/jobs/1/surveys/new?kind=fret_heights")
    page.locator(".form-end button").click()
    said = page.locator("[data-gauge-says=text]")
    for many, figure in enumerate(figures, 1):
        expect(said).to_have_text("5.00 mm")
        held.touch(figure)
        expect(said).to_have_text(f"{figure:.2f} mm")
        expect(page.locator('[data-say="read"]')).to_have_text(str(many))
        held.lift()
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


def test_the_box_of_the_relief_takes_the_gauge_only_where_it_is_asked_for(page: Page, bench_server: Server) -> None:
    held = GaugeInHand()
    listener, port = over_tcp(held)
    with closing(connect(bench_server.database)) as db:
        form = PRESETS["figure_unit"][1]
        setup = DeviceSetup("Dial", "readings", "tcp", f"127.0.0.1:{port}", form, "mm", "", 10, 300)
        devices.keep_air(db, devices.put(db, setup, "2026-08-24T08:00:00.000Z"), 5000)
        before = surveys.of_instrument(db, 8, "straightness")
    page.goto(f"{bench_server.url}/instruments/8/neck?aim=playing")
    said = page.locator("[data-gauge-says=text]")
    expect(said).to_have_text("5.00 mm")
    expect(page.locator("#f-gap")).not_to_be_focused()
    held.touch(0.12)
    expect(said).to_have_text("0.12 mm")
    page.wait_for_timeout(1200)
    with closing(connect(bench_server.database)) as db:
        assert surveys.of_instrument(db, 8, "straightness") == before
    held.lift()
    expect(said).to_have_text("5.00 mm")
    page.locator("#f-gap").focus()
    with page.expect_navigation():
        held.touch(0.14)
    with closing(connect(bench_server.database)) as db:
        read = surveys.of_instrument(db, 8, "straightness")[0]
        assert list(surveys.values(db, read.id).values()) == [140]
        assert (read.head.tool, read.head.resolution_um) == ("Dial", 10)
    listener.close()


# as a gauge types: sign upon sign, however busy the machine that tests
TYPES = """(line) => {
  const box = document.getElementById("reading");
  for (const sign of line) {
    const key = sign === "\\n" ? "Enter" : sign;
    const free = box.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true }));
    if (free && key.length === 1) document.execCommand("insertText", false, sign);
  }
}"""


def start(page: Page, bench_server: Server) -> int:
    page.goto(f"{bench_server.url}/jobs/1/surveys/new?kind=fret_heights")
    page.locator(".form-end button").click()
    page.wait_for_url("**/surveys/*")
    return int(page.locator("#survey").get_attribute("data-survey") or 0)


def test_a_gauge_that_types_is_told_from_the_hand_and_a_pedal_accepts(page: Page, bench_server: Server) -> None:
    with closing(connect(bench_server.database)) as db:
        pattern = PRESETS["named"][1]
        typing = DeviceSetup("Depth gauge", "readings", "typed", "", pattern, "mm", "", 10, 300, "line")
        devices.put(db, typing, "2026-08-24T08:00:00.000Z")
        pedal = DeviceSetup("Pedal", "pedal", "typed", "PageDown", pattern, "mm", "", 10, 300, "line")
        devices.put(db, pedal, "2026-08-24T08:00:00.000Z")
    survey = start(page, bench_server)
    place = page.locator('[data-say="fret"]').text_content()
    page.locator("#survey").wait_for()
    page.wait_for_timeout(300)  # until the gauge is followed
    page.evaluate(TYPES, "A1 +0.123 mm\n")
    expect(page.locator('[data-say="read"]')).to_have_text("1")
    assert page.locator('[data-say="fret"]').text_content() != place
    page.keyboard.type("0.14", delay=90)
    expect(page.locator("#reading")).to_have_value("0.14")
    page.keyboard.press("PageDown")
    expect(page.locator('[data-say="read"]')).to_have_text("2")
    page.evaluate(TYPES, "#####\n")
    expect(page.locator("[data-gauge-says=words]")).to_contain_text("holds no figure")
    with closing(connect(bench_server.database)) as db:
        assert sorted(um for um in surveys.values(db, survey).values() if um is not None) == [123, 140]


def test_a_lane_is_read_against_its_first_place_and_its_drift_taken_out(page: Page, bench_server: Server) -> None:
    # three frets a lane, and the first again: the bass drifts by three steps, the middle by none, the treble too far
    said = [2.000, 2.100, 2.050, 2.030, 3.000, 3.050, 3.020, 3.010, 1.000, 1.100, 1.200, 1.300]
    listener, port = over_tcp(Gauge(said, hold_seconds=1.0, lift_seconds=0.4, resolution_mm=0.001))
    form = PRESETS["figure_unit"][1]
    setup = DeviceSetup("Dial", "readings", "tcp", f"127.0.0.1:{port}", form, "mm", "", 10, 300, reference="lane")
    with closing(connect(bench_server.database)) as db:
        devices.keep_air(db, devices.put(db, setup, "2026-08-24T08:00:00.000Z"), 5000)
        last = surveys.last_head(db, "fret_heights")
        assert last is not None
        survey = surveys.start(
            db, 1, 1, 22, replace(last, method="height", at_frets=(2, 5, 9)), "2026-08-24T08:00:00.000Z"
        )
    page.goto(f"{bench_server.url}/surveys/{survey}")
    expect(page.locator("[data-gauge-says=words]")).to_contain_text("drifted by 0.300 mm over the lane")
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
    with closing(connect(bench_server.database)) as db:
        lanes: dict[str, list[int]] = {}
        for (lane, _), um in sorted(surveys.values(db, survey).items()):
            if um is not None:
                lanes.setdefault(lane, []).append(um)
    listener.close()
    level, mended = sorted(map(sorted, lanes.values()))
    assert level == [0, 20, 50]
    assert mended == [0, pytest.approx(30, abs=6), pytest.approx(90, abs=6)]


def test_the_stand_in_gauge_is_set_down_on_a_practice_neck(page: Page, bench_server: Server) -> None:
    with closing(connect(bench_server.database)) as db:
        kept = practice_necks.latest(db)[0]
        found = whole_job(db, kept.id)
    page.goto(f"{bench_server.url}/devices")
    page.click("text=Switch them on")
    page.goto(f"{bench_server.url}/jobs/{kept.job_id}/surveys/new?kind=fret_heights")
    page.locator(".form-end button").click()
    survey = int(page.locator("#survey").get_attribute("data-survey") or 0)
    for many in range(1, 5):
        expect(page.locator("[data-gauge-says=text]")).to_have_text("5.00 mm")  # it waits in the air
        page.keyboard.press("k")
        expect(page.locator('[data-say="read"]')).to_have_text(str(many))
    with closing(connect(bench_server.database)) as db:
        held = surveys.get(db, survey)
        for place, um in surveys.values(db, survey).items():
            assert um == found.kind.answered(found.neck, held.head, place)
