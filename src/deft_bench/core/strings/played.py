"""Notes found in a stream while it is played: where each begins, how long it rings, and which place it is of.

A pluck is a level that rises threefold over the least of the hops before it (as in `pitch.plucks_in`), here found as
the samples come. It is measured once it has rung for its window, or when the next begins or it has died away, if it
rang long enough; what is shorter is a finger, not a note.
"""

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from deft_bench.core.strings.notes import cents_between
from deft_bench.core.strings.pitch import HOP_S, LEAST_RATE, LEAST_S, MOST_RATE, PLUCK_TIMES, REST_HOPS, Samples

WINDOW_S, BEFORE_S = 1.1, 0.06
"""A note is measured over so much after its beginning, and kept from so much before it."""
QUIET, OF_LOUDEST, LOUDEST_OF = 0.003, 0.08, 6
"""A pluck rises over −50 dB of full scale, and over so much of the loudest of the last few notes."""
LEVEL_HOPS = 3
"""The level is of so many hops together: a turn of the lowest string, 31 Hz, is longer than one of them."""
WRONG_CENTS = 45.0
"""Within this of a place's pitch against its open string a note is of that place; what is further off is another."""
GOES_ON = 2
"""A note goes on from one of so many before it: the last may have been a slip."""
DIED, OVER_BEFORE = 0.04, 1.5
"""A note has died away at so much of its loudest, or this near what was heard before it."""


@dataclass(frozen=True, slots=True)
class Pluck:
    """One note: where it begins in the stream, seconds, and its samples."""

    at_s: float
    samples: Samples


@dataclass(slots=True)
class Stream:
    """Fed with samples (full scale ±1) at a rate in Hz as they come; raises ValueError for a rate of no sound."""

    rate: float
    _rest: Samples = field(default_factory=lambda: np.zeros(0))
    _kept: Samples = field(default_factory=lambda: np.zeros(0))
    _from: int = 0
    _levels: deque[float] = field(default_factory=lambda: deque(maxlen=REST_HOPS))
    _loudest: deque[float] = field(default_factory=lambda: deque(maxlen=LOUDEST_OF))
    _powers: deque[float] = field(default_factory=lambda: deque(maxlen=LEVEL_HOPS))
    _begun: int | None = None
    _peak: float = 0.0
    _before: float = 0.0

    def __post_init__(self) -> None:
        if not LEAST_RATE <= self.rate <= MOST_RATE:
            raise ValueError(f"a sampling rate of {self.rate:g} Hz is not accepted: 8 to 192 kHz")

    @property
    def _hop(self) -> int:
        return max(1, int(self.rate * HOP_S))

    @property
    def seconds(self) -> float:
        """How much has been heard."""
        return (self._from + len(self._kept)) / self.rate

    def feed(self, samples: Samples) -> list[Pluck]:
        """The notes that are ready to be measured."""
        heard = np.concatenate([self._rest, samples])
        whole = len(heard) // self._hop * self._hop
        self._rest = heard[whole:]
        found: list[Pluck] = []
        for block in heard[:whole].reshape(-1, self._hop):
            self._take(block, found)
        return found

    def end(self) -> list[Pluck]:
        """What still rings when the stream is over."""
        found: list[Pluck] = []
        self._close(found, len(self._kept))
        return found

    def _take(self, block: Samples, found: list[Pluck]) -> None:
        self._powers.append(float(np.mean(block**2)))
        level = float(np.sqrt(np.mean(self._powers)))
        at = self._from + len(self._kept)
        self._kept = np.concatenate([self._kept, block])
        quiet = max(QUIET, OF_LOUDEST * float(np.median(self._loudest))) if self._loudest else QUIET
        before = min(self._levels, default=level)
        rises = level > quiet and level > PLUCK_TIMES * (before + 1e-9)
        rested = self._begun is None or at - self._begun > REST_HOPS * self._hop
        self._levels.append(level)
        if rises and rested:
            self._close(found, at - self._from)
            self._begun, self._peak, self._before = at, level, before
        elif self._begun is not None:
            self._peak = max(self._peak, level)
            if at - self._begun >= WINDOW_S * self.rate or level < max(DIED * self._peak, OVER_BEFORE * self._before):
                self._close(found, at - self._from)
        if self._begun is None:
            lead = int(0.1 * self.rate)
            self._from += max(0, len(self._kept) - lead)
            self._kept = self._kept[-lead:]

    def _close(self, found: list[Pluck], end: int) -> None:
        """End the note that rings, at a sample of what is kept."""
        if self._begun is None:
            return
        start = max(0, self._begun - self._from - int(BEFORE_S * self.rate))
        if (self._from + end - self._begun) / self.rate >= LEAST_S + BEFORE_S:
            self._loudest.append(self._peak)
            found.append(Pluck(self._begun / self.rate, self._kept[start:end].copy()))
        self._from, self._kept, self._begun = self._from + end, self._kept[end:], None


@dataclass(frozen=True, slots=True)
class Wanted:
    """A note that may be played: its place's code, its string, what it is (open, harmonic, fretted), its fret, and the
    pitch it should have, Hz.
    """

    code: str
    string: int
    what: str
    fret: int
    hz: float
    heard: bool = False


def place_of(hz: float, wanted: Sequence[Wanted], kept: Sequence[str]) -> Wanted | None:
    """The place that a pitch is of, where notes come in any order; None where no place has that pitch.

    Of places of one pitch (a fifth fret and the next open string, an octave's harmonic and its fretted note) the one is
    taken that goes on from the note before, then from the one before that, which a slip may have followed: next in
    turn, or the same step on along the strings and frets. Where none does, it is one that is not heard yet: an open
    string (the others are heard against it), then what is played as the last was, nearest to the hand, the soonest.
    `kept` are the codes of the notes that were kept, the last one last.
    """
    near = [k for k, one in enumerate(wanted) if abs(cents_between(hz, one.hz)) <= WRONG_CENTS]
    codes = [one.code for one in wanted]
    came = [codes.index(code) for code in kept[-GOES_ON:] if code in codes]
    onward = _onward(wanted, came)
    last = wanted[came[-1]] if came else None
    after = came[-1] + 1 if came else 0

    def cost(k: int) -> tuple[int, bool, bool, bool, int, int]:
        one = wanted[k]
        other = last is not None and one.what != last.what
        far = _apart(one, last) if last else 0
        return onward.get(k, GOES_ON), one.heard, one.what != "open", other, far, (k - after) % len(wanted)

    return wanted[min(near, key=cost)] if near else None


def _apart(one: Wanted, other: Wanted) -> int:
    """How far the hand goes from one to the other: across strings, and along them where it holds both."""
    along = abs(one.fret - other.fret) if one.what == other.what == "fretted" else 0
    return abs(one.string - other.string) + along


def _onward(wanted: Sequence[Wanted], came: Sequence[int]) -> dict[int, int]:
    """The places that go on from the notes before, by how many notes ago: next in turn, and a step like the last."""
    at = {(one.string, one.what, one.fret): k for k, one in enumerate(wanted)}
    out: dict[int, int] = {}
    for ago, k in enumerate(reversed(came)):
        nexts = [k + 1]
        if ago == 0 and len(came) > 1:
            one, before = wanted[k], wanted[came[-2]]
            nexts.append(at.get((2 * one.string - before.string, one.what, 2 * one.fret - before.fret), k + 1))
        for place in nexts:
            if place < len(wanted):
                out.setdefault(place, ago)
    return out
