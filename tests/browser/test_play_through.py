"""Chromium with a microphone that is a recording: a pass of two strings is played, and nothing is touched."""

import os
import re
from collections.abc import Iterator
from contextlib import closing
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, Playwright, expect

from browsing import ARGS
from deft_bench.bench.setup.listening import Note, notes_to_play
from deft_bench.bench.stand_ins import STAND_INS
from deft_bench.core.strings.ear.room import ROOM_RATE
from deft_bench.core.strings.notes import cents_between
from deft_bench.core.survey_kinds import BUZZES_UM
from deft_bench.devices.stand_in_strings import StandInStrings, a_pass
from deft_bench.formats.recording import wav_of
from deft_bench.store import devices, instruments, jobs, setups, surveys
from deft_bench.store.database import connect
from deft_bench.store.devices import DeviceSetup
from harness import Server
from wavs import tone

RATE = 48_000
WHIMBREL, HERON = 9, 1
KEEPS_WHAT_IS_TOLD = """window.told = []; const asked = window.fetch; window.fetch = async (...of) => {
  const answer = await asked(...of);
  answer.clone().json().then((held) => (held.told ?? []).forEach((one) => window.told.push(one.words)), () => {});
  return answer;
};"""


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
    page.add_init_script(KEEPS_WHAT_IS_TOLD)
    yield page
    chromium.close()


def skip_where_sound_was_dropped(page: Page) -> None:
    """A tape cannot play a note again that a busy machine has lost: the program has told of it."""
    if broken := sum("broke off" in one for one in page.evaluate("window.told")):
        pytest.skip(f"this machine dropped sound in {broken} notes, which a tape cannot repeat: leave it alone")


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
    # a tape plays nothing again: where the machine lost a piece of it, it is played from its beginning once more
    for tries in range(3):
        page.goto(f"{bench_server.url}/surveys/{survey}/play")
        page.keyboard.press("Enter")
        try:
            expect(page.locator('[data-play="left"]')).to_have_text(str((spec.strings - 2) * 4), timeout=50_000)
            break
        except AssertionError:
            if tries == 2:
                skip_where_sound_was_dropped(page)
                raise
            with closing(connect(bench_server.database)) as db:
                survey = surveys.start(db, WHIMBREL, None, spec.frets, head, "2026-08-24T08:00:00.000Z")
    expect(page.locator('[data-play="last"]')).to_contain_text("is heard")
    with closing(connect(bench_server.database)) as db:
        read = surveys.values(db, survey)
    for one, off in true.items():
        if one.what == "fretted":
            assert (read[str(one.string), one.fret] or 0) / 100 == pytest.approx(off, abs=1.0)
    assert len(read) == sum(one.what == "fretted" for one in notes)


def test_the_microphone_says_how_it_hears(listening_page: Page, bench_server: Server, tmp_path: Path) -> None:
    quiet = np.random.default_rng(0).normal(0, 1e-3, RATE * 2)
    (tmp_path / "played.wav").write_bytes(wav_of(np.concatenate([quiet, note(196, 1.5, 0), quiet]), RATE))
    listening_page.goto(f"{bench_server.url}/devices")
    listening_page.click("text=Test it")
    expect(listening_page.locator("[data-microphone] [data-says]")).to_contain_text("A note can be told from the room")


def test_every_note_of_six_strings_by_strings_that_stand_in_and_what_buzzes(page: Page, bench_server: Server) -> None:
    with closing(connect(bench_server.database)) as db:
        gauge = DeviceSetup(STAND_INS[0], "nothing", "typed", "", ".*", "mm", "", 10, 300)
        devices.put(db, gauge, "2026-08-24T08:00:00.000Z")
        spec, plan = instruments.get(db, HERON).spec, setups.plan_of(db, HERON, instruments.get(db, HERON).spec)
        last = surveys.last_head(db, "intonation")
        assert last is not None
        head = replace(last, strings=spec.strings, at_frets=tuple(range(1, spec.frets + 1)))
        job = jobs.open_of(db, [HERON])[HERON]
        survey = surveys.start(db, HERON, job.id, spec.frets, head, "2099-08-24T08:00:00.000Z")
    makes = plan.strings
    strings = StandInStrings(makes, spec.mean_scale_mm, spec.frets, name=spec.name, a4_hz=plan.a4_hz)
    page.goto(f"{bench_server.url}/surveys/{survey}/play")
    page.click('[data-do="stand-in"]')
    expect(page.locator('[data-play="left"]')).to_have_text("0", timeout=400_000)
    with closing(connect(bench_server.database)) as db:
        read, heard = surveys.values(db, survey), surveys.sounded(db, survey)
    assert len(heard) == spec.strings * (spec.frets + 2)  # the two wrong ones are not among them
    for (string, fret), value in read.items():
        true = cents_between(strings.hz(int(string), fret), strings.hz(int(string), 0) * 2 ** (fret / 12))
        assert (value or 0) / 100 == pytest.approx(true, abs=1.0), (string, fret)
    page.goto(f"{bench_server.url}/instruments/{HERON}/setup/buzz")
    number, fret = strings.proud
    expect(page.locator(".ear-list li.now .ear-note")).to_have_text(re.compile(rf"String {number} .* at {fret - 1}"))
    many = page.locator(".ear-list li").count()
    assert many <= 5
    page.keyboard.press("z")
    expect(page.locator(".ear summary")).to_have_text("1 confirmed")
    expect(page.locator(".ear-list li.now")).to_have_count(1 if many > 1 else 0)
    with closing(connect(bench_server.database)) as db:
        buzz = surveys.of_instrument(db, HERON, "buzz", 1)[0]
        assert surveys.values(db, buzz.id)[str(number), fret - 1] == BUZZES_UM


@pytest.mark.skipif(
    "REAL_TIME" not in os.environ, reason="sound in real time wants a machine that does nothing else: make listen"
)
@pytest.mark.parametrize(("order", "strings"), [("in_order", (6, 5, 4, 3, 2, 1)), ("any_order", (6, 5, 4, 3, 2, 1))])
def test_every_note_of_six_strings_by_the_microphone(
    listening_page: Page, bench_server: Server, tmp_path: Path, order: str, strings: tuple[int, ...]
) -> None:
    page = listening_page
    with closing(connect(bench_server.database)) as db:
        spec, plan = instruments.get(db, HERON).spec, setups.plan_of(db, HERON, instruments.get(db, HERON).spec)
        last = surveys.last_head(db, "intonation")
        assert last is not None
        head = replace(last, strings=spec.strings, at_frets=tuple(range(1, spec.frets + 1)))
        job = jobs.open_of(db, [HERON])[HERON]
        survey = surveys.start(db, HERON, job.id, spec.frets, head, "2099-08-24T08:00:00.000Z")
    made = StandInStrings(plan.strings, spec.mean_scale_mm, spec.frets, name=spec.name, a4_hz=plan.a4_hz)
    sound = a_pass(made, head.at_frets, wrong=2, seconds=0.8, played=strings)
    (tmp_path / "played.wav").write_bytes(wav_of(np.concatenate([np.zeros(2 * ROOM_RATE), sound]), ROOM_RATE))
    page.goto(f"{bench_server.url}/surveys/{survey}/play")
    page.select_option("#f-order", order)
    page.locator("main").press("Enter")
    ends = page.locator('[data-play="last"] li').first
    expect(ends).to_contain_text(re.compile(rf"string {strings[-1]}\b.* fretted at {spec.frets}:"), timeout=400_000)
    with closing(connect(bench_server.database)) as db:
        read, heard = surveys.values(db, survey), surveys.sounded(db, survey)
    places = {(one.string, one.what, one.fret) for one in heard}
    skip_where_sound_was_dropped(page)
    for (string, fret), value in read.items():
        if int(string) not in strings:
            continue
        true = cents_between(made.hz(int(string), fret), made.hz(int(string), 0) * 2 ** (fret / 12))
        assert (value or 0) / 100 == pytest.approx(true, abs=1.0), (string, fret)
    assert sum(string in strings for string, _, _ in places) == len(strings) * (spec.frets + 2)
    # in turn a wrong note is not kept; in any order it is another place's, until that is played
    assert len(heard) - len(strings) * (spec.frets + 2) == (2 if order == "any_order" else 0)
