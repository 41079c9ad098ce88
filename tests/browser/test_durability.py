"""The server is killed in the middle of a survey: what the page showed as accepted is there, what was typed is not
lost.
"""

from contextlib import closing

from playwright.sync_api import Browser, Page, Route, expect

from browsing import ready_to_read
from deft_bench.store import surveys
from deft_bench.store.database import connect, verify
from harness import Server


def start_survey(page: Page, server: Server) -> None:
    page.goto(f"{server.url}/instruments/new?name=Tern")
    page.locator("#f-name").press("Enter")
    page.locator("text=Open the job").click()
    page.locator("text=Start reading").click()
    ready_to_read(page)


def shown(page: Page) -> dict[tuple[str, int], int]:
    """Every reading that the page shows as accepted, in micrometres."""
    cells = page.eval_on_selector_all(
        ".cell.read:not(.pending)",
        "cells => cells.map(c => [c.dataset.lane, Number(c.dataset.fret), c.textContent.trim()])",
    )
    return {(lane, fret): round(float(text) * 1000) for lane, fret, text in cells}


def stored(server: Server) -> dict[tuple[str, int], int | None]:
    with closing(connect(server.database)) as db:
        return dict(surveys.values(db, 1))


def test_kill_9_in_the_middle_of_a_survey(page: Page, server: Server) -> None:
    start_survey(page, server)
    for n in range(12):
        page.keyboard.type(f"0.{n + 10}")
        page.keyboard.press("Enter")
    expect(page.locator(".cell.read:not(.pending)").nth(5)).to_be_visible()
    server.kill()
    accepted = shown(page)
    assert len(accepted) >= 6
    there = stored(server)
    assert accepted.items() <= there.items()
    # the page keeps what it could not send, says so, and sends it by itself when the server is back
    page.keyboard.type("0.33")
    page.keyboard.press("Enter")
    expect(page.locator("#entry-said")).to_contain_text("kept here and sent again by itself")
    server.start()
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved", timeout=15_000)
    assert 330 in stored(server).values()
    assert len(stored(server)) == 13
    assert shown(page) == stored(server)
    page.reload()
    assert shown(page) == stored(server)
    verify(server.database)


def test_a_double_key_makes_one_reading_and_nothing_is_lost_at_speed(page: Page, server: Server) -> None:
    start_survey(page, server)
    sent: list[str] = []
    page.on("request", lambda request: sent.append(request.post_data or "") if request.method == "POST" else None)
    page.keyboard.type("0.04")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(page.locator('[data-say="read"]')).to_have_text("1")
    # the same request again, as a retry after a lost answer would send it
    status = page.evaluate(
        "([url, body]) => fetch(url, {method: 'POST', body: new URLSearchParams(body), headers: {Accept:"
        " 'application/json'}}).then(a => a.status)",
        [f"{server.url}/surveys/1/readings", sent[0]],
    )
    assert status == 200
    with closing(connect(server.database)) as db:
        assert len(surveys.history(db, 1)) == 1


def test_what_is_typed_before_the_page_has_its_keys_counts(page: Page, server: Server) -> None:
    start_survey(page, server)
    waiting: list[Route] = []
    page.route("**/survey.js*", lambda route: waiting.append(route))
    page.reload(wait_until="commit")
    expect(page.locator("#reading")).to_be_focused()
    page.keyboard.type("0.3")
    waiting[0].continue_()
    ready_to_read(page)
    page.keyboard.type("1")
    page.keyboard.press("Enter")
    expect(page.locator('[data-say="read"]')).to_have_text("1")
    expect(page.locator(".cell.read")).to_have_text("0.31")


def test_a_place_tapped_before_the_page_has_its_keys_is_where_the_reading_goes(page: Page, server: Server) -> None:
    start_survey(page, server)
    waiting: list[Route] = []
    page.route("**/survey.js*", lambda route: waiting.append(route))
    page.reload(wait_until="commit")
    expect(page.locator("#reading")).to_be_focused()
    page.locator('.cell[data-lane="treble"][data-fret="9"]').click(no_wait_after=True)
    page.keyboard.type("0.27")
    page.keyboard.press("Enter")
    waiting[0].continue_()
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
    expect(page.locator(".cell.read")).to_have_text("0.27")
    assert stored(server) == {("treble", 9): 270}


def test_a_questioned_reading_comes_back_and_is_kept_by_enter(page: Page, server: Server) -> None:
    start_survey(page, server)
    for typed, read in (("0.13", "1"), ("1.40", "1")):
        page.keyboard.type(typed)
        page.keyboard.press("Enter")
        expect(page.locator('[data-say="read"]')).to_have_text(read)
    expect(page.locator("#entry-said")).to_contain_text("1.40 mm beside 0.13 mm at fret 22. Enter again keeps it")
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 21")
    expect(page.locator("#reading")).to_have_value("1.40")
    page.keyboard.press("Enter")
    expect(page.locator('[data-say="read"]')).to_have_text("2")
    assert stored(server)["bass", 21] == 1400
    # a correction that is questioned leaves what stands there until it is entered again
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(page.locator('[data-say="fret"]')).to_have_text("Fret 22")
    page.keyboard.type("1.90")
    page.keyboard.press("Enter")
    expect(page.locator("#entry-said")).to_contain_text("1.90 mm beside")
    expect(page.locator('.cell.read[data-lane="bass"][data-fret="22"]')).to_have_text("0.13")
    page.keyboard.press("Enter")
    expect(page.locator(".cell.corrected")).to_have_text("1.90")
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
    assert stored(server)["bass", 22] == 1900


def test_two_windows_on_one_survey(page: Page, server: Server, browser: Browser) -> None:
    start_survey(page, server)
    other = browser.new_page()
    other.goto(page.url)
    other.context.set_offline(True)  # what it reads waits, and the first window reads the same place meanwhile
    other.keyboard.type("0.09")
    other.keyboard.press("Enter")
    expect(other.locator('[data-say="saved"]')).to_contain_text("not saved")
    page.keyboard.type("0.04")
    page.keyboard.press("Enter")
    expect(page.locator('[data-say="read"]')).to_have_text("1")
    other.context.set_offline(False)
    expect(other.locator("#entry-said")).to_contain_text("read as 0.04 mm in another window")
    assert set(stored(server).values()) == {40}
    expect(other.locator("#reading")).to_have_value("0.09")
    other.keyboard.press("Enter")
    expect(other.locator('[data-say="saved"]')).to_have_text("all saved")
    expect(other.locator(".cell.corrected")).to_have_count(1)
    assert set(stored(server).values()) == {90}
    with closing(connect(server.database)) as db:
        assert [r.value_um for r in surveys.history(db, 1)] == [40, 90]
    other.close()
