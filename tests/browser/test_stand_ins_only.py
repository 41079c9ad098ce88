"""A setup, and a level and dress, with stand-ins only: a gauge and strings that are none read what is hidden, and no
reading is typed.
"""

import random
import re
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass, field, replace

import numpy as np
import pytest
from playwright.sync_api import Page, Route, expect

from browser.test_whole_setups import Hands
from browsing import open_a_job, ready_to_read
from deft_bench.bench.stand_ins import STAND_INS
from deft_bench.core.board.positions import fret_position
from deft_bench.core.frets.heights import LANES
from deft_bench.core.instrument import STARTING
from deft_bench.core.simulated_neck import SimulatedNeck
from deft_bench.core.strings.intonation import pressing_of
from deft_bench.core.strings.notes import K_CENTS
from deft_bench.core.strings.setup_plan import scales
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.devices.line_format import PRESETS
from deft_bench.devices.stand_in import LIFTED_MM, GaugeInHand, over_tcp
from deft_bench.store import devices, instruments, jobs, shop, surveys
from deft_bench.store.database import connect
from deft_bench.store.devices import DeviceSetup
from harness import Server
from hidden import hidden_setup
from wavs import tone, wav

STILL_MS = 250
FRETS, PROUD = 17, 9


@pytest.fixture
def gauge(server: Server) -> Iterator[GaugeInHand]:
    """A gauge that stands in, set up on the bench."""
    held = GaugeInHand()
    listener, port = over_tcp(held)
    with closing(connect(server.database)) as db:
        shop.change(db, {"demo": "yes"})
        form = PRESETS["figure_unit"][1]
        setup = DeviceSetup(STAND_INS[0], "readings", "tcp", f"127.0.0.1:{port}", form, "mm", "", 10, STILL_MS)
        made = devices.put(db, setup, "2026-08-24T08:00:00.000Z")
        devices.keep_air(db, made, round(1000 * LIFTED_MM))
    yield held
    listener.close()


def in_the_air(page: Page) -> None:
    """Until the gauge is heard."""
    expect(page.locator('[data-gauge-says="text"]')).to_have_text(re.compile(r"5\.0"), timeout=15_000)


def read_one(page: Page, gauge: GaugeInHand, mm: float) -> None:
    """Set the gauge down and lift it when it was taken, however long that takes."""
    in_the_air(page)
    if page.locator("#f-gap").count():
        with page.expect_navigation():
            gauge.touch(mm)
    else:
        before = int(page.locator('[data-say="read"]').inner_text())
        gauge.touch(mm)
        expect(page.locator('[data-say="read"]')).to_have_text(str(before + 1))
    gauge.lift()


@dataclass
class HandsFree(Hands):
    """The same technician, whose readings enter themselves."""

    gauge: GaugeInHand = field(default_factory=GaugeInHand)

    def type(self, reading: str) -> None:
        read_one(self.page, self.gauge, float(reading))

    def intonation(self) -> None:
        self.begin_intonation()
        self.page.route("**/stand-in/*.wav", self.sound)
        self.page.goto(f"{self.page.url}/play")
        self.click('[data-do="stand-in"]')
        expect(self.page.locator('[data-play="left"]')).to_have_text("0", timeout=90_000)
        self.click("text=Read the call")

    def sound(self, route: Route) -> None:
        """The note that is asked for, as the hidden instrument has it."""
        of, what, fret = re.findall(r"/(\d+)-(\w+)-(\d+)\.wav", route.request.url)[0]
        n, at = int(of), int(fret)
        scale, pull, make = scales(self.spec)[n - 1], self.true.tension_n[n - 1], self.true.makes[n - 1]
        slope = K_CENTS * (1 / (scale - fret_position(scale, 12)) - 1 / scale)
        pressed = pressing_of(make, scale, pull, self.true.action(n), max(0.0, self.true.first_gap(n))).cents(scale, 12)
        off = pressed - slope * self.saddle_off[n - 1] if what == "fretted" else 0.0
        note = tone(make.pitch_hz() * 2 ** (at / 12 + off / 1200), seconds=1.3, lead=0.1, seed=n + at)
        route.fulfill(body=wav(np.concatenate([0.8 * note, np.zeros(4_410)])), content_type="audio/wav")

    def play(self) -> None:
        self.click("text=/sounds? clean: keep/")
        self.page.wait_for_load_state()


def test_a_setup_with_no_reading_typed(page: Page, server: Server, gauge: GaugeInHand) -> None:
    hidden = hidden_setup("electric", random.Random(3))
    with closing(connect(server.database)) as db:
        made = instruments.add(db, replace(STARTING["electric"], name="Hidden"), "2026-08-24T09:00:00.000Z")
    page.goto(f"{server.url}/instruments/{made}")
    page.locator("select[name=kind]").select_option("setup")
    page.locator("form:has(select[name=kind]) button.is-ink").first.click()
    chance = random.Random(3)
    hands = HandsFree(page, server.url, made, hidden.spec, hidden.true, list(hidden.saddle_off), chance, gauge=gauge)
    hands.work()
    assert hands.keys == 0
    assert hands.true.heard() == []
    page.locator(".steps .now a").click()
    expect(page.locator("main")).to_contain_text("none buzzes")
    page.click("text=Close the job")
    expect(page.locator(".said")).to_contain_text("closed")
    with closing(connect(server.database)) as db:
        read = {kind: surveys.of_instrument(db, made, kind, 1)[0] for kind in ("straightness", "strings", "intonation")}
    assert (read["straightness"].head.tool, read["strings"].head.tool) == (STAND_INS[0], STAND_INS[0])


def test_a_level_and_dress_with_no_reading_typed(page: Page, server: Server, gauge: GaugeInHand) -> None:
    chance = random.Random(7)
    tops = {lane: [chance.gauss(0, 0.003) for _ in range(FRETS)] for lane in LANES}
    for lane in LANES:
        tops[lane][PROUD - 1] += 0.09
    neck = SimulatedNeck(648.0, {lane: tuple(row) for lane, row in tops.items()}, {}, bow_mm=0.01)
    job = open_a_job(page, server.url, "Dotterel No. 2", FRETS)

    def read() -> None:
        page.goto(f"{server.url}/jobs/{job}/surveys/new?kind=fret_heights")
        page.locator(".form-end button").click()
        ready_to_read(page)
        places = SURVEY_KINDS["fret_heights"].places(FRETS, "lane_by_lane", 0, ())
        top = max(max(row) for row in neck.heights().values())
        for lane, fret in places:
            read_one(page, gauge, round(top - neck.height(lane, fret), 2))
        expect(page.locator('[data-say="read"]')).to_have_text(str(3 * FRETS))
        expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
        page.goto(f"{server.url}/jobs/{job}/level")

    read()
    expect(page.locator(".call-panel h2").first).to_contain_text(f"Check the seating of fret {PROUD}")
    page.click("text=Checked: all home")
    expect(page.locator(".call-panel h2").first).to_contain_text(f"Take down only fret {PROUD}")
    page.locator('input[name="nut"][value="out"]').check()
    page.locator(".accept button").click()
    page.locator("text=Mark it done").click()
    neck, _ = neck.level({lane: [0.0 if n == PROUD else 9.0 for n in range(1, FRETS + 1)] for lane in LANES})
    read()
    expect(page.locator(".call-panel h2").first).to_contain_text("The gate passes")
    page.locator("text=Close the job").first.click()
    with closing(connect(server.database)) as db:
        assert jobs.get(db, job).closed_at
        assert {one.head.tool for one in surveys.of_job(db, job)} == {STAND_INS[0]}
