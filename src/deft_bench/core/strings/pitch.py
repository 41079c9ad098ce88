"""The pitch of a recorded note: its partials fitted to those of a stiff string.

Partials of a stiff string lie at f_n = n·f₀·√(1 + Bn²) (Fletcher), so (f_n/n)² is a straight line over n². Peaks come
from one windowed spectrum of 0.06 to 2 s after the onset, each placed by a parabola through the logarithms of its three
bins (the usual interpolation, with the spectrum padded four times so that its bias is far below a tenth of a cent).
"""

import itertools
import math
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.strings.broken_sound import broken_at
from deft_bench.core.strings.notes import A4_HZ, cents_between, nearest_note, note_hz
from deft_bench.core.strings.vibrato import Vibrato, vibrato

Samples = NDArray[np.float64]

LEAST_RATE, MOST_RATE = 8_000, 192_000
FROM_S, TO_S = 0.06, 2.0
LEAST_S = 0.25
SILENT_DB = -60.0
OVER_FLOOR_DB = 15.0
LOWEST_HZ, HIGHEST_HZ = 24.0, 1_600.0
PARTIALS_TO_HZ = 7_000.0
OTHER_NOTE_DB = 22.0
"""A second series this close to the first one's strongest partial is a second note, not a neighbour that rings
along.
"""
HOP_S, REST_HOPS, PLUCK_TIMES = 0.01, 12, 3.0
"""A pluck is a level that rises this many times over the least of the hops before it, none nearer than those."""
MAINS_HZ, MOST_HUM, HUM_HZ, HUM_DB = (50.0, 60.0), 12, 0.8, 10.0
"""Mains hum lies at multiples of these, within so much; this far under the note it is no second one."""
WRONG_NOTE_CENTS = 101.0
"""A string a semitone off is one to be tuned; more is another note."""
MOST_STIFF, ALONG_STIFF = 0.004, 0.002
"""The stiffest note that is played, B (a thick string at its last fret comes to 0.0022), and one that rings along."""
STEADY_SD_CENTS = 0.3
"""How well the pitch of a steady note is known."""
SPLITS = ((2, 3), (3, 4), (4, 5), (5, 6), (2, 5), (3, 5), (5, 8))
"""Pairs of notes whose partials together look like one series on a root that is not there: fifth, fourth, thirds,
tenth, sixths.
"""


class PitchError(ValueError):
    """The recording is refused; the message says why and what to do."""


class BrokenSoundError(PitchError):
    """A piece of the sound is missing: the note was right, and its pitch cannot be trusted."""


@dataclass(frozen=True, slots=True)
class Pitch:
    """A note as heard: its first partial's frequency, the nearest note and cents from it, inharmonicity B,
    confidence 0 to 1. Of a note with vibrato it is the centre, `vibrato_cents` the swing to either side, and `sd_cents`
    how well the centre is known.
    """

    hz: float
    note: str
    cents: float
    inharmonicity: float
    confidence: float
    sd_cents: float = STEADY_SD_CENTS
    vibrato_cents: float = 0.0


@dataclass(frozen=True, slots=True)
class _Peak:
    hz: float
    db: float


@dataclass(frozen=True, slots=True)
class _Series:
    """A fundamental with the peaks that belong to it, by partial number."""

    f0: float
    stiff: float
    partials: dict[int, _Peak]
    score: float


def pitch(samples: Samples, rate: int, expected: str | float | None = None, a4_hz: float = A4_HZ) -> Pitch:
    """The pitch of mono samples (full scale ±1) at a rate in Hz; `expected` is a note's name or Hz.

    Where a note is expected and another was plucked before or after it, the one that was asked for is taken. Raises
    PitchError with the reason for silence, clipping, noise, a note too short, two notes at once, sound that broke off,
    or not the expected note.
    """
    try:
        return _pitch(samples, rate, expected, a4_hz)
    except PitchError:
        if expected is not None:
            for start, end in plucks_in(samples, rate):
                with suppress(PitchError):
                    return _pitch(samples[start:end], rate, expected, a4_hz)
        raise


def plucks_in(samples: Samples, rate: int) -> list[tuple[int, int]]:
    """Where each of several plucks begins and ends, in samples; empty with fewer than two."""
    level, hop = _levels(samples, rate, HOP_S)
    count = len(level)
    if count < 2 * REST_HOPS:
        return []
    quiet = 0.1 * float(np.max(level))
    starts: list[int] = []
    for k in range(1, count):
        before = float(np.min(level[max(0, k - REST_HOPS) : k])) + 1e-9
        if level[k] > quiet and level[k] > PLUCK_TIMES * before and (not starts or k - starts[-1] > REST_HOPS):
            starts.append(k)
    if len(starts) < 2:
        return []
    edges = [*(max(0, k - 2) * hop for k in starts), len(samples)]
    return list(itertools.pairwise(edges))


def _pitch(samples: Samples, rate: int, expected: str | float | None, a4_hz: float) -> Pitch:
    """The pitch of a recording of one pluck."""
    wanted = None if expected is None else note_hz(expected, a4_hz) if isinstance(expected, str) else expected
    if not LEAST_RATE <= rate <= MOST_RATE:
        raise PitchError(f"a sampling rate of {rate} Hz is not accepted: 8 to 192 kHz")
    _check_level(samples, rate)
    part = _steady(samples, rate)
    peaks, floor = _peaks(part, rate)
    if not peaks or max(peak.db for peak in peaks) - floor < OVER_FLOOR_DB:
        raise PitchError("noise: no partial stands out of it. Pluck closer to the microphone, in a quieter room.")
    series = _best(peaks, wanted)
    if series is None:
        raise PitchError("no note is heard in this: its partials belong to no one string")
    partials = {n: (peak.hz, peak.db) for n, peak in series.partials.items()}
    swing = vibrato(part, rate, partials)
    if swing is not None:
        series = _about(series, swing)
    first = _first_partial(series)
    if wanted is not None and abs(cents_between(first, wanted)) > WRONG_NOTE_CENTS:
        name, off = nearest_note(first, a4_hz)
        asked = expected if isinstance(expected, str) else nearest_note(wanted, a4_hz)[0]
        octaves = cents_between(first, wanted) / 1200
        slip = ""
        if round(octaves) and abs(octaves - round(octaves)) * 1200 <= WRONG_NOTE_CENTS:
            many = "an octave" if abs(round(octaves)) == 1 else f"{abs(round(octaves))} octaves"
            slip = f": {many} {'above' if octaves > 0 else 'below'} it. Damp the other strings and pluck off the middle"
        raise PitchError(
            f"not the expected note: {asked} was asked for, and {name} {off:+.0f} cents ({first:.2f} Hz) is heard{slip}"
        )
    name, off = nearest_note(first, a4_hz)
    if swing is None:
        if (broken := broken_at(part, rate, partials)) is not None:
            raise BrokenSoundError(
                f"the sound broke off {FROM_S + broken:.1f} s after the pluck, as on a busy computer: play it again"
            )
        _refuse_second(peaks, series)
        return Pitch(first, name, off, series.stiff, _confidence(series, peaks, floor))
    sd = math.hypot(STEADY_SD_CENTS, swing.sd_cents)
    return Pitch(first, name, off, series.stiff, _confidence(series, peaks, floor), sd, swing.cents)


def _about(series: _Series, swing: Vibrato) -> _Series:
    """A series by the centres of its partials."""
    centred = {n: _Peak(hz, series.partials[n].db) for n, hz in swing.partials.items()}
    f0, stiff = _line(centred)
    return _Series(f0, stiff, centred, series.score)


def _check_level(samples: Samples, rate: int) -> None:
    if len(samples) < LEAST_S * rate:
        raise PitchError(f"too short: {len(samples) / rate:.2f} s; let the note ring for a second or two")
    peak = float(np.max(np.abs(samples)))
    if not math.isfinite(peak):
        raise PitchError("the file holds samples that are no numbers")
    if peak < 10 ** (SILENT_DB / 20):
        raise PitchError("silence: nothing reaches −60 dB of full scale. Check that the microphone is on and near.")
    if peak > 0.98:
        full = np.abs(samples) >= peak * 0.9995
        starts = np.flatnonzero(full & ~np.concatenate(([False], full[:-1])))
        ends = np.flatnonzero(full & ~np.concatenate((full[1:], [False])))
        if np.sum(ends - starts >= 2) >= 4:
            raise PitchError(
                "clipping: the recording runs into full scale again and again. Play softer or turn the input down."
            )


def _levels(samples: Samples, rate: float, hop_s: float) -> tuple[Samples, int]:
    """The level of each hop, and how many samples a hop is."""
    hop = max(1, int(rate * hop_s))
    count = len(samples) // hop
    return np.sqrt(np.mean(samples[: count * hop].reshape(count, hop) ** 2, axis=1)), hop


def _steady(samples: Samples, rate: float) -> Samples:
    """The part from 0.06 to 2 s after the onset, or after a fading start if that leaves enough."""
    level, hop = _levels(samples, rate, 0.005)
    onset = int(np.argmax(level > 0.25 * np.max(level))) * hop
    start = onset + int(FROM_S * rate)
    part = samples[start : onset + int(TO_S * rate)]
    if len(part) < (LEAST_S - FROM_S) * rate:
        raise PitchError(
            f"too short: {max(0.0, len(part) / rate):.2f} s after the pluck; let the note ring for a second or two"
        )
    return part


def _peaks(part: Samples, rate: float) -> tuple[list[_Peak], float]:
    """Spectral peaks within 50 dB of the strongest, and the floor in dB."""
    from scipy.signal import find_peaks, windows

    part = part - np.mean(part)
    window = windows.blackmanharris(len(part), sym=False)
    size = 1 << (4 * len(part) - 1).bit_length()
    spectrum = np.abs(np.fft.rfft(part * window, size))
    decibels = 20 * np.log10(spectrum + 1e-12)
    bin_hz = rate / size
    low, high = int(20 / bin_hz), min(len(decibels) - 2, int(PARTIALS_TO_HZ / bin_hz))
    shown = decibels[low : high + 1]
    floor = float(np.median(shown))
    strongest = float(np.max(shown))
    tops, _ = find_peaks(shown, height=max(strongest - 50, floor + 9), prominence=9)
    found = []
    for k in tops + low:
        a, b, c = decibels[k - 1], decibels[k], decibels[k + 1]
        shift = 0.5 * (a - c) / (a - 2 * b + c)
        found.append(_Peak(float((k + shift) * bin_hz), float(b - 0.25 * (a - c) * shift)))
    # side lobes and split tops: of peaks nearer than the window can part, the strongest
    apart = 3.0 * rate / len(part)
    kept: list[_Peak] = []
    for one in sorted(found, key=lambda peak: -peak.db):
        if all(abs(one.hz - other.hz) > apart for other in kept):
            kept.append(one)
    return sorted(kept, key=lambda peak: peak.hz)[:200], floor


def _best(peaks: Sequence[_Peak], wanted: float | None) -> _Series | None:
    """The series that explains most; one near the expected note is taken when it explains nearly as much."""
    strongest = max(one.db for one in peaks)
    loud = sorted(peaks, key=lambda peak: -peak.db)[:8]
    roots = {round(one.hz / k, 3) for one in loud for k in range(1, 9) if LOWEST_HZ <= one.hz / k <= HIGHEST_HZ}
    series = [found for root in sorted(roots) if (found := _gather(peaks, root, strongest)) is not None]
    if not series:
        return None
    best = max(series, key=lambda candidate: (round(candidate.score, 6), candidate.f0))
    if wanted is not None:
        near = [
            candidate
            for candidate in series
            if abs(cents_between(_first_partial(candidate), wanted)) <= WRONG_NOTE_CENTS
        ]
        likely = max(near, key=lambda one: one.score, default=None)
        if likely is not None and likely.score >= 0.75 * best.score:
            return likely
    return best


def _gather(peaks: Sequence[_Peak], root: float, strongest: float) -> _Series | None:
    """Walk up the partials of a fundamental, each sought where the ones below it say; missing ones count against it."""
    hz = np.array([peak.hz for peak in peaks])
    partials: dict[int, _Peak] = {}
    f0, stiff, missing = root, 0.0, 0
    most = int(min(PARTIALS_TO_HZ, hz[-1] * 1.05) / root)
    gone = 0
    for n in range(1, min(40, most) + 1):
        expect = n * f0 * math.sqrt(1 + stiff * n * n)
        if expect > PARTIALS_TO_HZ:
            break
        reach = max(0.012 * f0 * (1 if len(partials) > 2 else 1.5) + 0.0012 * expect, 0.6)
        near = int(np.argmin(np.abs(hz - expect)))
        if abs(hz[near] - expect) <= min(reach, 0.2 * f0):
            partials[n] = peaks[near]
            gone = 0
            if len(partials) >= 2:
                f0, stiff = _line(partials)
        else:
            missing += 1
            gone += 1
            if gone > 6:
                break
    if not partials:
        return None
    weight = {n: max(0.0, one.db - strongest + 50) / 50 for n, one in partials.items()}
    top = max(partials)
    absent = sum(1.0 for n in range(1, min(top, 12) + 1) if n not in partials)
    # a fundamental far too low explains everything with partials that are mostly absent
    return _Series(f0, stiff, partials, sum(weight.values()) - 0.6 * absent)


def _line(partials: dict[int, _Peak]) -> tuple[float, float]:
    """f₀ and B from (f_n/n)² = f₀²(1 + Bn²), weighted by loudness, outliers left out one after another."""
    kept = dict(partials)
    while True:
        n = np.array(list(kept), dtype=float)
        y = np.array([peak.hz for peak in kept.values()]) / n
        loud = np.array([peak.db for peak in kept.values()])
        weight = n * 10 ** (np.clip(loud - loud.max(), -40, 0) / 40)
        if len(kept) < 3:
            f0 = float(np.average(y, weights=weight))
            return f0, 0.0
        matrix = np.column_stack([np.ones_like(n), n**2])
        a, b = np.linalg.lstsq(matrix * weight[:, None], y**2 * weight, rcond=None)[0]
        stiff = float(min(MOST_STIFF, max(0.0, b / a))) if a > 0 else 0.0
        f0_squared = float(np.average(y**2 / (1 + stiff * n**2), weights=weight**2))
        rest = np.abs(1200 * np.log2(y / np.sqrt(f0_squared * (1 + stiff * n**2))))
        worst = int(np.argmax(rest))
        if rest[worst] > max(1.5, 4 * float(np.median(rest))) and len(kept) > 4:
            del kept[list(kept)[worst]]
            continue
        return math.sqrt(f0_squared), stiff


def _first_partial(series: _Series) -> float:
    return series.f0 * math.sqrt(1 + series.stiff)


def _refuse_second(peaks: Sequence[_Peak], series: _Series) -> None:
    """Refuse when what the series leaves unexplained is as loud as a note of its own, or when it is two notes over a
    missing root.
    """
    own = list(series.partials.values())
    loudest = max(one.db for one in own)
    heard = nearest_note(_first_partial(series))[0]
    loud = [n for n, one in series.partials.items() if one.db > loudest - OTHER_NOTE_DB]
    for one, other in SPLITS:
        alone = [sum(n % a == 0 and n % b != 0 for n in loud) for a, b in ((one, other), (other, one))]
        if min(alone) >= 2 and all(n % one == 0 or n % other == 0 for n in loud):
            names = [nearest_note(k * series.f0)[0] for k in (one, other)]
            raise PitchError(f"two notes at once: {names[0]} and {names[1]}. Damp the other strings.")
    left = [peak for peak in peaks if peak not in own and _is_of_another(peak, series, loudest)]
    if left:
        other_hz = max(left, key=lambda one: one.db).hz
        raise PitchError(f"two notes at once: {heard} and something at {other_hz:.1f} Hz. Damp the other strings.")


def _is_of_another(peak: _Peak, series: _Series, loudest_db: float) -> bool:
    """Whether a peak that is not the note's is of another note: loud enough, and neither rings along nor is hum."""
    if peak.db <= loudest_db - OTHER_NOTE_DB or peak.hz <= LOWEST_HZ or _rings_along(peak.hz, series):
        return False
    return peak.db >= loudest_db - HUM_DB or not _of_the_mains(peak.hz)


def _of_the_mains(hz: float) -> bool:
    """Whether a peak lies where mains hum does: a low multiple of 50 or 60 Hz."""
    whole = {mains: round(hz / mains) for mains in MAINS_HZ}
    return any(1 <= k <= MOST_HUM and abs(hz - mains * k) <= HUM_HZ for mains, k in whole.items())


def _rings_along(hz: float, series: _Series) -> bool:
    """Whether a partial is the note's own, or one of an octave or an octave and a fifth above it, whatever that
    string's stiffness.
    """
    for times in (1, 2, 3):
        k = max(1, round(hz / (times * series.f0)))
        for n in (k - 1, k):
            if n >= 1:
                off = cents_between(hz, times * n * series.f0)
                stiff = series.stiff if times == 1 else ALONG_STIFF
                if -6 <= off <= 6 + 600 * math.log2(1 + stiff * n * n):
                    return True
    return False


def _confidence(series: _Series, peaks: Sequence[_Peak], floor: float) -> float:
    """How much of the sound's power the series explains, less where it stands little out of the floor."""
    power = sum(10 ** (peak.db / 10) for peak in peaks)
    own = sum(10 ** (partial.db / 10) for partial in series.partials.values())
    clear = min(1.0, (max(partial.db for partial in series.partials.values()) - floor) / 50)
    return float(min(1.0, own / power) * clear)
