"""Whether the sound of a note is whole: a computer that is busy may drop a piece of it, and the string goes on.

Where a time T of sound is missing, every partial's phase jumps by 2π·f·T at the same moment; the pitch that is fitted
over the jump is wrong by up to half a cycle in the note's length (8 cents of a low note). A glide, a beat of two notes
and a fret that is touched move the phases too, but slowly, or each partial's by an amount of its own. Derived in
docs/methods/pitch.md.
"""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.strings.vibrato import LOUD_DB, Samples

MOST_PARTIALS, LEAST_PARTIALS = 8, 3
PERIODS, LEAST_WINDOW_S = 4, 0.012
"""The phase before and after a moment is taken over so many turns of the string, and not over less."""
STEP_S = 0.002
ASIDE = 1.5
"""So many windows to either side the slow movement of the phase is looked at, and taken off."""
JUMPS = np.linspace(-0.5, 0.5, 101)
"""Jumps that are tried, in turns of the string."""
BETTER, AT_ONCE, OVER_THE_REST = 0.1, 0.9, 5.0
"""A jump explains the phases by so much better than none, makes them agree so well, and stands so far over the better
quarter of all other moments.
"""
DIED, DAMPED = 0.4, 0.8
"""Where the partials (by the roots of their sizes) come to less than so much of their most the note has died away, and
where they fall to less than so much from one window to the next it is damped.
"""

MATTERS = 0.9
"""After so much of a note a jump moves the fitted pitch no more, and the hand is on the string."""


def broken_at(part: Samples, rate: float, partials: Mapping[int, tuple[float, float]]) -> float | None:
    """Where in a note sound is missing, seconds; None where it is whole, or has too few partials to tell.

    `partials` are about at (Hz, dB), by number; `rate` is in Hz.
    """
    loudest = max(db for _, db in partials.values())
    hz = np.array([at for n, (at, db) in partials.items() if n <= MOST_PARTIALS and db > loudest - LOUD_DB])
    if len(hz) < LEAST_PARTIALS:
        return None
    root = min(at / n for n, (at, _) in partials.items())
    window = int(max(PERIODS / root, LEAST_WINDOW_S) * rate)
    step = max(1, int(STEP_S * rate))
    turned, fell = _turned(part, rate, hz, window, step)
    if turned.shape[1] < 3:
        return None
    size = abs(turned).sum(axis=0)
    better, agree = _explained(turned / size, hz / root, round(ASIDE * window / step))
    rings = (size >= DIED * size.max()) & (fell >= DAMPED)
    rings &= np.arange(len(size)) * step + window <= MATTERS * len(part)
    jump = np.where((agree >= AT_ONCE) & rings, better, 0.0)
    at = int(np.argmax(jump))
    if jump[at] < max(BETTER, OVER_THE_REST * float(np.quantile(better, 0.75))):
        return None
    return (at * step + window) / rate


def _turned(part: Samples, rate: float, hz: Samples, window: int, step: int) -> tuple[NDArray[np.complex128], Samples]:
    """How each partial turns from the window before a moment to the one after it, (partials, moments); its size is
    the root of the less of the two. And to how much of the window before they fall together, for each moment.
    """
    from scipy.signal import fftconvolve

    weights = np.hanning(window + 2)[1:-1]
    shifted = part * np.exp(-2j * np.pi * hz[:, None] * np.arange(len(part)) / rate)
    base = fftconvolve(shifted, weights[None, :], mode="valid", axes=1)
    before, after = base[:, :-window:step], base[:, window::step]
    size = np.sqrt(np.minimum(abs(before), abs(after))) + 1e-12
    fell = np.sqrt(abs(after)).sum(axis=0) / (np.sqrt(abs(before)).sum(axis=0) + 1e-12)
    return size * np.exp(1j * np.angle(after * before.conj())), fell


def _explained(turned: NDArray[np.complex128], ratios: Samples, aside: int) -> tuple[Samples, Samples]:
    """For each moment, how much better the best jump explains the phases than none does, and how well they agree
    with it, 0 to 1.
    """
    unit = np.exp(1j * np.angle(turned))
    padded = np.pad(unit, ((0, 0), (aside, aside)))
    slow = padded[:, : -2 * aside] + padded[:, 2 * aside :]
    left = turned * np.where(abs(slow) > 0, np.exp(-1j * np.angle(slow)), 1)
    fits = np.real(left.T @ np.exp(-2j * np.pi * ratios[:, None] * JUMPS[None, :]))
    best = np.max(fits, axis=1)
    return best - fits[:, len(JUMPS) // 2], best
