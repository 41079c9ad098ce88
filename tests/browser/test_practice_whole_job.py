"""A whole job on a practice neck, from Practice to its debrief, by mouse, by touch and by keys; only what the pages say
is known.
"""

import re
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, expect

from deft_bench.bench.practice.by_program import BEGINS
from deft_bench.bench.practice.setup_by_program import play_setup_on
from deft_bench.bench.practice.whole import begin_on_truth, begin_whole, read_on_the_stage, whole_job
from deft_bench.core.practice.drills import WHOLE_SETUP
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.store import acts, jobs, practice_necks, surveys
from deft_bench.store.database import connect, scratch
from deft_bench.web import create_app
from deft_bench.web.serving import in_background

READS_SLOWLY = """const read = Response.prototype.json; Response.prototype.json = async function () {
  await new Promise((done) => setTimeout(done, 60));
  return read.call(this);
};"""
"""A machine so busy that an answer is there long before it is read."""
DONE = ("Nothing to level", "Leave the frets", "The gate has passed")
MOST = 14


@pytest.fixture
def url(demo_path: Path) -> Iterator[str]:
    with in_background(create_app(demo_path, now=lambda: datetime.now(UTC))) as server:
        yield f"http://127.0.0.1:{server.port}"


class Apprentice:
    """Does what the page says, in one way of working."""

    def __init__(self, page: Page, by: str) -> None:
        self.page, self.by, self.at = page, by, 11

    def do(self, what: str, says: str) -> str:
        """Press a tool's button, tap it, or its key; what the page answers."""
        button = self.page.locator(f'#work button[value="{what}"]')
        if self.by == "keys":
            self.page.keyboard.press(button.get_attribute("data-key") or "")
        elif self.by == "touch":
            button.tap()
        else:
            button.click()
        said = self.page.locator("#stage-part [role=status]")
        expect(said).to_contain_text(re.compile(says))
        return said.inner_text()

    def over(self, fret: int) -> None:
        """Put the hand over a fret."""
        if self.by == "keys":
            for _ in range(abs(fret - self.at)):
                self.page.keyboard.press("ArrowRight" if fret > self.at else "ArrowLeft")
        else:
            number = self.page.locator(f'[data-number="{fret}"]')
            box = number.bounding_box()
            assert box
            x, y = box["x"] + box["width"] / 2, box["y"] - 60
            self.page.touchscreen.tap(x, y) if self.by == "touch" else self.page.mouse.click(x, y)
        expect(self.page.locator("#f-fret")).to_have_value(str(fret))
        self.at = fret

    def called(self) -> str:
        """The sentence that the program says by now."""
        call = self.page.locator("#stage-part .call-panel h2")
        expect(call).to_be_visible(timeout=20_000)
        return call.inner_text()

    def accept_and_level(self) -> None:
        """On the Level screen: accept the plan, mark it done, and back to the stage."""
        self.page.locator(".call-panel a", has_text="Why, and the plan").click()
        out = self.page.locator('input[name="nut"][value="out"]')
        if out.count():
            out.check()
        self.page.locator(".accept button").click()
        self.page.locator("text=Mark it done").click()
        self.page.locator("a", has_text="To its stage").click()
        self.page.wait_for_selector("#hand[transform]")
        self.at = 11

    def follow(self, said: str) -> None:
        if said.startswith(("Survey", "Finish", "The neck has moved", "Read")):
            self.do("gauge", "^Read: fret heights")
        elif "Check the seating" in said:
            for fret in map(int, re.findall(r"\d+", said.split(" before ")[0])):
                self.over(fret)
                if "gives" in self.do("press", f"^Pressed fret {fret}"):
                    self.do("tap", "went home")
        else:
            self.accept_and_level()


@pytest.mark.parametrize("by", ["mouse", "touch", "keys"])
def test_a_whole_job_is_done_as_the_pages_say(browser: Browser, url: str, demo_path: Path, by: str) -> None:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, has_touch=by == "touch")
    page = context.new_page()
    page.goto(f"{url}/practice")
    page.fill("#f-person", "Ida")
    page.fill("#f-seed", "3")
    page.click('button[name="drill"][value="whole"]')
    page.wait_for_selector("#hand[transform]")
    neck_id = int(page.url.rsplit("/", 1)[1])
    with closing(connect(demo_path)) as db:
        truth = practice_necks.get(db, neck_id).truth["neck"]
    hand = Apprentice(page, by)
    hand.do("edge", "^Read: straightness")
    hand.do("gauge", "^Read: fret heights")
    for _ in range(MOST):
        said = hand.called()
        if said.startswith(DONE):
            break
        hand.follow(said)
    else:
        raise AssertionError(said)
    for fret in truth["unseated"]:  # it shows nowhere before it is handed in
        assert f"Fret {fret} was out" not in page.content()
    page.click("text=show the truth")
    expect(page.locator("h1")).to_have_text(re.compile(r"^(9\d|100) of 100$"), timeout=30_000)
    for fret in truth["unseated"]:
        expect(page.locator("main")).to_contain_text(f"Fret {fret} was out of its slot")
    # the job can be gone through, its truth beside what was believed
    expect(page.locator("#moment circle")).to_have_count(66)
    many = page.locator("#moments li").count()
    page.locator("#moment a", has_text="Before").click()
    expect(page.locator("#moment")).to_contain_text(f"{many - 1} of {many}")
    expect(page.locator("#moments li").nth(many - 2)).to_have_attribute("aria-current", "step")
    page.locator(".day-order a").first.click()
    expect(page.locator("#moment")).to_contain_text("1 of ")
    expect(page.locator("#moment .bl-thought")).to_have_count(0)
    with closing(connect(demo_path)) as db:
        kept = practice_necks.get(db, neck_id)
        assert jobs.get(db, kept.job_id).closed_at
        assert {act.kind for act in acts.of_instrument(db, kept.instrument_id)} == {"reseat", "level"}
        assert {one.head.kind for one in surveys.of_job(db, kept.job_id)} == {"straightness", "fret_heights"}
    context.close()


def test_a_survey_of_a_practice_neck_is_read_with_its_tool(page: Page, url: str, demo_path: Path) -> None:
    with closing(connect(demo_path)) as db:
        kept = practice_necks.latest(db)[0]
    page.goto(f"{url}/jobs/{kept.job_id}/surveys/new?kind=fret_heights")
    page.locator(".form-end button").click()
    page.wait_for_selector("[data-tool]:not([hidden])")
    for _ in range(2):
        page.keyboard.press("k")
    expect(page.locator('[data-say="read"]')).to_have_text("2")
    page.click("text=Read all that is left")
    expect(page.locator('[data-say="read"]')).to_have_text("66")


KEYS = {"file": "f", "touch": "t", "wait": "0", "rest": "w", "air": "h"}
SCREWED = {("screw", 1): "+", ("screw", -1): "-", ("screw", 4): "u", ("screw", -4): "d"}
MOVED = {("along", 1): "b", ("along", -1): "v", ("along", 4): "n", ("along", -4): "m"}
TURNED = {-4: "1", -2: "2", -1: "3", 1: "4", 2: "5", 4: "6"}


def test_a_neck_is_set_up_by_keys_as_fast_as_they_go(browser: Browser, url: str, demo_path: Path) -> None:
    """What the program did on the same neck, key by key; nothing waits, and the hand-in waits for all."""
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"{url}/practice")
    page.fill("#f-person", "Ida")
    page.click('button[name="drill"][value="whole_setup"]')
    page.wait_for_selector("#hand[transform]")
    neck = int(page.url.rsplit("/", 1)[1])
    with closing(connect(demo_path)) as db, closing(scratch()) as own:
        truth = whole_job(db, neck).truth
        theirs = begin_on_truth(own, BEGINS, WHOLE_SETUP, "the program", 1, 0, truth)
        play_setup_on(own, ShopSettings(), theirs, BEGINS)
        done = [step.deed for step in whole_job(own, theirs).steps]
    at = 6
    for key in "rsac":
        page.keyboard.press(key)
    for one in done:
        for _ in range(abs(one.string - at) if one.string else 0):
            page.keyboard.press("ArrowUp" if one.string > at else "ArrowDown")
        at = one.string or at
        if one.what == "turn":
            page.keyboard.press(TURNED[one.sixteenths])
        else:
            page.keyboard.press({**SCREWED, **MOVED}.get((one.what, one.quarters)) or KEYS[one.what])
    page.keyboard.press("p")
    page.click("text=It is set up")
    expect(page.locator("h1")).to_have_text(re.compile("(9[5-9]|100) of 100"), timeout=60_000)
    expect(page.locator("main")).to_contain_text("The truth, and what was read")
    page.locator("#moments a", has_text="Look").first.click()
    expect(page.locator("#moment")).to_contain_text("1 of ")
    with closing(connect(demo_path)) as db:
        assert [step.deed for step in whole_job(db, neck).steps] == done
    page.close()


def test_the_machine_hears_the_strings_of_a_practice_neck(browser: Browser, url: str, demo_path: Path) -> None:
    """Its ear reads the cents that its saddles make, and no key is touched."""
    now = datetime.now(UTC)
    with closing(connect(demo_path)) as db:
        neck = begin_whole(db, now, "Ida", 3, 312, drill=WHOLE_SETUP)
        survey = read_on_the_stage(db, ShopSettings(), now, neck, "intonation", [12], ["6"])
        truth = whole_job(db, neck).neck
    page = browser.new_page()
    page.set_default_timeout(60_000)
    page.goto(f"{url}/practice/necks/{neck}")
    page.select_option("#f-lane", "5")
    page.click('#work [value="play"]')
    heard = page.locator("#stage-part audio")
    expect(heard).to_have_attribute("aria-label", re.compile("String 5 "))
    sound = page.request.get(f"{url}{heard.get_attribute('src')}")
    assert sound.body()[:4] == b"RIFF"
    assert page.request.get(f"{url}/practice/necks/{neck}/note/7/0.wav").status == 404
    page.add_init_script(READS_SLOWLY)
    page.goto(f"{url}/surveys/{survey.id}/play")
    page.click("text=Play the practice strings")
    expect(page.locator('[data-play="ask"]')).to_have_text("Every note is heard.", timeout=120_000)
    with closing(connect(demo_path)) as db:
        read = surveys.values(db, survey.id)
    assert {place: (um or 0) / 100 for place, um in read.items()} == pytest.approx(
        {(str(n), 12): truth.cents(n, 12) for n in range(1, 7)}, abs=1.0
    )
    page.close()
