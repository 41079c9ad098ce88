"""Jobs from intake to report by their run sheets, and the bench's week, in a real browser on a server whose clock
the test moves.
"""

import re
import time
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect

from deft_bench.bench import planner
from deft_bench.core.work.job_sheet import Event
from deft_bench.core.work.schedule.deadline import Found, Watch
from deft_bench.core.work.schedule.planning import Planned, plan_bench
from deft_bench.store import instruments, jobs, schedules, sheets, stock
from deft_bench.store.database import connect
from deft_bench.web import create_app
from deft_bench.web.serving import in_background
from harness import NOW

WHIMBREL, CURLEW, SANDPIPER = 9, 4, 14


@dataclass
class Clocked:
    """A server in this process: its address, its database, its clock, and how it is set up."""

    url: str
    database: Path
    clock: list[datetime]
    config: dict[str, Any]

    def later(self, **much: float) -> None:
        self.clock[0] += timedelta(**much)


@pytest.fixture
def clocked(demo_path: Path) -> Iterator[Clocked]:
    clock = [NOW]
    app = create_app(demo_path, now=lambda: clock[0])
    app.config["SCHEDULE_SECONDS"] = 0.5
    with in_background(app) as server:
        yield Clocked(f"http://127.0.0.1:{server.port}", demo_path, clock, app.config)


READ_ELSEWHERE = "read on paper"


def work_off(page: Page, bench: Clocked, address: str) -> int:
    """Start and finish step after step by the one key, waiting out every cure, to the end of the sheet; returns how
    many.
    """
    steps = 0
    page.goto(address)
    while True:
        page.wait_for_load_state()  # a key that comes before the page's script is nobody's
        if page.locator("text=Every step is behind.").count():
            return steps
        if not page.locator("[data-step-key]").count():
            # whatever comes next must wait for a cure: come back tomorrow
            assert page.locator(".call-panel .early").count()
            bench.later(hours=13)
            page.goto(address)
            assert steps < 400
            continue
        here = page.locator(".call-panel").get_attribute("id")
        if page.locator("[data-step-key]", has_text="Start").count():
            page.keyboard.press("s")
            expect(page.locator(f"#{here} .running")).to_be_visible()
            page.wait_for_load_state()
            bench.later(minutes=6)
        if page.locator("#without").count():  # nothing is read for its gate: a reason is asked for
            page.locator("#without").fill(READ_ELSEWHERE)
            page.keyboard.press("Enter")
        else:
            page.keyboard.press("s")
        expect(page.locator(f".call-panel#{here}")).to_have_count(0)
        steps += 1


@pytest.mark.parametrize(
    ("kind", "route", "least"),
    [
        ("level_and_dress", "level_and_dress", 30),
        ("setup", "setup", 16),
        ("refret", "refret", 38),
        ("work", "new_board", 50),
    ],
)
def test_a_job_from_intake_to_report_by_its_sheet(
    page: Page, clocked: Clocked, kind: str, route: str, least: int
) -> None:
    page.goto(f"{clocked.url}/instruments/{WHIMBREL}")
    page.locator("select[name=kind]").select_option(kind)
    page.locator("#promised").fill("2026-10-30")
    page.locator("text=Open the job").click()
    with closing(connect(clocked.database)) as db:
        job = jobs.open_of(db, [WHIMBREL])[WHIMBREL]
    address = f"{clocked.url}/jobs/{job.id}/sheet"
    page.goto(address)
    if kind == "work":
        page.locator("summary", has_text="Route and schools").click()
        page.locator("#route").select_option(route)
        page.locator("#school-surface").select_option("sprayed")
        page.locator("text=Re-plan").click()
        expect(page.locator(".said")).to_contain_text("Re-planned")
    assert work_off(page, clocked, address) >= least
    if kind == "work":
        with closing(connect(clocked.database)) as db:
            done = [one.step for one in sheets.events(db, job.id) if one.kind == "finished"]
        assert [code for code in done if code in ("level", "spray", "crown")] == ["level", "spray", "crown"]
    with closing(connect(clocked.database)) as db:
        events = sheets.events(db, job.id)
        done = [one.step for one in events if one.kind == "finished"]
        assert len(done) == len(set(done)) >= least
        assert {one.note for one in events if one.note} <= {READ_ELSEWHERE}  # nothing was done too early
        # what was finished left the stock; what is kept of wire goes by the cutting plan
        spec = instruments.get(db, job.instrument_id).spec
        strings = stock.named(db, f"strings {spec.string_set}")
        assert strings is not None, spec.string_set
        assert [move.change for move in stock.moves(db, strings) if move.job_id == job.id] == [-1]
    page.locator("a[data-first]", has_text="Report").click()
    if kind != "setup":
        expect(page.locator(".sheet-done")).to_contain_text(f"{len(done)} steps")
    page.locator("text=Close the job").click()
    expect(page.locator("main")).to_contain_text("closed")
    with closing(connect(clocked.database)) as db:
        assert jobs.get(db, job.id).closed_at is not None


def test_frets_are_ticked_by_key_with_a_pace_and_a_timer_outlives_the_reload(page: Page, clocked: Clocked) -> None:
    with closing(connect(clocked.database)) as db:
        job = jobs.open_of(db, [CURLEW])[CURLEW]
        for code in ("before_survey", "estimate", "strings_off", "straight", "survey", "reseat"):
            sheets.add(db, job.id, Event(code, "finished", "2026-08-24T09:00:00.000Z", "a test"))
    address = f"{clocked.url}/jobs/{job.id}/sheet"
    page.goto(address)
    expect(page.locator("#timers")).to_contain_text("Rest at the bench's humidity")
    clocked.later(days=2)  # the rest is over
    page.goto(address)
    expect(page.locator("#timers")).to_have_count(0)
    expect(page.locator(".call-panel h2")).to_have_text("Ends flush and bevelled")
    page.keyboard.press("s")
    expect(page.locator(".running")).to_be_visible()
    page.locator(".fret-tick").first.focus()
    for fret in range(1, 6):
        clocked.later(minutes=2)
        page.keyboard.press("Space")
        expect(page.locator("#ticked-count")).to_have_text(str(fret))
    expect(page.locator("#pace")).to_contain_text("2.0 min a fret")
    expect(page.locator('.fret-tick[value="6"]')).to_be_focused()
    page.reload()
    expect(page.locator('.fret-tick[aria-pressed="true"]')).to_have_count(5)


def start_of(bench: Clocked, job: int, step: str) -> datetime:
    with closing(connect(bench.database)) as db:
        saved = schedules.latest(db)
    assert saved is not None
    return next(one.start for one in saved.placed if (one.job, one.step) == (str(job), step))


def test_a_strip_is_dragged_or_walked_to_a_pin_and_says_what_it_costs(page: Page, clocked: Clocked) -> None:
    page.goto(clocked.url)
    page.keyboard.type("gw")
    expect(page).to_have_url(re.compile("/schedule$"))
    with closing(connect(clocked.database)) as db:
        saved = schedules.latest(db)
    assert saved is not None
    # a strip of the third day, walked by key a day on and a quarter of an hour later
    strip = page.locator(".rail").nth(2).locator(".strip").first
    job, step = int(strip.get_attribute("data-job") or 0), strip.get_attribute("data-step") or ""
    was = start_of(clocked, job, step)
    strip.focus()
    page.keyboard.press("m")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowRight")
    expect(page.locator(".moving-words")).to_be_visible()
    page.keyboard.press("Enter")
    expect(page.locator(".said")).to_contain_text("Pinned. It costs")
    moved = start_of(clocked, job, step)
    assert (moved.date() - was.date()).days == 1
    assert moved.minute % 15 == 0
    expect(page.locator(".strip.pinned")).to_have_count(1)
    # taken out again by key
    page.locator(".strip.pinned").focus()
    page.keyboard.press("x")
    expect(page.locator(".said")).to_contain_text("The pin is out")
    # dragged: the first strip of the fourth day half an hour to the right
    strip = page.locator(".rail").nth(3).locator(".strip").first
    job, step = int(strip.get_attribute("data-job") or 0), strip.get_attribute("data-step") or ""
    was = start_of(clocked, job, step)
    box = strip.locator("rect").first.bounding_box()
    assert box is not None
    x, y = box["x"] + 3, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    scale = page.evaluate(
        "document.querySelector('#rails svg').getScreenCTM().a *"
        " Number(document.getElementById('rails').dataset.perMinute)"
    )
    page.mouse.move(x + 20 * scale, y, steps=4)
    page.mouse.move(x + 30 * scale, y, steps=4)
    page.mouse.up()
    expect(page.locator(".said")).to_contain_text("inned")
    with closing(connect(clocked.database)) as db:
        (pin,) = schedules.pins(db)
        assert instruments.get(db, jobs.get(db, pin.job_id).instrument_id).spec.name
    assert (pin.job_id, pin.step) == (job, step)
    assert timedelta(minutes=15) <= start_of(clocked, job, step) - was <= timedelta(minutes=45)
    # one that falls outside the shifts changes nothing and says why
    page.goto(f"{clocked.url}/schedule?at={job}.{step}")
    page.locator("#pin-at").fill("2026-08-27T23:00")
    page.locator("text=Pin it there").click()
    expect(page.locator(".said")).to_contain_text("does not fit into bench hours")


def test_the_week_fits_a_tablet_and_a_phone(page: Page, clocked: Clocked) -> None:
    for width, height in ((800, 1280), (390, 844)):
        page.set_viewport_size({"width": width, "height": height})
        for path in ("/", "/schedule", "/schedule/hours", "/stock", "/tools", "/stock/count", f"/stock/{1}"):
            page.goto(f"{clocked.url}{path}")
            assert page.evaluate("document.documentElement.scrollWidth - innerWidth") <= 0, (path, width)


def test_a_plan_says_how_it_goes_and_is_stopped(page: Page, clocked: Clocked, monkeypatch: pytest.MonkeyPatch) -> None:
    """A plan that would take as long as it may is ended by the button beside it, and what it had is put in force."""

    def slow(bench: object, seconds: float, watch: Watch) -> Planned:
        watch.told(Found("lateness", 7, 3))
        while not watch.stopped():
            time.sleep(0.05)
        return plan_bench(bench, 0.0)  # type: ignore[arg-type]

    monkeypatch.setattr(planner, "plan_bench", slow)
    clocked.config["SCHEDULE_SECONDS"] = 60.0
    said, stopped = list[str](), list[str]()
    page.on("console", lambda line: said.append(line.text))
    page.on("request", lambda asked: stopped.append(asked.url) if asked.url.endswith("/schedule/stop") else None)
    page.goto(f"{clocked.url}/schedule")
    # while a page is on its way nothing can be asked of the one before it: it tells, and presses, by itself
    page.evaluate(
        """() => setInterval(() => {
          const words = document.querySelector(".waits p")?.textContent ?? "";
          if (!words.includes("late by weight")) return;
          console.log(words);
          document.querySelector(".waits button").click();
        }, 100)"""
    )
    page.get_by_role("button", name="Re-plan from now").click(no_wait_after=True)
    expect(page.locator("body")).to_contain_text("Planned from now", timeout=30_000)
    assert re.match(r"Planning: \d+ s of at most 60: 7 days late by weight, 3 cannot be avoided\.", said[0])
    assert len(stopped) == 1
