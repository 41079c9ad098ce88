"""Two windows on one survey: what is read in one stands in the other at once, and nothing is lost or stored twice."""

from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from deft_bench.store import surveys
from deft_bench.store.database import connect
from deft_bench.web import create_app
from deft_bench.web.serving import in_background
from harness import NOW

READ = """([lane, fret, typed]) => {
  document.querySelector(`.cell[data-lane="${lane}"][data-fret="${fret}"]`).click();
  const box = document.getElementById("reading");
  box.value = typed;
  document.getElementById("entry").requestSubmit();
}"""
STAND = """(wanted) => Object.entries(wanted).every(([place, typed]) => {
  const [lane, fret] = place.split(" ");
  return document.querySelector(`.cell[data-lane="${lane}"][data-fret="${fret}"]`).textContent.trim() === typed;
})"""
PHONE, LAPTOP = (390, 844), (1280, 800)


@pytest.fixture
def url(demo_path: Path) -> Iterator[str]:
    with in_background(create_app(demo_path, now=lambda: NOW)) as server:
        yield f"http://127.0.0.1:{server.port}"


@pytest.fixture
def windows(browser: Browser) -> Iterator[tuple[Page, Page]]:
    contexts = [browser.new_context(viewport={"width": wide, "height": high}) for wide, high in (LAPTOP, PHONE)]
    first, second = (context.new_page() for context in contexts)
    yield first, second
    for context in contexts:
        context.close()


def test_two_windows_share_a_survey_and_one_is_cut_off(url: str, demo_path: Path, windows: tuple[Page, Page]) -> None:
    laptop, phone = windows
    laptop.goto(f"{url}/jobs/1/surveys/new?kind=fret_heights")
    laptop.locator(".form-end button").click()
    laptop.wait_for_url("**/surveys/*")
    survey = int(laptop.locator("#survey").get_attribute("data-survey") or 0)
    phone.goto(laptop.url)
    frets = int(laptop.locator("#survey").get_attribute("data-places") or 0) // 3
    # the phone reads the bass and the middle, the laptop the treble, each over and over: 200 readings
    expected: dict[str, str] = {}
    for turn in range(100):
        if turn == 30:
            phone.context.set_offline(True)
        if turn == 60:
            expect(phone.locator('[data-say="saved"]')).to_contain_text("not saved")
            phone.context.set_offline(False)
        for page, lane in ((laptop, "treble"), (phone, ("bass", "middle")[turn % 2])):
            fret, typed = turn % frets + 1, f"0.{10 + turn % 40}"
            page.evaluate(READ, [lane, fret, f"{typed} mm"])
            expected[f"{lane} {fret}"] = typed
    for page in windows:
        expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
        expect(page.locator('[data-say="read"]')).to_have_text(str(len(expected)))
        page.wait_for_function(STAND, arg=expected)
    with closing(connect(demo_path)) as db:
        made = surveys.history(db, survey)
    assert len(made) == 200
    assert len({reading.token for reading in made}) == 200


def test_a_place_read_in_both_while_cut_off_is_asked_about(url: str, windows: tuple[Page, Page]) -> None:
    laptop, phone = windows
    laptop.goto(f"{url}/jobs/1/surveys/new?kind=fret_heights")
    laptop.locator(".form-end button").click()
    laptop.wait_for_url("**/surveys/*")
    phone.goto(laptop.url)
    phone.context.set_offline(True)
    phone.evaluate(READ, ["bass", 1, "0.12 mm"])
    expect(phone.locator('[data-say="saved"]')).to_contain_text("not saved")
    laptop.evaluate(READ, ["bass", 1, "0.20 mm"])
    expect(laptop.locator('[data-say="saved"]')).to_have_text("all saved")
    phone.context.set_offline(False)
    expect(phone.locator("#entry-said")).to_contain_text("was read as 0.20 mm in another window meanwhile")
    expect(phone.locator("#reading")).to_have_value("0.12 mm")
    phone.keyboard.press("Enter")
    expect(laptop.locator('.cell[data-lane="bass"][data-fret="1"]')).to_have_text("0.12")
    # a hand that is typing where the other reads just then is asked too
    laptop.locator('.cell[data-lane="treble"][data-fret="3"]').click()
    laptop.keyboard.type("0.17")
    phone.evaluate(READ, ["treble", 3, "0.25 mm"])
    expect(laptop.locator('.cell[data-lane="treble"][data-fret="3"]')).to_have_text("0.25")
    laptop.keyboard.press("Enter")
    expect(laptop.locator("#entry-said")).to_contain_text("was read as 0.25 mm in another window meanwhile")
    expect(laptop.locator("#reading")).to_have_value("0.17")
    laptop.keyboard.press("Enter")
    expect(phone.locator('.cell[data-lane="treble"][data-fret="3"]')).to_have_text("0.17")
    # the cursor of a window whose hand rests goes on with the other: from 2 to 1 in this lane
    laptop.wait_for_timeout(4200)
    phone.evaluate(READ, ["bass", 2, "0.13 mm"])
    expect(laptop.locator('[data-say="fret"]')).to_have_text("Fret 1")
