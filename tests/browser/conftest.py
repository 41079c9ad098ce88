"""Debian's Chromium, once for all browser tests; each test gets a page of its own."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Page, Playwright, expect, sync_playwright

from browsing import ARGS
from harness import Server

# what is waited for comes at once on a free machine; a busy one is no fault of the program
expect.set_options(timeout=30_000)


@pytest.fixture(scope="session")
def play() -> Iterator[Playwright]:
    with sync_playwright() as started:
        yield started


@pytest.fixture(scope="session")
def browser(play: Playwright) -> Iterator[Browser]:
    chromium = play.chromium.launch(executable_path="/usr/bin/chromium", args=ARGS)
    yield chromium
    chromium.close()


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    made = context.new_page()
    made.set_default_timeout(30_000)
    wrong: list[str] = []
    made.on("pageerror", lambda error: wrong.append(str(error)))
    made.on(
        "console", lambda message: wrong.append(message.text) if "Content Security Policy" in message.text else None
    )
    asked: list[str] = []
    made.on("request", lambda request: asked.append(request.url))
    yield made
    context.close()
    assert wrong == []
    assert all(url.startswith("http://127.0.0.1:") for url in asked)


@pytest.fixture
def bench_server(demo_made: Path, tmp_path: Path) -> Iterator[Server]:
    database = tmp_path / "bench.sqlite3"
    shutil.copy(demo_made, database)
    running = Server(database)
    running.start()
    yield running
    running.kill()
