"""Notes found in a stream: every pluck at its time and none beside them, each at its place."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.core.strings.notes import cents_between
from deft_bench.core.strings.pitch import pitch
from deft_bench.core.strings.played import WINDOW_S, Stream, Wanted, place_of
from wavs import tone

RATE = 22_050
OPEN = (82.41, 110.0, 146.83, 196.0, 246.94, 329.63)


def played(notes: list[tuple[float, float]], noise: float = 2e-4, seed: int = 0) -> np.ndarray:
    """Notes one after another: pitch in Hz, and how long until the next, before which the string is stopped."""
    parts = [np.zeros(RATE // 2)]
    for k, (hz, seconds) in enumerate(notes):
        note = tone(hz, rate=RATE, seconds=seconds, lead=0.0, noise=0.0, seed=seed + k)
        parts.append(note * np.clip(np.arange(len(note))[::-1] / (0.03 * RATE) - 1, 0, 1))
    whole = np.concatenate(parts)
    return whole + np.random.default_rng(seed).normal(0, noise, len(whole))


def chunks(samples: np.ndarray, sizes: list[int]) -> list[np.ndarray]:
    edges, at = list[int](), 0
    while at < len(samples):
        at += sizes[len(edges) % len(sizes)]
        edges.append(at)
    return np.split(samples, edges[:-1])


@settings(max_examples=15)
@given(
    st.lists(st.tuples(st.sampled_from(OPEN), st.floats(0, 1.06), st.floats(0.6, 2.5)), min_size=1, max_size=6),
    st.lists(st.integers(200, 12_000), min_size=1, max_size=5),
    st.integers(0, 999),
)
def test_every_note_is_found_at_its_time_however_it_is_cut(
    notes: list[tuple[float, float, float]], sizes: list[int], seed: int
) -> None:
    made = [(hz * 2**by, seconds) for hz, by, seconds in notes]
    stream = Stream(RATE)
    found = [one for chunk in chunks(played(made, seed=seed), sizes) for one in stream.feed(chunk)] + stream.end()
    starts = np.cumsum([0.5, *(seconds for _, seconds in made)])[: len(made)]
    assert [one.at_s for one in found] == pytest.approx(list(starts), abs=0.05)
    for one, (hz, _) in zip(found, made, strict=True):
        assert len(one.samples) / RATE <= WINDOW_S + 0.1
        assert abs(cents_between(pitch(one.samples, RATE, hz).hz, hz)) < 1.0


def test_knocks_hum_and_silence_are_no_notes() -> None:
    chance = np.random.default_rng(1)
    t = np.arange(4 * RATE) / RATE
    hum = 0.01 * np.sin(2 * np.pi * 50 * t) + chance.normal(0, 1e-4, len(t))
    for at in (1.0, 2.0, 2.6):
        knock = np.exp(-np.arange(RATE // 20) / (0.004 * RATE)) * chance.normal(0, 0.3, RATE // 20)
        hum[int(at * RATE) : int(at * RATE) + len(knock)] += knock
    stream = Stream(RATE)
    assert [one for chunk in chunks(hum, [2048]) for one in stream.feed(chunk)] + stream.end() == []
    with pytest.raises(ValueError, match="8 to 192 kHz"):
        Stream(100.0)


def test_a_pitch_on_two_strings_goes_where_the_hand_is() -> None:
    wanted = [Wanted(f"6-{n}", 6, 82.41 * 2 ** (n / 12)) for n in range(6)]
    wanted += [Wanted(f"5-{n}", 5, 110.0 * 2 ** (n / 12)) for n in range(6)]

    def place(hz: float, at: int, last: int | None, heard: str = "") -> str | None:
        notes = [Wanted(one.code, one.string, one.hz, one.code == heard) for one in wanted]
        found = place_of(hz, notes, at, last)
        return None if found is None else found.code

    assert place(110.0, 5, 6) == "6-5"
    assert place(110.3, 6, 5) == "5-0"
    assert place(110.0, 6, None) == "5-0"
    assert place(110.0, 5, 6, heard="6-5") == "5-0"
    assert place(60.0, 0, 6) is None
