"""The setup in a real browser: sliders and map, the whole job on three kinds of bridge, and notes through a
microphone.
"""

import re
from collections.abc import Sequence
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, Playwright, expect

from browsing import ARGS, ready_to_read
from deft_bench.core.board.positions import fret_position
from deft_bench.core.described import to_fields
from deft_bench.core.strings.assembled import target_of, target_record
from deft_bench.core.strings.notes import note_hz
from deft_bench.store import instruments, jobs, setups, surveys
from deft_bench.store.database import connect
from harness import Server
from wavs import wav

TURNSTONE, KNOT, PHALAROPE = 6, 8, 11


def type_all(page: Page, readings: Sequence[str]) -> None:
    """Type readings where the cursor walks, and wait until every one is saved."""
    for reading in readings:
        page.keyboard.type(reading)
        page.keyboard.press("Enter")
    expect(page.locator('[data-say="read"]')).to_have_text(str(len(readings)))
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved")


def start(page: Page, url: str, job: int, kind: str, **boxes: str) -> None:
    page.goto(f"{url}/jobs/{job}/surveys/new?kind={kind}")
    for name, value in boxes.items():
        if name == "surface":
            page.select_option("#f-surface", value)
        else:
            page.fill(f"#f-{name}", value)
    page.click("text=Start reading")
    page.wait_for_url(re.compile(r"/surveys/\d+"))
    ready_to_read(page)


@pytest.mark.parametrize("instrument", [KNOT, PHALAROPE, TURNSTONE])
def test_the_setup_job_runs_to_its_report(demo_path: Path, page: Page, server: Server, instrument: int) -> None:
    page.goto(f"{server.url}/instruments/{instrument}/setup")
    page.click("text=Accept the solved setup")
    expect(page.locator(".said")).to_contain_text("Relief first")
    with closing(connect(server.database)) as db:
        spec = instruments.get(db, instrument).spec
        job = jobs.open_of(db, [instrument])[instrument].id
        target = setups.TARGETS.of_job(db, job)[-1].outcome
    wanted = target["relief_um"] / 1000
    scale = spec.mean_scale_mm
    x = [fret_position(scale, n) for n in range(1, spec.frets + 1)]
    gaps = [4 * wanted * (at - x[0]) * (x[-1] - at) / (x[-1] - x[0]) ** 2 for at in x]
    start(page, server.url, job, "straightness", surface="fret_tops")
    type_all(page, [f"{gap:.2f}" for gap in reversed(gaps)])
    page.click("text=To the setup")
    numbers = range(spec.strings, 0, -1)
    start(page, server.url, job, "strings")
    expect(page.locator('[data-say="edge"]')).to_have_text("at rest, from the top of the fret")
    actions = [f"{target['action_um'][str(n)] / 1000:.2f}" for n in numbers]
    type_all(page, [*actions, *(f"{sum(target['gap_um'][str(n)]) / 2000:.2f}" for n in numbers)])
    page.goto(f"{server.url}/instruments/{instrument}/setup/saddle")
    expect(page.locator(".call-panel h2")).to_have_text("Leave the saddles: every string is as wanted.")
    start(page, server.url, job, "intonation", at_frets="12")
    type_all(page, ["0.5"] * spec.strings)
    start(page, server.url, job, "buzz")
    notes = spec.strings * spec.frets
    page.keyboard.press("z")  # a slip, put right
    page.keyboard.press("Backspace")
    for _ in range(notes):
        page.keyboard.press("c")
    expect(page.locator('[data-say="read"]')).to_have_text(str(notes))
    expect(page.locator('[data-say="saved"]')).to_have_text("all saved")
    page.goto(f"{server.url}/jobs/{job}/record")
    expect(page.locator("main")).to_contain_text(f"{notes} notes played, none buzzes")
    expect(page.locator(".steps .now")).to_have_text("8 Report")
    page.click("text=Close the job")
    expect(page.locator(".said")).to_contain_text("closed")


def test_the_picture_follows_slider_box_map_and_keys(demo_path: Path, page: Page, server: Server) -> None:
    page.goto(f"{server.url}/instruments/1/setup")
    side = page.locator("#side")
    expect(side).to_contain_text("2 B fretted at 9")
    touching = page.locator(".map-cell.touches")
    before = touching.count()
    assert before > 5
    page.locator('[data-lane="treble"]').fill("3000")
    expect(page.locator("#f-action_1")).to_have_value("3.00")
    expect(page.locator("#unsaved")).to_contain_text("Tried")
    # the strings between are carried along, the bass string stays
    expect(page.locator("#f-action_6")).to_have_value("1.90")
    between = float(page.locator("#f-action_3").input_value())
    assert 1.9 < between < 3.0
    page.locator('[data-lane="bass"]').fill("3000")
    expect(touching).to_have_count(0)
    page.locator('[data-for="f-hand"]').fill("200")
    expect(touching).not_to_have_count(0)
    page.locator('.map-cell[data-string="4"][data-fret="3"]').click()
    expect(side).to_contain_text("4 D fretted at 3")
    page.keyboard.press("ArrowRight")
    expect(side).to_contain_text("4 D fretted at 4")
    page.keyboard.press("]")
    expect(side).to_contain_text("3 G fretted at 4")
    expect(page.locator("#map-words")).to_contain_text("3 G fretted at 4")
    page.locator('.fret-at[data-fret="7"] .hit').click()
    expect(side).to_contain_text("3 G fretted at 7")
    page.fill("#f-relief", "lots")
    expect(page.locator("#e-relief")).to_contain_text("is not a length")
    expect(page.locator("#f-relief")).to_have_value("lots")
    page.click("text=As read")
    expect(page.locator("#f-action_1")).to_have_value("1.6")
    expect(page.locator("#e-relief")).to_have_text("")
    expect(touching).to_have_count(before)
    for width, height in ((800, 1280), (390, 844)):
        page.set_viewport_size({"width": width, "height": height})
        assert page.evaluate("document.documentElement.scrollWidth") <= width


def test_a_slider_answers_on_every_demo_instrument(demo_path: Path, page: Page, server: Server) -> None:
    failed: list[str] = []
    page.on("response", lambda answer: failed.append(answer.url) if answer.status >= 500 else None)
    with closing(connect(demo_path)) as db:
        # an accepted setup shows its figures as well
        for job in jobs.in_bench_order(db):
            if job.kind == "setup":
                plan = setups.plan_of(db, job.instrument_id, instruments.get(db, job.instrument_id).spec)
                target = target_of(plan, 0.15, dict.fromkeys(range(1, len(plan.strings) + 1), 2.0))
                setups.accept(db, job.id, job.opened_at, {"plan": to_fields(plan)}, target_record(target))
        every = [one for one in instruments.page(db, limit=50) if one.spec.frets >= 12]
    assert len(every) >= 12
    for one in every:
        page.goto(f"{server.url}/instruments/{one.id}/setup")
        expect(page.locator("#unsaved")).not_to_contain_text("Tried")
        page.locator('[data-lane="treble"]').fill("3000")
        expect(page.locator("#unsaved")).to_contain_text("Tried")
        expect(page.locator("#f-action_1")).to_have_value("3.00")
    assert failed == []


def steady(hz: float, rate: int = 48_000, seconds: float = 20.0) -> bytes:
    """A note that does not die away, so that it does not matter where the recording falls in the loop."""
    t = np.arange(int(seconds * rate)) / rate
    partials = ((1, 0.4), (2, 0.25), (3, 0.15), (4, 0.08), (5, 0.05))
    stiff = 8e-5
    base = hz / np.sqrt(1 + stiff)
    return wav(sum(a * np.sin(2 * np.pi * n * base * np.sqrt(1 + stiff * n * n) * t) for n, a in partials), rate)


def test_notes_through_a_microphone_are_stored_within_a_cent(
    demo_path: Path, play: Playwright, server: Server, tmp_path: Path
) -> None:
    with closing(connect(server.database)) as db:
        survey = surveys.of_instrument(db, KNOT, "intonation", 1)[0].id
    open_hz = note_hz("G2") * 2 ** (2.0 / 1200)
    sharp = 6.3
    for step, hz in (
        ("1-open-0", open_hz),
        ("1-fretted-12", 2 * open_hz * 2 ** (sharp / 1200)),
        ("2-open-0", note_hz("D2") * 2 ** (5 / 12)),
    ):
        sound = tmp_path / f"{step}.wav"
        sound.write_bytes(steady(hz))
        fake = [
            "--use-fake-ui-for-media-stream",
            "--use-fake-device-for-media-stream",
            f"--use-file-for-fake-audio-capture={sound}",
        ]
        chromium = play.chromium.launch(executable_path="/usr/bin/chromium", args=[*ARGS, *fake])
        context = chromium.new_context(permissions=["microphone"])
        page = context.new_page()
        page.set_default_timeout(60_000)
        page.goto(f"{server.url}/surveys/{survey}/listen?step={step}")
        page.click("#record")
        if step == "2-open-0":
            expect(page.locator("#listen-said")).to_contain_text(
                "Not the expected note: D2 was asked for, and G2", timeout=60_000
            )
        else:
            page.wait_for_url(re.compile(r"/listen$"), timeout=60_000)
        chromium.close()
    with closing(connect(server.database)) as db:
        heard = {(one.string, one.what): one.hz for one in surveys.sounded(db, survey)}
        stored = surveys.values(db, survey)["1", 12]
    assert abs(1200 * np.log2(heard[1, "open"] / open_hz)) < 1
    assert stored is not None
    assert abs(stored / 100 - sharp) < 1
