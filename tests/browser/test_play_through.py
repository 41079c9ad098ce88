"""Chromium with a microphone that is a recording: a pass of two strings is played, and nothing is touched."""

from collections.abc import Iterator
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, Playwright, expect

from browsing import ARGS
from deft_bench.bench.setup.listening import Note, notes_to_play
from deft_bench.formats.recording import wav_of
from deft_bench.store import instruments, setups, surveys
from deft_bench.store.database import connect
from harness import Server
from wavs import tone

RATE = 48_000
WHIMBREL = 9


def note(hz: float, seconds: float, seed: int) -> np.ndarray:
    made = tone(hz, rate=RATE, seconds=seconds, lead=0.0, noise=0.0, seed=seed)
    stopped = np.clip(np.arange(len(made))[::-1] / (0.03 * RATE) - 1, 0, 1)
    return np.concatenate([0.6 * made * stopped, np.zeros(RATE // 8)])


@pytest.fixture
def listening_page(play: Playwright, tmp_path: Path) -> Iterator[Page]:
    """A page whose microphone plays `played.wav` of the test's folder once."""
    fake = ["--use-fake-ui-for-media-stream", "--use-fake-device-for-media-stream"]
    sound = f"--use-file-for-fake-audio-capture={tmp_path / 'played.wav'}%noloop"
    chromium = play.chromium.launch(executable_path="/usr/bin/chromium", args=[*ARGS, *fake, sound])
    page = chromium.new_page()
    page.set_default_timeout(60_000)
    yield page
    chromium.close()


def test_a_pass_is_heard_and_kept_with_nothing_touched(
    listening_page: Page, bench_server: Server, tmp_path: Path
) -> None:
    page = listening_page
    with closing(connect(bench_server.database)) as db:
        spec = instruments.get(db, WHIMBREL).spec
        last = surveys.last_head(db, "intonation")
        assert last is not None
        head = replace(last, strings=spec.strings, at_frets=(3, 12))
        survey = surveys.start(db, WHIMBREL, None, spec.frets, head, "2026-08-24T08:00:00.000Z")
        plan = setups.plan_of(db, WHIMBREL, spec)
        notes = [one for one in notes_to_play(surveys.get(db, survey)) if one.string > spec.strings - 2]
    chance = np.random.default_rng(2)
    sound, true = [np.zeros(RATE * 2)], dict[Note, float]()
    for k, one in enumerate(notes):
        off = 0.0 if one.what in ("open", "harmonic") else chance.uniform(-9, 9)
        hz = plan.strings[one.string - 1].pitch_hz(plan.a4_hz) * 2 ** (one.fret / 12 + off / 1200)
        true[one] = off
        sound.append(note(hz, 1.4, k))
        if k == 2:
            sound.append(note(hz * 2 ** (3.5 / 12), 1.4, k))  # a wrong one
    (tmp_path / "played.wav").write_bytes(wav_of(np.concatenate([*sound, np.zeros(RATE)]), RATE))
    page.goto(f"{bench_server.url}/surveys/{survey}/play")
    page.keyboard.press("Enter")
    expect(page.locator('[data-play="left"]')).to_have_text(str((spec.strings - 2) * 4))
    expect(page.locator('[data-play="last"]')).to_contain_text("is heard")
    with closing(connect(bench_server.database)) as db:
        read = surveys.values(db, survey)
    for one, off in true.items():
        if one.what == "fretted":
            assert (read[str(one.string), one.fret] or 0) / 100 == pytest.approx(off, abs=1.0)
    assert len(read) == sum(one.what == "fretted" for one in notes)
