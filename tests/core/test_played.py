"""Notes found in a stream: every pluck at its time and none beside them, each at its place."""

from dataclasses import replace

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


PLACES = [
    (string, what, fret)
    for string in range(6, 0, -1)
    for what, fret in [("open", 0), ("harmonic", 12), *(("fretted", fret) for fret in range(1, 22))]
]


@settings(max_examples=12)
@given(st.booleans(), st.dictionaries(st.integers(0, 137), st.sampled_from((-3, -2, 2, 3)), max_size=1))
def test_notes_in_any_order_go_to_their_places_but_for_a_slip(up: bool, slips: dict[int, int]) -> None:
    chance, kept, of = np.random.default_rng(137), list[str](), dict[str, str]()
    pitches = {f"{string}-{what}-{fret}": OPEN[6 - string] * 2 ** (fret / 12) for string, what, fret in PLACES}
    turn = [code for string in (range(1, 7) if up else range(6, 0, -1)) for code in pitches if code[0] == str(string)]
    for k, code in enumerate(turn):
        for slip in ([slips[k]] if k in slips else []) + [0]:
            wanted = [Wanted(one, *place, pitches[one], one in of) for one, place in zip(pitches, PLACES, strict=True)]
            found = place_of(pitches[code] * 2 ** (slip / 12 + chance.uniform(-9, 9) / 1200), wanted, kept)
            if found is not None:
                kept.append(found.code)
                of[found.code] = f"slip at {code}" if slip else code
    # what a slip took is taken back where the hand comes by, and it draws no other note after it
    assert sum(of.get(code) != code for code in turn) <= len(slips)


def test_a_pitch_on_two_strings_goes_where_the_hand_is() -> None:
    wanted = [
        Wanted(f"{string}-{n}", string, "fretted" if n else "open", n, OPEN[6 - string] * 2 ** (n / 12))
        for string in (6, 5)
        for n in range(6)
    ]

    def place(hz: float, kept: list[str], heard: str = "") -> str | None:
        notes = [replace(one, heard=one.code == heard) for one in wanted]
        found = place_of(hz, notes, kept)
        return None if found is None else found.code

    assert place(110.0, ["6-4"]) == "6-5"
    assert place(110.3, ["6-5"]) == "5-0"
    assert place(110.0, []) == "5-0"
    assert place(110.0, ["6-2"], heard="6-5") == "5-0"
    # what goes on from the last, or from the one before a slip, is played once more
    assert place(110.0, ["6-4"], heard="6-5") == "6-5"
    assert place(110.0, ["6-4", "5-3"]) == "6-5"
    assert place(60.0, ["6-4"]) is None
