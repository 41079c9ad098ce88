"""What a recorded note has of a buzz: the levels of its bands as they change over its first quarter of a second.

A string that strikes a fret hands what its low partials have to the high ones, turn by turn, after it was let go; one
that rings freely begins with all that it has of them and only loses it. So each band's course in time is told, not how
bright the note is at once: body, room and microphone change the second and leave the first.
"""

from itertools import pairwise

import numpy as np

from deft_bench.core.strings.frame import Array

LEAST_RATE = 18_500
"""Hz; what is sampled more seldom holds no band that a buzz is heard in."""
WINDOW_S, HOP_S = 0.010, 0.0025
BANDS_HZ = (300, 600, 1200, 1800, 2500, 3200, 4200, 5500, 7000, 9000)
EDGES_S = (0.0, 0.010, 0.020, 0.030, 0.045, 0.060, 0.080, 0.110, 0.150, 0.200, 0.260)
"""Between these the levels are averaged, from the onset on."""
LOUD_S = 0.080
"""Levels are against the whole of the sound over so much of it, which is where a buzz is loudest."""
HIGH = 4
"""The first of the bands that a buzz is heard in."""
RISING = range(3, 9)
"""Bands whose rise after the onset is told."""
QUIET_SHARE = 0.05
"""What is left of a band that lies under the noise, as a share of it."""
ONSET_SHARE = 0.2
BEFORE_S = 0.008
"""Noise is what is heard up to so long before the onset."""
LEAST_DB = -90.0
COUNT = (len(EDGES_S) - 1) * (len(BANDS_HZ) - 1) + len(BANDS_HZ) - 1 + 4 + len(RISING)


def features(samples: Array, rate: float, hz: float) -> Array | None:
    """The figures of one note, [COUNT], levels in dB: of each slice of time every band, the noise in every band, how
    uneven, how late and how peaked the high bands are, octaves of its pitch over 200 Hz, and each upper band's rise.

    `samples` begin a little before the note, full scale ±1. None where it is too short, or is sampled too seldom.
    """
    if rate < LEAST_RATE or len(samples) < 2 * WINDOW_S * rate:
        return None
    window, hop = int(WINDOW_S * rate), int(HOP_S * rate)
    onset = onset_of(samples, rate)
    if len(samples) - onset < EDGES_S[-1] * rate:
        return None
    powers, times = _powers(samples, rate, onset, window, hop)
    per_hz = np.fft.rfftfreq(window, 1 / rate)
    at = np.searchsorted(BANDS_HZ, per_hz, side="right") - 1
    bands = np.stack([powers[:, at == band].sum(axis=1) for band in range(len(BANDS_HZ) - 1)], axis=1)
    whole = float(powers[:, per_hz > 60][(times >= 0) & (times < LOUD_S)].sum(axis=1).mean()) + 1e-30
    quiet = times < -BEFORE_S
    noise = bands[quiet].mean(axis=0) if quiet.any() else np.zeros(bands.shape[1])
    slices = [(times >= a) & (times < b) for a, b in pairwise(EDGES_S)]
    levels = np.array([bands[one].mean(axis=0) for one in slices])
    clear = np.maximum(levels - noise, QUIET_SHARE * noise)
    shape = [*_shape(bands, noise, whole, times), peaked(samples, rate, onset), float(np.log2(hz / 200))]
    return np.concatenate([_db(clear, whole).ravel(), _db(noise, whole), shape, _rises(bands, noise, whole, times)])


def onset_of(samples: Array, rate: float) -> int:
    """The sample at which the note begins: where it first reaches a share of its loudest."""
    hop = int(HOP_S * rate)
    count = len(samples) // hop
    level = np.sqrt(np.mean(samples[: count * hop].reshape(count, hop) ** 2, axis=1))
    return int(np.argmax(level > ONSET_SHARE * level.max())) * hop


def peaked(samples: Array, rate: float, onset: int) -> float:
    """How peaked the high bands' power is over `LOUD_S`: the logarithm of its mean square over its squared mean."""
    part = samples[onset : onset + int(LOUD_S * rate)]
    spectrum, hz = np.fft.rfft(part), np.fft.rfftfreq(len(part), 1 / rate)
    spectrum[(hz < BANDS_HZ[HIGH]) | (hz > BANDS_HZ[-1])] = 0
    power = np.fft.irfft(spectrum, len(part)) ** 2
    return float(np.log(np.mean(power**2) / (np.mean(power) ** 2 + 1e-30) + 1e-30))


def _powers(samples: Array, rate: float, onset: int, window: int, hop: int) -> tuple[Array, Array]:
    """The power of every window by frequency, and each one's middle, seconds after the onset."""
    first = onset % hop
    frames = np.lib.stride_tricks.sliding_window_view(samples[: onset + int(0.28 * rate)], window)[first::hop]
    powers = np.abs(np.fft.rfft(frames * np.hanning(window + 1)[:window], axis=1)) ** 2
    times = (first + hop * np.arange(len(frames)) + window / 2 - onset) / rate
    return powers, np.asarray(times, dtype=float)


def _db(power: Array, whole: float) -> Array:
    return np.asarray(np.maximum(10 * np.log10(power / whole + 1e-30), LEAST_DB), dtype=float)


def _shape(bands: Array, noise: Array, whole: float, times: Array) -> tuple[float, float]:
    """How far the high bands stray from a straight fall over `LOUD_S`, nepers, and when they are loudest, in 20 ms."""
    high, quiet = bands[:, HIGH:].sum(axis=1), float(noise[HIGH:].sum())
    early = (times >= 0.005) & (times < LOUD_S)
    fall = np.log(np.maximum(high[early] - quiet, QUIET_SHARE * quiet) + 1e-9 * whole)
    straight = np.polyval(np.polyfit(times[early], fall, 1), times[early])
    near = (times > -0.005) & (times < 0.15)
    return float(np.std(fall - straight)), float(50 * times[near][np.argmax(high[near])])


def _rises(bands: Array, noise: Array, whole: float, times: Array) -> Array:
    """How far each upper band rises above what it had fallen to, nepers."""
    part = bands[:, RISING.start : RISING.stop]
    quiet = noise[RISING.start : RISING.stop]
    level = np.log(np.maximum(part - quiet, 0.1 * quiet) + 1e-9 * whole)
    smooth = np.apply_along_axis(lambda one: np.convolve(one, np.ones(4) / 4, "same"), 0, level)
    after = smooth[(times >= 0.004) & (times < 0.15)]
    return np.asarray(np.max(after - np.minimum.accumulate(after, axis=0), axis=0), dtype=float)
