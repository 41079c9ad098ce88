"""A note played with vibrato: its centre, and how far it swings about it.

Each strong partial is shifted to zero and low-passed; the rate of its phase is its frequency from moment to moment (the
analytic signal's, B. Boashash, Estimating and interpreting the instantaneous frequency of a signal, 1992, part 1). A
vibrato moves every partial by the same share at the same time, 3 to 9 times a second; two notes that beat do not. Over
whole periods the mean is the centre. Derived in docs/methods/pitch.md.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float64]

TRACK_HZ = 200.0
"""So many times a second the frequency is taken."""
SLOWEST_HZ, FASTEST_HZ = 3.0, 9.0
MOST_PARTIALS = 6
LEAST_CENTS, MOST_CENTS = 1.0, 30.0
"""Between which amplitudes a swing is a vibrato."""
TOGETHER = 0.7
"""How well two partials must swing together (their correlation), and how much of the swing is the one rate's."""
LEAST_PERIODS = 2.0
LOUD_DB = 30.0
"""A partial this far under the loudest is too weak to be followed."""


@dataclass(frozen=True, slots=True)
class Vibrato:
    """Mean frequency of each partial that was followed, Hz, by number; amplitude and rate of the swing; and how well
    its centre is known, cents.
    """

    partials: dict[int, float]
    cents: float
    rate_hz: float
    sd_cents: float


def vibrato(part: Samples, rate: float, partials: Mapping[int, tuple[float, float]]) -> Vibrato | None:
    """The vibrato in a note of which partials are about at (Hz, dB), by number; None where it does not swing as one."""
    loudest = max(db for _, db in partials.values())
    followed = {n: at for n, (at, db) in partials.items() if n <= MOST_PARTIALS and db > loudest - LOUD_DB}
    apart = min((at / n for n, at in followed.items()), default=0.0)
    if not followed or apart <= 0:
        return None
    tracks = {n: _track(part, rate, at, min(0.4 * apart, 60.0)) for n, at in followed.items()}
    length = min(len(track) for track, _ in tracks.values())
    swings = {n: 1200 * np.log2(np.maximum(track[:length], 1e-3) / followed[n]) for n, (track, _) in tracks.items()}
    loud = {n: level[:length] for n, (_, level) in tracks.items()}
    weight = sum(loud.values())
    mean = sum(swings[n] * loud[n] for n in swings) / weight
    found = _swing(np.asarray(mean, dtype=float))
    if found is None or not _as_one(swings, found[1], length):
        return None
    cents, turn_hz = found
    period = TRACK_HZ / turn_hz
    whole = round(period * math.floor(length / period))
    centres = {n: followed[n] * 2 ** (float(np.mean(swing[:whole])) / 1200) for n, swing in swings.items()}
    return Vibrato(centres, cents, turn_hz, cents / math.sqrt(2 * length / period))


def _track(part: Samples, rate: float, at_hz: float, within_hz: float) -> tuple[Samples, Samples]:
    """A partial's frequency and power from moment to moment, TRACK_HZ times a second, the ends left out."""
    from scipy.signal import butter, sosfiltfilt

    t = np.arange(len(part)) / rate
    shifted = part * np.exp(-2j * np.pi * at_hz * t)
    low = butter(4, within_hz, fs=rate, output="sos")
    base = sosfiltfilt(low, shifted.real) + 1j * sosfiltfilt(low, shifted.imag)
    step = max(1, round(rate / TRACK_HZ))
    kept = base[step // 2 :: step]
    turned = np.angle(kept[1:] * np.conj(kept[:-1])) / (2 * np.pi) * rate / step
    ends = max(2, round(TRACK_HZ / within_hz))
    return (at_hz + turned)[ends:-ends], (np.abs(kept[1:]) ** 2)[ends:-ends]


def _swing(mean: Samples) -> tuple[float, float] | None:
    """Amplitude in cents and rate in Hz of the strongest swing of a track, where it is a vibrato's and most of what
    the track does beside a slow drift.
    """
    at = np.arange(len(mean)) / TRACK_HZ
    if len(at) < LEAST_PERIODS / SLOWEST_HZ * TRACK_HZ / 2:
        return None
    steady = mean - np.polyval(np.polyfit(at, mean, 2), at)
    rates = np.arange(SLOWEST_HZ, FASTEST_HZ + 0.01, 0.05)
    waves = np.exp(-2j * np.pi * rates[:, None] * at[None, :])
    found = 2 * np.abs(waves @ steady) / len(at)
    best = int(np.argmax(found))
    cents, turn_hz = float(found[best]), float(rates[best])
    share = cents**2 / 2 / max(float(np.mean(steady**2)), 1e-9)
    if not LEAST_CENTS <= cents <= MOST_CENTS or share < TOGETHER or len(at) / TRACK_HZ * turn_hz < LEAST_PERIODS:
        return None
    return cents, turn_hz


def _as_one(swings: Mapping[int, Samples], turn_hz: float, length: int) -> bool:
    """Whether the partials swing together at a rate: none of those that swing at all is out of step with the first."""
    wave = np.exp(-2j * np.pi * turn_hz * np.arange(length) / TRACK_HZ)
    turned = [complex((swing - swing.mean()) @ wave) * 2 / length for swing in swings.values()]
    whole = sum(turned)
    size = sum(abs(one) for one in turned)
    return size > 0 and abs(whole) / size >= TOGETHER
