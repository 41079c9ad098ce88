"""A plucked string that rings free, by its partials: exact in pitch, and quick.

The triangle of the force as a sum of sines, each partial dying away at its own pace (N. H. Fletcher, T. D. Rossing, The
Physics of Musical Instruments, §2.5 and §2.18): the closed form of what `simulated_string` works out step by step,
without frets. The corner is rounded as there, which divides partial n by 1 + (nπa/L)².
"""

import math

import numpy as np

from deft_bench.core.strings.frame import Array
from deft_bench.core.strings.simulated_string import Ringing, losses

TO_HZ = 10_000.0


def plucked(note: Ringing, hz: float, rate: float, seconds: float) -> Array:
    """The force across the saddle at a sampling rate, N, its mean left out; its first partial is put at `hz`."""
    length, stiff = note.length_mm / 1000, note.bending_n_mm2 * 1e-6
    p = min(note.from_saddle_mm / 1000, length / 2)
    inharmonic = math.pi**2 * stiff / (note.tension_n * length**2)
    n = np.arange(1, 400)
    partial = hz * n * np.sqrt((1 + inharmonic * n**2) / (1 + inharmonic))
    n = n[partial < min(TO_HZ, 0.45 * rate)]
    wave = n * math.pi / length
    round_m = math.sqrt(note.bending_n_mm2 / note.tension_n + note.rounded_mm**2) / 1000
    # T·u_x at the saddle, of u = Σ q_n sin(kx): q_n = (2F/TL)·sin(kp)/k² for a force F at p
    force = 2 * note.pluck_n / length * np.sin(wave * p) / wave / (1 + (wave * round_m) ** 2)
    speed2, stiff2 = note.tension_n / note.mass_kg_per_m, stiff / note.mass_kg_per_m
    low, high = losses(*(np.array(one) for one in (length, speed2, stiff2, note.decay_low_s, note.decay_high_s)))
    t = np.arange(int(seconds * rate)) / rate
    sound = np.zeros(len(t))
    for k, at, size in zip(wave, partial, force, strict=False):
        sound += size * np.exp(-(low + high * k * k) * t) * np.cos(2 * math.pi * at * t)
    return -sound if note.toward else sound
