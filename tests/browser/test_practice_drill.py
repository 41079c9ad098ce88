"""A first drill, from Today to its debrief, by mouse, by touch and by keys."""

import re
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from deft_bench.bench.practice.beam import BEAM
from deft_bench.bench.practice.culprit import practising
from deft_bench.bench.practice.datum import DATUM
from deft_bench.bench.practice.line import LINE
from deft_bench.bench.practice.order import in_order
from deft_bench.bench.practice.radius import RADIUS
from deft_bench.bench.practice.straight import at_the_rod
from deft_bench.core.frets.heights import LANES
from deft_bench.core.practice import beam, datum, radius
from deft_bench.core.practice.straight import by_program
from deft_bench.store.database import connect
from deft_bench.web import create_app
from deft_bench.web.serving import in_background
from harness import NOW

BY = ("mouse", "touch", "keys")


@pytest.fixture
def url(demo_path: Path) -> Iterator[str]:
    with in_background(create_app(demo_path, now=lambda: NOW)) as server:
        yield f"http://127.0.0.1:{server.port}"


def begun(page: Page, drill: str) -> int:
    """Start a drill from the list; the attempt's id."""
    page.fill("#f-person", "Ida")
    page.click(f'button[name="drill"][value="{drill}"]')
    page.wait_for_url(re.compile(r"/practice/\d+$"))
    page.wait_for_load_state("networkidle")
    return int(page.url.rsplit("/", 1)[1])


def rock(page: Page, by: str, fret: int, at: int) -> None:
    """Set the rocker down in the middle lane over one fret; it lies over another."""
    if by == "keys":
        for _ in range(abs(fret - at)):
            page.keyboard.press("ArrowRight" if fret > at else "ArrowLeft")
        page.keyboard.press("Enter")
    else:
        number = page.locator(f'[data-number="{fret}"]').bounding_box()
        neck = page.locator(".pr-board").bounding_box()
        assert number
        assert neck
        x, y = number["x"] + number["width"] / 2, neck["y"] + neck["height"] / 2
        if by == "touch":
            page.touchscreen.tap(x, y)
        else:
            page.mouse.click(x, y)
    expect(page.locator("#stage-part [role=status]")).to_contain_text(
        f"Rocker on {fret - 1}, {fret} and {fret + 1}, middle"
    )


@pytest.mark.parametrize("by", BY)
def test_a_newcomer_finds_practice_and_names_the_culprit(browser: Browser, url: str, demo_path: Path, by: str) -> None:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, has_touch=by == "touch")
    page = context.new_page()
    page.goto(f"{url}/")
    page.click(".col-side a:has-text('Practice')")
    attempt = begun(page, "culprit")
    with closing(connect(demo_path)) as db:
        (fret, _), *_ = practising(db, attempt).truth.signed
    page.wait_for_selector("#rocker[transform]")
    at = 11
    for here in (other for other in (fret - 1, fret + 1, fret) if 2 <= other <= 21):
        rock(page, by, here, at)
        at = here
    expect(page.locator("#stage-part [role=status]")).to_contain_text("it rocks")
    if by == "touch":
        page.locator("#f-proud").fill(str(fret))
        page.locator("text=show the truth").tap()
    else:
        page.keyboard.press("l")
        page.keyboard.press("p")
        expect(page.locator("#f-proud")).to_have_value(str(fret))
        expect(page.locator("#f-low")).to_have_value("")
        page.keyboard.press("e")
        expect(page.locator("#stage-part [role=status]")).to_contain_text("Straightedge")
        # what was marked stays while the stage is drawn again
        expect(page.locator("#f-proud")).to_have_value(str(fret))
        page.click("text=show the truth")
    expect(page.locator("h1")).to_contain_text("of 100")
    expect(page.locator("main")).to_contain_text("Named rightly")
    context.close()


@pytest.mark.parametrize("by", BY)
def test_a_neck_is_levelled_as_the_program_would(browser: Browser, url: str, demo_path: Path, by: str) -> None:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, has_touch=by == "touch")
    page = context.new_page()
    page.goto(f"{url}/practice")
    attempt = begun(page, "beam")
    page.wait_for_selector("#hand[transform]")
    with closing(connect(demo_path)) as db:
        done, _ = beam.by_program(BEAM.at_work(db, attempt).truth)
    lanes, at, lane = ["all three", *LANES], 11, 0
    for k, one in enumerate(done, 1):
        did = ("firm" if one.firm else "light") if one.what == "stroke" else one.what
        wanted = lanes.index(one.lanes[0]) if one.lanes else lane
        if by == "keys":
            for _ in range(abs(wanted - lane)):
                page.keyboard.press("ArrowDown" if wanted > lane else "ArrowUp")
            for _ in range(abs(one.fret - at) if one.fret else 0):
                page.keyboard.press("ArrowRight" if one.fret > at else "ArrowLeft")
            page.keyboard.press("Enter" if did == "light" else did[0])
        else:
            page.select_option("#f-lane", lanes[wanted])
            if one.fret:
                box = page.locator(f'[data-number="{one.fret}"]').bounding_box()
                assert box
                x, y = box["x"] + box["width"] / 2, box["y"] - 60
                page.touchscreen.tap(x, y) if by == "touch" else page.mouse.click(x, y)
                expect(page.locator("#f-fret")).to_have_value(str(one.fret))
            button = page.locator(f'#work [value="{did}"]')
            button.tap() if by == "touch" else button.click()
        at, lane = one.fret or at, wanted
        expect(page.locator(".numbered")).to_have_attribute("start", str(max(1, k - 11)))
        expect(page.locator(".numbered li")).to_have_count(min(k, 12))
    page.click("text=It is level")
    expect(page.locator("h1")).to_have_text(re.compile("(9[5-9]|100) of 100"))
    context.close()


def test_a_blank_is_sanded_by_keys_as_the_program_would(browser: Browser, url: str, demo_path: Path) -> None:
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"{url}/practice")
    attempt = begun(page, "radius")
    page.wait_for_selector("#hand[transform]")
    with closing(connect(demo_path)) as db:
        done, _ = radius.by_program(RADIUS.at_work(db, attempt).truth)
    leans, at, lean = list(radius.LEANS), 5, 1
    for one in done:
        wanted = leans.index(one.lean) if one.what == "sand" else lean
        for _ in range(abs(wanted - lean)):
            page.keyboard.press("ArrowDown" if wanted > lean else "ArrowUp")
        for _ in range(abs(one.place - at) if one.place else 0):
            page.keyboard.press("ArrowRight" if one.place > at else "ArrowLeft")
        along = one.what == "sand" and one.place == radius.ALONG
        key = "r" if one.what == "gauge" else ("w" if one.firm else "l") if along else "f" if one.firm else "Enter"
        page.keyboard.press(key)
        at, lean = one.place or at, wanted
    # none waits for the one before it, and the hand-in waits for all
    page.click("text=It is true")
    expect(page.locator("h1")).to_have_text("100 of 100")


def test_a_rod_is_turned_by_keys_as_the_program_would(browser: Browser, url: str, demo_path: Path) -> None:
    page = browser.new_page()
    page.goto(f"{url}/practice")
    attempt = begun(page, "straight")
    with closing(connect(demo_path)) as db:
        done, said = by_program(at_the_rod(db, attempt).truth)
    for one in done:
        page.keyboard.press(
            {"read": "Enter", "wait": "0"}.get(one.what) or str(one.eighths + (3 if one.eighths < 0 else 2))
        )
    page.click("text=It is straight" if said == "straight" else "text=Its rod gives no more")
    expect(page.locator("h1")).to_have_text(re.compile("(9[5-9]|100) of 100"))
    page.close()


def test_steps_are_moved_by_keys_and_the_focus_goes_along(browser: Browser, url: str, demo_path: Path) -> None:
    page = browser.new_page()
    page.goto(f"{url}/practice")
    attempt = begun(page, "order")
    with closing(connect(demo_path)) as db:
        found = in_order(db, attempt)
    order = list(found.order)
    for at, code in enumerate(found.truth.right):
        page.locator(f'[data-step="{code}"]').focus()
        for _ in range(order.index(code) - at):
            page.keyboard.press("Shift+ArrowUp")
        expect(page.locator("#steps li").nth(at)).to_have_attribute("data-step", code)
        expect(page.locator("#steps li").nth(at)).to_be_focused()
        order.insert(at, order.pop(order.index(code)))
    page.keyboard.press("ArrowUp")
    expect(page.locator("#steps li").nth(len(order) - 2)).to_be_focused()
    page.click("text=show what it spoils")
    expect(page.locator("h1")).to_have_text("100 of 100")
    page.close()


@pytest.mark.parametrize("by", BY)
def test_a_fret_is_crowned_as_the_program_would(browser: Browser, url: str, demo_path: Path, by: str) -> None:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, has_touch=by == "touch")
    page = context.new_page()
    page.goto(f"{url}/practice")
    attempt = begun(page, "line")
    page.wait_for_selector("#hand[transform]")
    with closing(connect(demo_path)) as db:
        done, _ = LINE.by_program(LINE.at_work(db, attempt).truth)
    keys = {(45, 10): "s", (30, 10): "m", (15, 10): "f", (45, 3): "4", (30, 3): "3", (15, 3): "1"}
    zones, at, side = [*LANES, "all three"], 3, -1
    for k, one in enumerate(done, 1):
        wanted = zones.index(one.zones[0]) if len(one.zones) == 1 else 3
        if by == "keys":
            for _ in range(abs(wanted - at)):
                page.keyboard.press("ArrowRight" if wanted > at else "ArrowLeft")
            if one.side != side:
                page.keyboard.press("ArrowDown" if one.side > 0 else "ArrowUp")
            page.keyboard.press(keys[one.angle, one.strokes])
        else:
            page.select_option("#f-fret", str(wanted + 1))
            page.select_option("#f-lane", "saddle" if one.side > 0 else "nut")
            button = page.locator(f'#work [value="{one.angle}_{one.strokes}"]')
            button.tap() if by == "touch" else button.click()
        at, side = wanted, one.side
        if by == "keys":
            continue  # each waits its turn
        expect(page.locator(".numbered")).to_have_attribute("start", str(max(1, k - 11)))
        expect(page.locator(".numbered li")).to_have_count(min(k, 12))
    page.click("text=It is crowned")
    expect(page.locator("h1")).to_have_text(re.compile("(9[5-9]|100) of 100"))
    context.close()


def test_a_knife_goes_along_the_rule_by_keys_and_by_the_pointer(browser: Browser, url: str, demo_path: Path) -> None:
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"{url}/practice")
    attempt = begun(page, "datum")
    wrong = list[str]()
    page.on("pageerror", lambda error: wrong.append(str(error)))
    page.locator("#beam-stage svg").click()  # no rule, no knife
    page.keyboard.press("Enter")
    expect(page.locator("#stage-part [role=status]")).to_contain_text("Lay the rule first")
    page.keyboard.press("l")
    page.keyboard.press("c")
    expect(page.locator(".mat-foot")).to_contain_text("10 mm line at the nut: read so much more, clamped")
    with closing(connect(demo_path)) as db:
        blank = DATUM.at_work(db, attempt).truth
    for n, wanted in enumerate(blank.wanted_mm, 1):
        expect(page.locator(".mat-head")).to_contain_text(f"Fret {n} of 12")
        first = round(wanted + datum.LINE_MM - datum.WINDOW_MM / 2)
        place = 1 + round((wanted + datum.LINE_MM - first) / datum.KNIFE_MM)
        if n % 2:
            rule = page.locator(".dm-rule").last.bounding_box()
            assert rule
            xs = page.eval_on_selector("#hand", "hand => JSON.parse(hand.dataset.xs)")
            scale = page.eval_on_selector("#beam-stage svg", "svg => svg.getScreenCTM().a")
            left = page.eval_on_selector("#beam-stage svg", "svg => svg.getBoundingClientRect().left")
            page.mouse.move(left + scale * xs[10], rule["y"] + 20)
            page.mouse.down()
            page.mouse.move(left + scale * xs[place - 1], rule["y"] + 20, steps=4)
            page.mouse.up()
        else:
            now = int(page.input_value("#f-fret"))
            page.keyboard.press("ArrowUp")
            for _ in range(abs(place - now - 10)):
                page.keyboard.press("ArrowRight" if place > now + 10 else "ArrowLeft")
        expect(page.locator("#f-fret")).to_have_value(str(place))
        page.keyboard.press("Enter")
    expect(page.locator(".mat-head")).to_contain_text("All 12 frets are marked")
    page.click("text=It is marked")
    expect(page.locator("h1")).to_have_text("100 of 100")
    assert not wrong
