"""What lies between a string and the recording of it, at random: body, room, microphone, pick, hum and noise.

A body is a sum of resonances over a constant (N. H. Fletcher, T. D. Rossing, The Physics of Musical Instruments, §9.4,
§10.4: the modes of plates and air), a room a tail of noise that dies away, a microphone two slopes and a tilt.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.strings.frame import Array

Spectrum = NDArray[np.complex128]

ROOM_RATE = 44_100
SIZE, LONGEST = 1 << 17, 1 << 16
"""Samples that are filtered at once, and of them so many may be the note's: the rest is for what it leaves ringing."""
LEAD_S = (0.04, 0.14)
"""How much is recorded before the note, s."""
SNR_OF_S = 0.3
"""Noise is against the mean power of so much of the note."""
SPEAKING_S = 0.4


@dataclass(frozen=True, slots=True)
class Room:
    """One bench: `response` is body, room and microphone by frequency; noise falls by `slope` of power −2 per octave,
    hum is at `mains_hz` and its multiples, `hum` and `click` (of the pick) are amplitudes against the note.
    """

    response: Spectrum
    slope: float
    mains_hz: float
    hum: float
    click: float

    def hear(self, sound: Array, chance: np.random.Generator, snr_db: float, loudest: float | None = None) -> Array:
        """A note as it is recorded, after a moment of the room alone; loudest at `loudest` of full scale, or at random
        up to half of it.
        """
        lead = int(chance.uniform(*LEAD_S) * ROOM_RATE)
        dry = np.concatenate([np.zeros(lead), sound])[:LONGEST]
        loud = float(np.sqrt(np.mean(sound[: int(SNR_OF_S * ROOM_RATE)] ** 2)))
        long = int(chance.uniform(0.001, 0.006) * ROOM_RATE)
        first = lead - int(long * chance.uniform(0.3, 1))
        dry[first : first + long] += chance.normal(0, 1, long) * np.hanning(long) * loud * self.click * 4
        heard = np.fft.irfft(np.fft.rfft(dry, SIZE) * self.response, SIZE)[: len(dry)]
        power = float(np.mean(heard[lead : lead + int(SNR_OF_S * ROOM_RATE)] ** 2))
        heard = heard + self._noise(len(heard), chance) * np.sqrt(power * 10 ** (-snr_db / 10))
        heard = heard + self._hum(len(heard), chance) * np.sqrt(power) * self.hum
        top = loudest or 0.5 * 10 ** (-chance.uniform(0, 30) / 20)
        return np.asarray(heard * top / np.abs(heard).max(), dtype=float)

    def _noise(self, count: int, chance: np.random.Generator) -> Array:
        spectrum = np.fft.rfft(chance.normal(0, 1, count))
        hz = np.fft.rfftfreq(count, 1 / ROOM_RATE)
        noise = np.fft.irfft(spectrum * (np.maximum(hz, 40) / 1000) ** -self.slope, count)
        return np.asarray(noise / np.sqrt(np.mean(noise**2)), dtype=float)

    def _hum(self, count: int, chance: np.random.Generator) -> Array:
        t = 2 * np.pi * self.mains_hz * np.arange(count) / ROOM_RATE
        waves = [chance.normal() / n * np.sin(n * t + chance.uniform(0, 6.28)) for n in range(1, 8)]
        return np.asarray(np.sum(waves, axis=0), dtype=float)


def random_room(chance: np.random.Generator) -> Room:
    """A body, a room, a microphone and what else is heard there."""
    hz = np.asarray(np.fft.rfftfreq(SIZE, 1 / ROOM_RATE), dtype=float)
    tail = np.zeros(SIZE)
    speaking = int(SPEAKING_S * ROOM_RATE)
    dying = np.exp(-6.9 * np.arange(speaking) / ROOM_RATE / chance.uniform(0.15, 0.7))
    tail[:speaking] = chance.normal(0, 1, speaking) * dying
    tail[: int(0.003 * ROOM_RATE)] = 0.0
    around = np.fft.rfft(tail / np.sqrt(np.sum(tail**2))) / (1 + 1j * hz / chance.uniform(3_000, 20_000))
    room = 1 + around * 10 ** (-chance.uniform(4, 22) / 20)
    return Room(
        _body(chance, hz) * room * _microphone(chance, hz),
        float(chance.uniform(0, 1)),
        float(chance.choice([50, 60])),
        float(10 ** (chance.uniform(-60, -30) / 20)),
        float(10 ** (chance.uniform(-45, -18) / 20)),
    )


def _body(chance: np.random.Generator, hz: Array) -> Spectrum:
    response = np.full(len(hz), chance.uniform(0.2, 1.5), dtype=complex)
    for _ in range(chance.integers(8, 40)):
        own, sharp = np.exp(chance.uniform(np.log(90), np.log(6_000))), chance.uniform(8, 50)
        response += chance.normal() * (1j * hz * own / sharp) / (own**2 - hz**2 + 1j * hz * own / sharp)
    return np.asarray(response * (1j * hz + 60) / (1j * hz + chance.uniform(60, 400)))


def _microphone(chance: np.random.Generator, hz: Array) -> Spectrum:
    tilt_db = chance.uniform(-9, 4)
    above = np.maximum(hz, 1_000) / 1_000
    slopes = 1j * hz / (1j * hz + chance.uniform(30, 150)) / (1 + 1j * hz / chance.uniform(7_000, 18_000))
    return np.asarray(slopes * above ** (tilt_db / 20 * np.log2(10)))
