"""The simulated string against closed forms, and the clearance against the simulated string."""

import math
import random
from dataclasses import replace

import numpy as np
import pytest
from scipy.signal import find_peaks
from scipy.stats import spearmanr

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.strings.clearance import OverString, Strung, over_frets
from deft_bench.core.strings.customary import StringKind, customary_action, customary_pluck
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.simulated_string import (
    AUDIBLE_DB,
    Ringing,
    away_from,
    loudest_buzz_db,
    play,
    ringing,
    steps_for,
)
from deft_bench.core.strings.string_set import SETS, TUNINGS, StringMake, made_of, notes_of, tensions
from deft_bench.core.strings.stroke import Stroke

SOLID = StringMake("E2", 1.0)
LOW = Ringing(648, 200, SOLID.mass(), 1.0, 130, bending_n_mm2=SOLID.bending_n_mm2)
CUSTOMARY: tuple[tuple[StringKind, str, str, float], ...] = (
    ("electric", "10–46 nickel-plated steel", "standard", 648),
    ("acoustic", "12–53 phosphor bronze", "standard", 645),
    ("nylon", "normal-tension nylon", "standard", 650),
    ("bass", "45–105 nickel-plated steel", "bass", 864),
)


def test_its_partials_are_those_of_a_stiff_string() -> None:
    seconds = 2.0
    sound = play([replace(LOW, decay_low_s=20, decay_high_s=10)], steps_for([LOW], seconds)).sound(0, 48_000)
    level = np.abs(np.fft.rfft(sound * np.blackman(len(sound)), 8 * len(sound)))
    hz = np.fft.rfftfreq(8 * len(sound), 1 / 48_000)
    first = math.sqrt(LOW.tension_n / LOW.mass_kg_per_m) / (2 * 0.648)
    stiff = math.pi**2 * LOW.bending_n_mm2 / (LOW.tension_n * LOW.length_mm**2)
    peaks = hz[find_peaks(level, height=level.max() / 300)[0]]
    for n in (1, 2, 3, 4, 6, 8):
        expected = n * first * math.sqrt(1 + stiff * n * n)
        off = 1200 * np.min(np.abs(np.log2(peaks / expected)))
        assert off < 3.0, (n, off)


def test_it_dies_away_as_asked_and_contact_adds_no_energy() -> None:
    for decay in (1.0, 4.0):
        note = replace(LOW, decay_low_s=decay, decay_high_s=decay)
        rang = play([note], steps_for([note], 0.1), watch_energy=True)
        assert rang.energy_j is not None
        per_step = np.polyfit(np.arange(rang.energy_j.shape[1]), 10 * np.log10(rang.energy_j[0]), 1)[0]
        assert -60 / (per_step / float(rang.step_s[0])) == pytest.approx(decay, rel=0.02)
    chance = random.Random(5)
    for _ in range(4):
        over = fret_positions(648, 22)
        note = replace(LOW, pluck_n=6.0, over_mm=over, room_mm=[chance.uniform(0.02, 1.2) for _ in over])
        rang = play([note], 2500, watch_energy=True)
        assert rang.energy_j is not None
        assert rang.struck_ns.sum() > 0
        assert np.max(np.diff(rang.energy_j[0])) <= 1e-9 * rang.energy_j[0][0]
        assert np.max(rang.lowest_mm - np.array(note.room_mm)) <= 0.01
        # many notes together ring as each alone
        both = play([note, replace(note, pluck_n=1.0)], 2500, watch_energy=True)
        assert np.allclose(both.bridge_n[0], rang.bridge_n[0], atol=1e-9)
    with pytest.raises(ValueError, match="outside"):
        play([replace(LOW, over_mm=[700.0], room_mm=[1.0])], 10)
    with pytest.raises(ValueError, match="room"):
        play([replace(LOW, over_mm=[70.0])], 10)


def a_note(chance: random.Random, lower_mm: float = 0.0) -> tuple[Ringing, Strung, float, int]:
    """A random note of a random customary instrument: as it rings, its clearance, its force and where it is fretted."""
    kind, set_name, tuning, scale = chance.choice(CUSTOMARY)
    makes = made_of(SETS[set_name], notes_of(TUNINGS[tuning]))
    i, frets = chance.randrange(len(makes)), chance.randint(19, 22)
    fretted = chance.choice([0, *range(1, frets - 3)])
    frame = StringFrame(scale, frets, chance.uniform(0, 0.35), errors=[chance.gauss(0, 0.015) for _ in range(frets)])
    force = customary_pluck(kind, i + 1, len(makes)) * chance.uniform(0.7, 1.4)
    action = customary_action(kind, i + 1, len(makes)) * chance.uniform(0.75, 1.15) - lower_mm
    stroke = Stroke(chance.uniform(90, 200))
    tension = tensions([makes[i]], [scale])[0]
    strung = over_frets(frame, OverString(1, tension, chance.uniform(0.1, 0.4), force, action), 1, stroke)
    return ringing(frame, strung, makes[i], tension, force, stroke, fretted), strung, force, fretted


def test_the_clearance_ranks_notes_as_the_simulated_string_does() -> None:
    chance = random.Random(20)
    drawn = [a_note(chance) for _ in range(500)]
    notes = [one[0] for one in drawn]
    free = [replace(note, room_mm=[1e3] * len(note.room_mm)) for note in notes]
    swings = [play(way, 240, 80).lowest_mm for way in (free, away_from(free, Stroke()))]
    needed, met = [], []
    for i, (note, strung, force, fretted) in enumerate(drawn):
        room = np.array(note.room_mm)
        down = np.maximum(swings[0][i], swings[1][i])[: len(room)]
        met.append(float(np.min(room / np.maximum(down, 1e-9))))
        needed.append(float(np.nanmin((strung.static / strung.per_newton)[fretted])) / force)
    assert spearmanr(needed, met)[0] >= 0.95
    heard = loudest_buzz_db(notes, Stroke(), 8, 60)
    assert spearmanr(1 / np.array(needed), heard)[0] >= 0.65
    low = [a_note(chance, 0.3) for _ in range(200)]
    played = [one[0] for one in low]
    aloud = loudest_buzz_db(played, Stroke(), 8, 60) > AUDIBLE_DB
    said = np.array([np.nanmin(strung.margin[fretted]) < 0 for _, strung, _, fretted in low])
    assert (said & aloud).sum() >= 0.8 * aloud.sum()
    assert (said & ~aloud).sum() <= 0.25 * said.sum()
