"""Pitch from recordings: the right cents from any file, and every refusal with its reason."""

from contextlib import suppress
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.core.strings.ear.room import ROOM_RATE
from deft_bench.core.strings.notes import cents_between, note_hz
from deft_bench.core.strings.pitch import BrokenSoundError, PitchError, pitch
from deft_bench.core.strings.string_set import SETS, TUNINGS, made_of, notes_of
from deft_bench.devices.stand_in_strings import StandInStrings
from deft_bench.formats.calc import RequestError, calculate
from deft_bench.formats.recording import RecordingError, read_recording, wav_of
from wavs import tone, wav


@settings(max_examples=25)
@given(st.floats(30, 1000), st.floats(-5.5, -3.4), st.integers(0, 10**6))
def test_a_steady_note_is_right_within_half_a_cent(hz: float, stiffness: float, seed: int) -> None:
    rate = (8_000, 16_000, 44_100, 48_000)[seed % 4] if hz < 800 else 48_000
    found = pitch(tone(hz, stiff=10**stiffness, rate=rate, seed=seed, noise=10 ** (-5 + seed % 3)), rate)
    assert abs(cents_between(found.hz, hz)) < 0.5
    assert 0.5 < found.confidence <= 1


def test_a_weak_first_partial_and_an_octave_are_no_trouble() -> None:
    bass = tone(30.87, amps=(0.004, 0.3, 1, 0.5, 0.3, 0.2, 0.1, 0.1))
    assert pitch(bass, 44_100).note == "B0"
    hollow = tone(82.41, amps=(1, 0, 0.5, 0, 0.3, 0, 0.2))
    assert pitch(hollow, 44_100).note == "E2"
    course = tone(110) + tone(220, seed=4)
    assert pitch(course / 2, 44_100, "A2").note == "A2"
    twelfth = tone(110) + tone(330, seed=5)
    assert pitch(twelfth / 2, 44_100, "A2").note == "A2"
    assert pitch(tone(110), 44_100, "A2").inharmonicity == pytest.approx(1e-4, rel=0.05)
    assert pitch(tone(196.0), 44_100, a4_hz=432).cents == pytest.approx(
        cents_between(196.0, note_hz("G3", 432)), abs=0.3
    )


@pytest.mark.parametrize(
    ("other", "what"),
    [
        (2 ** (4 / 12), "major third"),
        (2 ** (7 / 12), "fifth"),
        (2 ** (5 / 12), "fourth"),
        (2 ** (1 / 12), "semitone"),
        (2 ** (9 / 12), "sixth"),
        (2 ** (15 / 12), "tenth"),
    ],
)
def test_two_notes_at_once_are_refused(other: float, what: str) -> None:
    both = (tone(146.8) + tone(146.8 * other, seed=9)) / 2
    with pytest.raises(PitchError, match="two notes at once"):
        pitch(both, 44_100)


def test_what_is_no_note_is_refused_with_the_reason() -> None:
    chance = np.random.default_rng(1)
    for samples, words in (
        (np.zeros(90_000), "silence"),
        (1e-4 * tone(110), "silence"),
        (chance.normal(0, 0.1, 90_000), "noise"),
        (np.clip(tone(110) * 6, -1, 1), "clipping"),
        (tone(110, seconds=0.1, lead=0), "too short"),
        (np.concatenate([np.zeros(80_000), tone(110, seconds=0.15, lead=0)]), "too short"),
    ):
        with pytest.raises(PitchError, match=words):
            pitch(samples, 44_100)
    with pytest.raises(PitchError, match=r"E2 was asked for, and A2 .* is heard"):
        pitch(tone(110), 44_100, "E2")
    assert pitch(tone(110), 44_100, "Bb2").note == "A2"  # a semitone off is a string to be tuned
    with pytest.raises(PitchError, match="sampling rate"):
        pitch(tone(110, rate=4000), 4000)


@settings(max_examples=25)
@given(st.floats(60, 700), st.floats(0, 15), st.floats(4, 7), st.integers(0, 10**6))
def test_a_vibrato_gives_its_centre_with_a_wider_spread(hz: float, cents: float, turn_hz: float, seed: int) -> None:
    found = pitch(tone(hz, vibrato=(cents, turn_hz), seed=seed), 44_100, hz)
    assert abs(cents_between(found.hz, hz)) < 0.7
    assert found.sd_cents >= 0.3
    if cents > 4:
        assert found.vibrato_cents == pytest.approx(cents, rel=0.15)
        assert found.sd_cents > 0.6


@settings(max_examples=30)
@given(st.floats(80, 700), st.floats(0.25, 0.8), st.floats(0.002, 0.05), st.integers(0, 10**6))
def test_sound_that_broke_off_is_refused_or_harmless(hz: float, at_s: float, gone_s: float, seed: int) -> None:
    whole = tone(hz, rate=44_100, seconds=0.9, noise=1e-4, seed=seed)
    assert abs(cents_between(pitch(whole, 44_100, hz).hz, hz)) < 0.5
    at = round(at_s * 44_100)
    broken = np.delete(whole, slice(at, at + round(gone_s * 44_100)))
    with suppress(PitchError):
        assert abs(cents_between(pitch(broken, 44_100, hz).hz, hz)) < 3


def test_half_a_turn_that_is_gone_is_always_said() -> None:
    for hz in (82.4, 110.0, 196.0, 329.6):
        whole = tone(hz, rate=44_100, seconds=1.0, noise=1e-4)
        for at in range(20_000, 34_000, 3_000):
            with pytest.raises(PitchError):
                pitch(np.delete(whole, slice(at, at + round(1.5 / hz * 44_100))), 44_100, hz)


def test_sound_that_broke_off_is_said() -> None:
    whole = tone(110, rate=44_100, seconds=1.0, noise=1e-4)
    broken = np.delete(whole, slice(30_000, 30_200))
    with pytest.raises(BrokenSoundError, match=r"broke off 0\.5 s after the pluck.*play it again"):
        pitch(broken, 44_100, "A2")


def test_a_short_note_is_measured_and_a_wrong_first_pluck_is_passed_over() -> None:
    for hz in (41.2, 110.0, 329.6):
        for t60 in (0.8, 1.2):
            assert abs(cents_between(pitch(tone(hz, t60=t60, noise=1e-4), 44_100, hz).hz, hz)) < 1.0
    slip = tone(110.0, seconds=1.2, t60=0.9, lead=0.3)
    both = np.concatenate([slip, tone(146.8, seed=3, lead=0.4)])
    assert pitch(both, 44_100, "D3").note == "D3"
    assert pitch(np.concatenate([tone(146.8, seconds=1.5, t60=0.9), slip]), 44_100, "D3").note == "D3"
    with pytest.raises(PitchError, match="G3 was asked for"):
        pitch(slip, 44_100, "G3")


@pytest.mark.parametrize("kind", ["FLAC", "OGG", "MP3"])
def test_packed_recordings_are_read(kind: str, tmp_path: Path) -> None:
    path = tmp_path / f"note.{kind.lower()}"
    soundfile.write(path, tone(196.0), 44_100, format=kind)
    answer = calculate("pitch", {"wav": str(path), "expected": "G3"})
    assert abs(cents_between(answer["hz"], 196.0)) < 0.5
    assert answer["vibrato_cents"] == 0
    soundfile.write(path, np.zeros((9000, 3)) + 0.1, 44_100, format="FLAC")
    with pytest.raises(RequestError, match="3 channels"):
        calculate("pitch", {"wav": str(path)})


def test_hum_is_no_second_note_and_an_octave_slip_is_named() -> None:
    note = tone(146.8)
    t = np.arange(len(note)) / 44_100
    for mains in (50, 60):
        hum = sum(np.sin(2 * np.pi * mains * k * t + k) / k for k in (1, 2, 3, 5))
        loud = note + np.max(np.abs(note)) * 10 ** (-25 / 20) * hum
        assert abs(cents_between(pitch(loud, 44_100, "D3").hz, 146.8)) < 1.0
    with pytest.raises(PitchError, match="an octave above it"):
        pitch(tone(220), 44_100, "A2")
    with pytest.raises(PitchError, match="an octave below it"):
        pitch(tone(55), 44_100, "A2")


@pytest.mark.parametrize("kind", ["u8", "i16", "i24", "i32", "f32"])
def test_every_kind_of_wav_is_read(kind: str, tmp_path: Path) -> None:
    samples = tone(196.0, rate=48_000)
    stereo = np.column_stack([samples * 0.01, samples])
    for shape in (samples, stereo):
        path = tmp_path / f"{kind}.wav"
        path.write_bytes(wav(shape, 48_000, kind))
        answer = calculate("pitch", {"wav": str(path), "expected": "G3"})
        assert abs(cents_between(answer["hz"], 196.0)) < (2 if kind == "u8" else 0.5)
        assert answer["note"] == "G3"


def test_files_that_are_no_wav_are_refused(tmp_path: Path) -> None:
    good = wav(tone(110))
    for name, raw, words in (
        ("text", b"this is a text file, not a sound", "not a recording"),
        ("empty", b"", "not a recording"),
        ("cut", good[:30], "broken"),
        ("none", wav(np.zeros(0)), "empty"),
        ("slow", wav(tone(110, rate=6000), 6000), "sampling rate"),
        ("many", wav(np.zeros((4000, 5))), "5 channels"),
        ("nan", wav(np.array([0.1, np.nan] * 9000), kind="f32"), "no numbers"),
    ):
        path = tmp_path / name
        path.write_bytes(raw)
        with pytest.raises(RecordingError, match=words):
            read_recording(path)
        with pytest.raises(RequestError) as refused:
            calculate("pitch", {"wav": str(path)})
        assert refused.value.lines[0].startswith("wav: ")
    with pytest.raises(RequestError, match="no file"):
        calculate("pitch", {"wav": str(tmp_path / "nowhere.wav")})
    with pytest.raises(RequestError, match="expected: “H9”"):
        calculate("pitch", {"wav": str(tmp_path / "text"), "expected": "H9"})
    # an end that was cut off is still the note that was recorded
    path = tmp_path / "short.wav"
    path.write_bytes(good[: len(good) - 20_000])
    assert calculate("pitch", {"wav": str(path)})["note"] == "A2"


def test_the_note_that_buzzes_is_told_among_those_of_its_string(tmp_path: Path) -> None:
    strings = StandInStrings(made_of(SETS["10–46 nickel-plated steel"], notes_of(TUNINGS["standard"])), 648, 22)
    number, proud = strings.proud
    wavs = []
    for fret in (0, proud - 1, proud + 1, proud + 3):
        wavs.append(str(tmp_path / f"{fret}.wav"))
        Path(wavs[-1]).write_bytes(wav_of(strings.note(number, fret), ROOM_RATE))
    answer = calculate("buzz-ear", {"wavs": wavs})
    assert [round(note["chance"]) for note in answer["notes"]] == [0, 1, 0, 0]
    assert answer["notes"][1]["hz"] == pytest.approx(strings.hz(number, proud - 1), rel=1e-3)
    odds = answer["notes"][1]["log_odds"]
    taught = calculate("buzz-ear", {"wavs": wavs, "confirmed": [{"log_odds": odds, "buzzes": False}] * 40})
    assert taught["notes"][1]["chance"] < answer["notes"][1]["chance"]
    with pytest.raises(RequestError, match=r"wavs\[1\]: there is no file"):
        calculate("buzz-ear", {"wavs": [wavs[0], "nowhere.wav"]})
    short = tmp_path / "short.wav"
    short.write_bytes(wav(tone(196, rate=16_000, seconds=1.0), 16_000))
    with pytest.raises(RequestError, match=r"18\.5 kHz"):
        calculate("buzz-ear", {"wavs": [str(short)]})
