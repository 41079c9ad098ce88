"""The main job by keyboard alone in a real browser on a real server: enter, survey, call, do it, survey again,
record.
"""

import re
from contextlib import closing
from pathlib import Path

from playwright.sync_api import Page, Route, expect

from browsing import press, ready_to_read, tab_to
from deft_bench.store import instruments, jobs, surveys
from deft_bench.store.database import connect
from harness import Server

FRETS = 12


def read_survey(page: Page, gaps: dict[tuple[str, int], str], usual: str = "0.02") -> None:
    """Type a whole survey in the order in which the cursor walks, at full speed."""
    expect(page.locator("#reading")).to_be_focused()
    for lane in ("bass", "middle", "treble"):
        for fret in range(FRETS, 0, -1):
            page.keyboard.type(gaps.get((lane, fret), usual))
            page.keyboard.press("Enter")
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
    expect(page.locator('[data-say="read"]')).to_have_text(str(3 * FRETS))


def every_lane(fret: int, gap: str) -> dict[tuple[str, int], str]:
    return {(lane, fret): gap for lane in ("bass", "middle", "treble")}


def test_the_main_job_by_keyboard_alone(page: Page, server: Server) -> None:
    page.goto(server.url)
    page.keyboard.type("gi")
    expect(page).to_have_url(re.compile("/instruments$"))
    press(page, "text=Enter an instrument")
    expect(page.locator("#f-name")).to_be_focused()
    page.keyboard.type("Tern No. 1")
    tab_to(page, "#f-frets")
    page.keyboard.type(str(FRETS))
    tab_to(page, "#f-joint_fret")
    page.keyboard.type("12")
    page.keyboard.press("Enter")
    expect(page.locator("h1")).to_have_text("Tern No. 1")
    tab_to(page, "#promised")
    page.keyboard.type("30 Sep 2030")
    press(page, "text=Open the job")
    expect(page.locator("#f-when")).to_be_focused()
    press(page, "text=Start reading")
    ready_to_read(page)

    # a low ninth fret; one slip that is refused, one value corrected, one undone and read again
    expect(page.locator("#reading")).to_be_focused()
    page.keyboard.type("0.0.2")
    page.keyboard.press("Enter")
    expect(page.locator("#entry-said")).to_contain_text("“0.0.2” is not a length. Accepted: 0.25")
    expect(page.locator("#reading")).to_have_value("0.0.2")
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 12")
    page.keyboard.press("Control+a")
    page.keyboard.type("0.05")
    page.keyboard.press("Enter")
    expect(page.locator('[data-say="read"]')).to_have_text("1")
    page.keyboard.press("u")
    expect(page.locator('[data-say="read"]')).to_have_text("0")
    read_survey(page, every_lane(9, "0.11") | {("treble", 2): "1 thou"})
    page.keyboard.press("b")
    expect(page.locator('[data-say="lane"]')).to_have_text("bass")
    for _ in range(5):
        page.keyboard.press("ArrowRight")
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 6")
    page.keyboard.type("0.03")
    page.keyboard.press("Enter")
    expect(page.locator('.cell[data-lane="bass"][data-fret="6"]')).to_have_class(re.compile("corrected"))
    expect(page.locator('.spot[data-lane="middle"][data-fret="9"]')).to_have_class(re.compile("low"))
    page.reload()
    expect(page.locator(".cell.read")).to_have_count(3 * FRETS)

    press(page, "text=Read the call")
    expect(page.locator(".call-panel h2")).to_have_text("Lift fret 9 before you level.")
    # a left-out fret is toggled on the neck and the figures follow
    for _ in range(2):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("x")
    expect(page).to_have_url(re.compile("left_out=2"))
    expect(page.locator("#left_out")).to_have_value("2")
    page.keyboard.press("x")
    expect(page.locator("#left_out")).to_have_value("")
    # choices outlive the unit switch and mean the same
    tab_to(page, "#fall_from")
    page.keyboard.type("9")
    page.keyboard.press("Tab")
    page.keyboard.type("0.1")
    page.keyboard.press("Tab")
    expect(page).to_have_url(re.compile("fall_drop=0.1[+]mm|fall_drop=0.1%20mm"))
    page.locator(".units button", has_text="in").click()
    expect(page.locator("#fall_drop")).to_have_value("0.00394")
    page.locator(".units button", has_text="mm").click()
    expect(page.locator("#fall_drop")).to_have_value("0.1")
    page.goto(page.url.split("?")[0])
    press(page, ".accept button")
    press(page, "text=Mark it done")
    # everything is read again, although only the lifted fret need be
    tab_to(page, "#f-only")
    expect(page.locator("#f-only")).to_have_value("9")
    page.keyboard.press("Control+a")
    page.keyboard.press("Delete")
    press(page, "text=Start reading")
    ready_to_read(page)
    read_survey(page, every_lane(5, "0.00") | {("middle", 8): "0.03"})
    press(page, "text=Read the call")
    # one place lies at the edge of what rocks: nothing is called for, a level may be chosen all the same
    expect(page.locator(".call-panel h2")).to_contain_text(re.compile("Nothing to level|Leave the frets"))
    press(page, "text=Level as it stands")
    expect(page.locator(".call-panel h2")).to_contain_text("Level all")
    tab_to(page, "input[name=nut]:checked")
    page.keyboard.press("ArrowDown")
    press(page, ".accept button")
    press(page, "text=Mark it done")
    press(page, "text=Start reading")
    ready_to_read(page)
    read_survey(page, {})
    press(page, "text=Read the call")
    expect(page.locator(".call-panel h2")).to_contain_text("The gate passes")
    press(page, "text=Close the job")
    expect(page.locator(".report h2").nth(0)).to_have_text("Before")
    expect(page.locator(".report h2").nth(1)).to_have_text("After")
    expect(page.locator(".report")).to_contain_text("Lifted fret 9")

    with closing(connect(server.database)) as db:
        tern = instruments.find(db, "tern")[0]
        job = jobs.of_instrument(db, tern.id)[0]
        first, *_, last = surveys.of_job(db, job.id)
        assert (job.closed_at is not None, job.nut, job.promised_on) == (True, "out", "2030-09-30")
        assert surveys.values(db, first.id)["bass", 6] == 30
        assert surveys.values(db, first.id)["treble", 2] == 25
        assert last.head.when == "after"
        typed = [r.typed for r in surveys.history(db, first.id) if (r.lane, r.fret) == ("bass", 12)]
        assert typed == ["0.05", "", "0.02"]
        assert jobs.removed_from(db, tern.id)[5] > 0


def test_find_as_you_type_and_the_switch(page: Page, server: Server) -> None:
    page.goto(f"{server.url}/instruments/new?name=Snipe+No.+2")
    page.locator("#f-name").press("Enter")
    expect(page.locator("h1")).to_have_text("Snipe No. 2")
    page.keyboard.type("gi")
    expect(page).to_have_url(re.compile("/instruments$"))
    page.wait_for_load_state()  # the keys are there once the page's scripts have run
    page.keyboard.press("/")
    expect(page.locator("#q")).to_be_focused()
    page.keyboard.type("sni")
    expect(page.locator("tbody tr")).to_have_count(1)
    page.keyboard.type("x")
    expect(page.locator("#rows")).to_contain_text("Nothing begins with “snix”.")
    page.keyboard.press("Backspace")
    expect(page.locator("tbody tr")).to_have_count(1)
    page.locator(".units button", has_text="in").click()
    expect(page.locator("tbody tr")).to_contain_text("25 33/64 in")
    page.keyboard.press("?")
    expect(page.locator("dialog")).to_be_visible()
    page.keyboard.press("Escape")


def test_touch_and_small_screens(page: Page, server: Server) -> None:
    page.goto(f"{server.url}/instruments/new?name=Knot&kind=seven_string")
    page.locator("#f-name").press("Enter")
    page.locator("text=Open the job").click()
    page.locator("text=Start reading").click()
    ready_to_read(page)
    for width, height in ((1280, 800), (800, 1280), (390, 844)):
        page.set_viewport_size({"width": width, "height": height})
        assert page.evaluate("document.documentElement.scrollWidth") <= width
        for selector in (".entry button:visible", ".tab", ".cell", ".steps a"):
            box = page.locator(selector).first.bounding_box()
            assert box is not None
            assert box["height"] >= 40, (selector, box)
    page.locator('.cell[data-lane="treble"][data-fret="3"]').click()
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 3")
    # a tap beside a place on the neck means the nearest
    page.locator('.spot[data-lane="middle"][data-fret="5"]').scroll_into_view_if_needed()
    box = page.locator('.spot[data-lane="middle"][data-fret="5"] .hit').bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + box["width"] / 2 + 6, box["y"] + box["height"] / 2 + 4)
    expect(page.locator('[data-say="lane"]')).to_have_text("middle")
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 5")
    expect(page.locator("#reading")).to_be_focused()


def test_the_cursor_of_named_frets_stays_on_them(demo_path: Path, page: Page, server: Server) -> None:
    with closing(connect(demo_path)) as db:
        job = jobs.open_of(db, [1])[1]
        before = surveys.values(db, next(s for s in surveys.of_job(db, job.id) if s.head.kind == "fret_heights").id)
    for order, named in (("lane_by_lane", (5,)), ("fret_by_fret", (4, 16))):
        page.goto(f"{server.url}/jobs/{job.id}/surveys/new")
        page.fill("#f-only", ", ".join(map(str, named)))
        page.select_option("#f-order", order)
        page.click("text=Start reading")
        ready_to_read(page)
        for i in range(3 * len(named)):
            expect(page.locator('[data-say="read"]')).to_have_text(str(i))
            page.keyboard.type(f"0.3{i}")
            page.keyboard.press("Enter")
            if i == 1:
                expect(page.locator('[data-say="read"]')).to_have_text("2")
                page.reload()
                ready_to_read(page)
        expect(page.locator("#entry-said")).to_have_text("All read.")
        # the keys that move stay on the named frets too, and a correction goes to the place that is shown
        for key in ("ArrowLeft", "ArrowLeft", "Backspace", "b"):
            page.keyboard.press(key)
        page.keyboard.type("0.38")
        page.keyboard.press("Enter")
        expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
        with closing(connect(demo_path)) as db:
            after = surveys.values(db, surveys.of_job(db, job.id)[-1].id)
        changed = {place for place, um in after.items() if um != before[place]}
        assert {fret for _, fret in changed} == set(named)
        assert len(changed) == 3 * len(named)
        assert 380 in after.values()
        before = after


def test_a_loose_fret_at_twelve_is_reseated_and_not_ground(demo_path: Path, page: Page, server: Server) -> None:
    page.goto(f"{server.url}/instruments/9")
    page.locator("select[name=kind]").select_option("level_and_dress")
    page.locator("#promised").fill("2030-09-30")
    page.click("text=Open the job")
    frets = page.locator(".fret-number").count() or 20

    def survey(loose: str) -> None:
        page.click("text=Start reading")
        ready_to_read(page)
        page.click("text=Paste a sheet")
        lines = [f"{fret}\t" + "\t".join([loose if fret == 12 else "0.20"] * 3) for fret in range(1, frets + 1)]
        page.fill("#text", "\n".join(["fret\tbass\tmiddle\ttreble", *lines]))
        page.click("text=Preview")
        page.locator("button[name=store]").click()
        page.click("text=Read the call")

    survey("0.07")
    expect(page.locator(".call-panel h2")).to_have_text("Check the seating of fret 12 before any metal comes off.")
    page.click("text=Reseated: survey")
    page.goto(page.url)
    if not page.locator("#f-when").count():
        page.click("text=Read the heights again")
    survey("0.20")
    expect(page.locator(".call-panel h2")).to_contain_text("Nothing to level")
    with closing(connect(demo_path)) as db:
        assert jobs.removed_from(db, 9) == {}


def test_keys_pressed_before_a_script_runs_are_not_lost(demo_path: Path, page: Page, server: Server) -> None:
    """A slow tablet draws the page first and runs its script a while later."""
    with closing(connect(demo_path)) as db:
        job = jobs.open_of(db, [1])[1]
    held: list[Route] = []
    page.route("**/level.js*", lambda route: held.append(route))
    page.goto(f"{server.url}/jobs/{job.id}/level", wait_until="commit")
    expect(page.locator(".call-panel h2")).to_be_visible()
    for key in ("ArrowRight", "ArrowRight", "x"):
        page.keyboard.press(key)
    for route in held:
        route.continue_()
    expect(page).to_have_url(re.compile("left_out=2"))
