"""The machine's ear on strings and rooms that it was not taught; the free string's closed form."""

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sklearn.metrics import roc_auc_score

from deft_bench.core.strings.ear.features import COUNT, features
from deft_bench.core.strings.ear.hearing import Learned, learned_from
from deft_bench.core.strings.ear.room import ROOM_RATE, random_room
from deft_bench.core.strings.ear.simulated_notes import simulated_strings
from deft_bench.core.strings.plucked import plucked
from deft_bench.core.strings.simulated_string import Ringing, play, steps_for
from deft_bench.core.strings.string_set import StringMake
from deft_bench.formats.buzz_ear import buzz_ear
from wavs import tone

SNR_DB, RECALL = 30.0, 0.85


def test_it_parts_notes_that_buzz_aloud_from_all_others() -> None:
    chance, ear = np.random.default_rng(70_000), buzz_ear()
    odds, buzzes, slight = list[float](), list[bool](), list[bool]()
    for notes in simulated_strings(chance, 24):
        for _ in range(2):
            room = random_room(chance)
            figures = [features(room.hear(one.sound, chance, SNR_DB), ROOM_RATE, one.hz) for one in notes]
            odds += ear.log_odds([one for one in figures if one is not None]).tolist()
            buzzes += [one.buzzes for one in notes]
            slight += [one.louder_db is None or one.louder_db < 1.0 for one in notes]
    heard, aloud = np.array(odds), np.array(buzzes)
    assert 0.2 < aloud.mean() < 0.6
    assert len(odds) == len(buzzes)
    assert roc_auc_score(aloud, heard) >= 0.93
    bar = np.quantile(heard[aloud], 1 - RECALL)
    # of those that the frets make less than 1 dB louder, and of all that do not buzz aloud
    assert (heard[np.array(slight)] >= bar).mean() <= 0.03
    assert (heard[~aloud] >= bar).mean() <= 0.045
    # the chance means what it says
    said = 1 / (1 + np.exp(-heard))
    for low, high in ((0.0, 0.1), (0.1, 0.5), (0.5, 0.9), (0.9, 1.0)):
        some = (said >= low) & (said <= high)
        meant = said[some].mean()
        by_chance = 3 * math.sqrt(meant * (1 - meant) / some.sum())
        assert meant == pytest.approx(aloud[some].mean(), abs=max(0.1, by_chance)), (low, high)


def test_what_cannot_be_judged_is_not() -> None:
    sound = tone(196, rate=44_100, seconds=1.0, noise=1e-4)
    found = features(sound, 44_100, 196.0)
    assert found is not None
    assert found.shape == (COUNT,)
    louder = features(0.1 * sound, 44_100, 196.0)
    assert louder == pytest.approx(found, abs=1e-6)
    assert features(sound, 16_000, 196.0) is None
    assert features(sound[: int(0.4 * 44_100)], 44_100, 196.0) is None
    assert features(np.zeros(10), 44_100, 196.0) is None
    assert len(buzz_ear().log_odds([found])) == 1


@settings(max_examples=40)
@given(st.lists(st.tuples(st.floats(-8, 8), st.booleans()), max_size=60))
def test_confirmations_move_the_chance_toward_what_was_confirmed(confirmed: list[tuple[float, bool]]) -> None:
    learned = learned_from(confirmed)
    assert learned.confirmed == len(confirmed)
    assert math.isfinite(learned.shift)
    assert learned.scale >= 0.1
    at = 2.0
    for buzzed in (True, False):
        more = learned_from([*confirmed, *[(at, buzzed)] * 12]).chance(at)
        assert (more >= learned.chance(at) - 1e-6) if buzzed else (more <= learned.chance(at) + 1e-6)
    if not confirmed:
        assert learned == Learned()


def test_the_free_string_by_its_partials_is_the_one_worked_out_step_by_step() -> None:
    make = StringMake("E2", 1.0)
    note = Ringing(648, 200, make.mass(), 1.0, 130, bending_n_mm2=make.bending_n_mm2)
    stiff = math.pi**2 * make.bending_n_mm2 / (note.tension_n * note.length_mm**2)
    hz = math.sqrt(note.tension_n / make.mass()) / (2 * 0.648) * math.sqrt(1 + stiff)
    for one in (note, replace(note, toward=False, from_saddle_mm=60)):
        worked = play([one], steps_for([one], 0.2)).sound(0, ROOM_RATE)
        closed = plucked(one, hz, ROOM_RATE, 0.2)
        both = min(len(worked), len(closed))
        assert np.corrcoef(worked[:both], closed[:both])[0, 1] > 0.96
        assert np.std(closed[:both]) == pytest.approx(np.std(worked[:both]), rel=0.03)
