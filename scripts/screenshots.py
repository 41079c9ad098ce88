"""Takes docs/screenshots/ again: every main view at 1280×800 from the demo data, on a fixed day.

With arguments, takes other shots instead: a folder, a width, a height, then paths; nothing of that is committed.
"""

import sys
import tempfile
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path

from playwright.sync_api import sync_playwright

from deft_bench.bench.practice.by_program import play_on
from deft_bench.bench.practice.handing_in import hand_in
from deft_bench.bench.practice.whole import begin_whole
from deft_bench.bench.scheduling import plan_first
from deft_bench.demo import make_demo
from deft_bench.store import shop
from deft_bench.store.database import Connection, open_database
from deft_bench.web import create_app
from deft_bench.web.devices.stand_ins import start as start_stand_ins
from deft_bench.web.serving import in_background

DAY = datetime(2026, 8, 24, 9, 30, tzinfo=UTC)
CHROMIUM = ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update"]
VIEWS = {
    "today": "/",
    "instruments": "/instruments",
    "instrument": "/instruments/2",
    "survey": "/surveys/{partial}",
    "run-sheet": "/jobs/{redshank}/sheet",
    "schedule": "/schedule",
    "stock": "/stock",
    "estimate": "/jobs/{heron}/estimate?with=refret",
    "neck": "/instruments/2/neck?aim=playing",
    "level": "/jobs/{heron}/level",
    "board": "/instruments/14/board",
    "refret": "/jobs/{redshank}/refret",
    "setup": "/instruments/1/setup",
    "intonation": "/instruments/8/setup/intonation",
    "record": "/jobs/{levelled}/record",
    "play": "/surveys/{sounded}/play",
    "practice": "/practice/necks/1",
    "debrief": "/practice/necks/3?moment=12",
    "devices": "/devices/1",
}


def main() -> None:
    """Serve the demo on a free port and photograph it."""
    asked = sys.argv[1:]
    out = Path(asked[0]) if asked else Path(__file__).parent.parent / "docs" / "screenshots"
    size = (int(asked[1]), int(asked[2])) if asked else (1280, 800)
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "demo.sqlite3"
        make_demo(database, DAY.date())
        with closing(open_database(database)) as db:
            plan_first(db, shop.settings(db), DAY)
            hand_in_a_whole_job(db)
        app = create_app(database, now=lambda: DAY)
        known = ids(database)
        views = {path.strip("/").replace("/", "-") or "today": path for path in asked[3:]} if asked[3:] else VIEWS
        with in_background(app) as server, sync_playwright() as play:
            browser = play.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            page = browser.new_page(viewport={"width": size[0], "height": size[1]})
            page.on("console", lambda message: print("console:", message.text))
            page.on("pageerror", lambda error: print("page error:", error))
            for name, path in views.items():
                if path.startswith("/devices"):
                    start_stand_ins(app)  # last: a gauge enters what it reads wherever it is shown
                answer = page.goto(f"http://127.0.0.1:{server.port}{path.format(**known)}")
                page.wait_for_timeout(500)  # a page that follows the server is never idle
                if page.locator('[hx-trigger="load"]').count():
                    page.wait_for_timeout(2000)  # a call is asked for by the page itself
                page.evaluate("document.fonts.ready")
                wide = page.evaluate("document.documentElement.scrollWidth - innerWidth")
                tall = page.evaluate("document.documentElement.scrollHeight")
                clean = "".join(c if c.isalnum() else "-" for c in name)[:40]
                page.screenshot(path=out / f"{clean}.png")
                print(name, answer.status if answer else "", f"{tall} high", f"{wide} too wide" if wide > 0 else "")
            browser.close()


def hand_in_a_whole_job(db: Connection) -> None:
    """Do a whole job as the program would, for its debrief."""
    settings, begins = shop.settings(db), DAY - timedelta(days=1)
    neck = begin_whole(db, begins, "Emre", 3, 62)
    play_on(db, settings, neck, begins)
    hand_in(db, settings, DAY, neck)


def ids(database: Path) -> dict[str, int]:
    """The demo's rows that the views name."""
    from contextlib import closing

    from deft_bench.store import jobs, practice, surveys
    from deft_bench.store.database import connect

    with closing(connect(database)) as db:
        open_jobs = jobs.in_bench_order(db)
        by_instrument = {job.instrument_id: job.id for job in open_jobs}
        seven = surveys.of_instrument(db, 10, "fret_heights", 1)[0]
        levelled = next(job.id for job in jobs.of_instrument(db, 1) if jobs.plans(db, job.id))
        return {
            "heron": by_instrument[1],
            "plover": by_instrument[2],
            "dunlin": by_instrument[3],
            "godwit": by_instrument[7],
            "curlew": by_instrument[4],
            "avocet": by_instrument[5],
            "redshank": by_instrument[12],
            "partial": seven.id,
            "levelled": levelled,
            "half_way": practice.unanswered(db, "")[0].id,
            "sounded": surveys.of_instrument(db, 8, "intonation", 1)[0].id,
        }


if __name__ == "__main__":
    main()
