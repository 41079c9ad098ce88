"""How the browser is started, and its pages walked by key."""

import re

from playwright.sync_api import Page, expect

ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--no-first-run",
]


def tab_to(page: Page, selector: str) -> None:
    """Press Tab until the element has the focus."""
    target = page.locator(selector).first
    expect(target).to_be_visible()
    for _ in range(120):
        if target.evaluate("element => element === document.activeElement"):
            return
        page.keyboard.press("Tab")
    raise AssertionError(f"{selector} cannot be reached with Tab")


def ready_to_read(page: Page) -> None:
    """Wait until the page of a survey has its keys; the box takes the focus before that."""
    expect(page.locator('[data-do="undo"]')).to_be_visible()
    expect(page.locator("#reading")).to_be_focused()


def press(page: Page, selector: str) -> None:
    """Go to a link or button with Tab and press Enter."""
    tab_to(page, selector)
    page.keyboard.press("Enter")


def open_a_job(page: Page, url: str, name: str, frets: int) -> int:
    """Enter an instrument and open the job that is offered for it; the job's id."""
    page.goto(f"{url}/instruments/new")
    page.fill("#f-name", name)
    page.fill("#f-frets", str(frets))
    page.locator(".form-end button").click()
    page.locator("text=Open the job").click()
    return int(re.findall(r"/jobs/(\d+)/", page.url)[0])
