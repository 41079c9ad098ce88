"""Every page pattern of the demo at three sizes: what an accessibility checker says, nothing cut off, nothing too small
to read or to hit, in both themes; and the focus, which is never lost.
"""

import re
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect
from werkzeug.routing import MapAdapter

from browsing import press, tab_to
from deft_bench.bench.practice.handing_in import hand_in
from deft_bench.bench.practice.whole import WHOLE_KINDS, begin_whole
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.store.database import Connection, connect
from deft_bench.web import create_app
from deft_bench.web.practice.hand_pages import HAND_PAGES
from harness import NOW, Server
from web.test_pages import every_page

AXE = (Path(__file__).parent.parent / "vendor" / "axe-core" / "axe.min.js").read_text("utf-8")
SIZES = pytest.mark.parametrize(("width", "height"), [(1280, 800), (800, 1280), (390, 844)])
VIOLATIONS = """async () => (await axe.run({resultTypes: ["violations"]})).violations.map(
    (one) => `${one.id}: ${one.nodes.map((node) => node.target).slice(0, 4)}`)"""
FAULTS = """() => {
  const found = [], wide = document.documentElement.clientWidth;
  const shown = (one) => one.getBoundingClientRect().width > 0 && getComputedStyle(one).visibility !== "hidden"
    && !one.closest(".sr, .skip, dialog, details:not([open]) > :not(summary)");
  const name = (one) => `${one.tagName}.${one.getAttribute("class") ?? ""} ${one.textContent.trim().slice(0, 20)}`;
  const scrolls = (one) => { for (let up = one; up; up = up.parentElement)
    if (["auto", "scroll"].includes(getComputedStyle(up).overflowX)) return true; return false; };
  if (document.scrollingElement.scrollWidth > wide + 1) found.push("the page scrolls sideways");
  for (const one of document.querySelectorAll("main *, header *")) {
    const box = one.getBoundingClientRect();
    if (shown(one) && !one.closest("svg") && box.right > wide + 2 && !scrolls(one)) found.push(`cut off: ${name(one)}`);
  }
  const texts = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (texts.nextNode()) {
    const one = texts.currentNode.parentElement;
    if (!one || !texts.currentNode.data.trim() || !shown(one) || one.closest("script, title")) continue;
    const ctm = one.closest("svg") && one.getScreenCTM?.();
    const scale = ctm ? Math.sqrt(Math.abs(ctm.a * ctm.d - ctm.b * ctm.c)) : 1;
    const size = parseFloat(getComputedStyle(one).fontSize) * scale;
    if (size < 13.95) found.push(`${size.toFixed(1)} px: ${name(one)}`);
  }
  const taps = "button, .tab, .steps a, .cell, .spot, .toggle-band, .fret-tick, .tick-box, summary, .input, select";
  if (matchMedia("(pointer: coarse)").matches) for (const one of document.querySelectorAll(taps)) {
    if (!shown(one) || getComputedStyle(one).pointerEvents === "none") continue;
    const box = one.getBoundingClientRect();
    if (box.height < 43.5 || box.width < 43.5) found.push(`${box.width | 0} × ${box.height | 0}: ${name(one)}`);
  }
  return [...new Set(found)];
}"""


def patterns(database: Path, db: Connection) -> list[str]:
    """One page of every kind, and a survey of every kind."""
    routes: MapAdapter = create_app(database, testing=True).url_map.bind("localhost")
    found: dict[str, str] = {}
    for url in every_page(db):
        endpoint, given = routes.match(url.split("?")[0])
        if endpoint == "surveys.show":
            endpoint += db.execute("SELECT kind FROM survey WHERE id = ?", (given["survey_id"],)).fetchone()[0]
        if "csv" not in endpoint:
            found.setdefault(endpoint, url)
    return list(found.values())


def opened(browser: Browser, width: int, height: int, **more: Any) -> Iterator[Page]:
    small = width < 1000
    context = browser.new_context(
        viewport={"width": width, "height": height}, bypass_csp=True, has_touch=small, is_mobile=small, **more
    )
    context.set_default_timeout(30_000)
    yield context.new_page()
    context.close()


@SIZES
def test_every_page_can_be_read_reached_and_hit(
    demo_path: Path, browser: Browser, server: Server, width: int, height: int
) -> None:
    said = {}
    with closing(connect(demo_path)) as db:
        urls = patterns(demo_path, db)
    assert len(urls) > 40
    for page in opened(browser, width, height):
        for url in urls:
            page.goto(server.url + url)
            page.evaluate(AXE)
            said[url] = [*page.evaluate(VIOLATIONS), *page.evaluate(FAULTS)]
    assert {url: faults for url, faults in said.items() if faults} == {}


@pytest.mark.parametrize(("width", "height"), [(1280, 800), (390, 844)])
def test_every_stage_by_hand_can_be_read(
    demo_path: Path, browser: Browser, server: Server, width: int, height: int
) -> None:
    begun, necks, said = list[int](), list[int](), {}
    with closing(connect(demo_path)) as db:
        for one in HAND_PAGES.values():
            begun += [one.drill.start(db, NOW, "Ida", 3, 5) for _ in range(2)]
            one.drill.hand_in(db, NOW, begun[-1])
        for drill in WHOLE_KINDS:
            necks += [begin_whole(db, NOW, "Ida", 3, 5, drill=drill) for _ in range(2)]
            hand_in(db, ShopSettings(), NOW, necks[-1])
    for page in opened(browser, width, height):
        for attempt in [*begun, *(f"necks/{one}" for one in necks)]:
            page.goto(f"{server.url}/practice/{attempt}")
            page.evaluate(AXE)
            said[attempt] = [*page.evaluate(VIOLATIONS), *page.evaluate(FAULTS)]
    assert {attempt: faults for attempt, faults in said.items() if faults} == {}


def test_lamp_off_keeps_the_contrast(demo_path: Path, browser: Browser, server: Server) -> None:
    with closing(connect(demo_path)) as db:
        urls = patterns(demo_path, db)
    dark = {}
    for page in opened(browser, 1280, 800, color_scheme="dark"):
        for url in urls[::3]:
            page.goto(server.url + url)
            page.evaluate(AXE)
            dark[url] = page.evaluate(VIOLATIONS)
        assert page.evaluate("getComputedStyle(document.body).backgroundColor") != "rgb(232, 235, 230)"
    assert {url: faults for url, faults in dark.items() if faults} == {}


def test_the_focus_is_seen_and_stays_where_it_was(demo_path: Path, page: Page, server: Server) -> None:
    page.goto(f"{server.url}/instruments/1")
    for selector in (".tab", ".button.is-ink", "main .button:not(.is-ink)"):
        tab_to(page, selector)
        ring = page.evaluate(
            "(({outlineWidth, outlineStyle}) => outlineStyle + outlineWidth)(getComputedStyle(document.activeElement))"
        )
        assert ring == "solid3px"
    # a part that is drawn again: the choice on Level that was just made
    with closing(connect(demo_path)) as db:
        (job,) = db.execute("SELECT id FROM job WHERE instrument_id = 1 AND closed_at IS NULL").fetchone()
    page.goto(f"{server.url}/jobs/{job}/level")
    bands = page.locator(".toggle-band")
    assert bands.evaluate_all("all => all.filter((one) => one.tabIndex === 0).length") == 1
    bands.first.focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator(".toggle-band").nth(1)).to_be_focused()
    page.keyboard.press("x")
    expect(page).to_have_url(re.compile("left_out"))
    assert page.evaluate("document.activeElement !== document.body")
    # a form that is sent and comes back
    page.goto(f"{server.url}/jobs/{job}/dress")
    press(page, "#ends .tick-box")
    expect(page.locator("#ends .tick-box").first).to_have_attribute("aria-pressed", "true")
    expect(page.locator("#ends .tick-box").first).to_be_focused()


def test_single_letters_can_be_switched_off(page: Page, server: Server) -> None:
    page.goto(server.url)
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_be_visible()
    expect(page.locator("#keys h3").first).to_contain_text("this page")
    page.keyboard.press("Escape")
    page.goto(f"{server.url}/settings")
    page.locator("#f-letter_keys").select_option("no")
    page.locator("text=Save").first.click()
    expect(page.locator(".said")).to_be_visible()
    page.locator("main").focus()
    page.keyboard.type("gw?")
    expect(page).to_have_url(re.compile("/settings"))
    expect(page.locator("#keys")).to_be_hidden()


@pytest.mark.parametrize(("width", "height"), [(800, 1280), (390, 844)])
def test_a_survey_by_taps_only(demo_path: Path, browser: Browser, server: Server, width: int, height: int) -> None:
    with closing(connect(demo_path)) as db:
        (job,) = db.execute("SELECT id FROM job WHERE instrument_id = 1 AND closed_at IS NULL").fetchone()
    for page in opened(browser, width, height):
        page.goto(f"{server.url}/jobs/{job}/surveys/new")
        page.locator("text=Start reading").tap()
        expect(page.locator("#reading")).to_have_attribute("inputmode", "none")
        fret = page.locator('[data-say="fret"]')
        first = fret.inner_text()
        for key in (".", "1", "2", "erase", "4", "accept"):
            page.locator(f'[data-pad="{key}"]').tap()
        expect(page.locator(".cell.read").first).to_have_text("0.14")
        expect(fret).not_to_have_text(first)
        page.locator('[data-pad="back"]').tap()
        expect(fret).to_have_text(first)
        expect(page.locator('[data-say="stands"]')).to_have_text("stands at 0.14")
        page.locator('[data-pad="undo"]').tap()
        expect(page.locator(".cell.read")).to_have_count(0)
        page.locator('[data-pad="lane"]').tap()
        page.goto(f"{server.url}/jobs/{job}/surveys/new?kind=rocker")
        page.locator("text=Start reading").tap()
        page.locator('[data-pad="key f"]').tap()
        page.locator('[data-pad="key r"]').tap()
        expect(page.locator(".cell.read")).to_have_count(2)
        page.locator('[data-do="bench"]').tap()
        expect(page.locator(".top")).to_be_hidden()
        assert page.locator(".entry-place").evaluate("one => parseFloat(getComputedStyle(one).fontSize)") > 40
        page.locator('[data-pad="key f"]').tap()
        expect(page.locator(".cell.read")).to_have_count(3)


def test_a_step_at_the_bench_is_done_and_undone(demo_path: Path, page: Page, server: Server) -> None:
    with closing(connect(demo_path)) as db:
        (job,) = db.execute("SELECT id FROM job WHERE instrument_id = 1 AND closed_at IS NULL").fetchone()
    page.goto(f"{server.url}/jobs/{job}/bench")
    title = page.locator("h1").inner_text()
    page.keyboard.press("s")
    expect(page.locator(".said")).to_contain_text(f"Started: {title}")
    page.keyboard.press("s")
    expect(page.locator(".said")).to_contain_text(f"Done: {title}")
    expect(page.locator("h1")).not_to_have_text(title)
    page.locator(".said button").click()
    expect(page.locator(".said")).to_contain_text("it goes on")
    expect(page.locator(".call-panel h2")).to_have_text(title)
    expect(page.locator(".running")).to_be_visible()
