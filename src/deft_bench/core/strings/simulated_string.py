"""A stiff string that is plucked, rings, dies away and strikes the frets beneath it, step by step in time.

Finite differences of u_tt = c²u_xx − κ²u_xxxx − 2σ₀u_t + 2σ₁u_txx between two ends that hold it (S. Bilbao, Numerical
Sound Synthesis, §7.3, the stiff string with frequency-dependent loss), at the longest stable time step. Frets are met
without give: a point that would pass into one is held on it for that step. The step's work is the contact force times
(u⁺ − u⁻)/2, and a point that ends on the fret was above it before: contact never adds energy, however hard it strikes.

The second opinion on `clearance`, and the sound of a simulated instrument. Many notes are played at once, each in its
own time step. Derived and checked in docs/methods/simulated-string.md.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.strings.clearance import Strung
from deft_bench.core.strings.frame import Array, StringFrame
from deft_bench.core.strings.string_set import StringMake
from deft_bench.core.strings.stroke import Stroke

LEAST_POINTS, MOST_POINTS = 36, 144
HALF_RATE_HZ = 32_000.0
"""A string is cut into so many steps as carry partials to about here, within those numbers."""
NEAR_STABLE = 0.999
DECAY_LOW_S, DECAY_HIGH_S, HIGH_HZ = 4.0, 0.5, 3_000.0
"""Time to fall by 60 dB at the first partial, and at `HIGH_HZ`: a fresh steel string on a firm instrument."""
BUZZ_FROM_HZ, BUZZ_TO_HZ = 2_500.0, 10_000.0
AUDIBLE_DB = -40.0
"""A buzz is heard between these frequencies, from this far under the note on."""
ROUNDED_MM = 4.0
"""What a pick or a fingertip rounds of the drawn corner."""
LOST = 3 * math.log(10)
"""Nepers of amplitude in 60 dB."""


@dataclass(frozen=True, slots=True)
class Ringing:
    """One note before it is plucked: the string from where it is held to the saddle. Lengths mm, force N, mass kg/m,
    bending stiffness EI in N·mm².

    `over_mm` are frets, by their distance from where it is held, and `room_mm` how far the string at rest lies above
    each.
    """

    length_mm: float
    tension_n: float
    mass_kg_per_m: float
    pluck_n: float
    from_saddle_mm: float
    over_mm: Sequence[float] = ()
    room_mm: Sequence[float] = ()
    bending_n_mm2: float = 0.0
    toward: bool = True
    rounded_mm: float = ROUNDED_MM
    decay_low_s: float = DECAY_LOW_S
    decay_high_s: float = DECAY_HIGH_S

    @property
    def hz(self) -> float:
        """Its first partial without stiffness, Hz."""
        return math.sqrt(self.tension_n / self.mass_kg_per_m) / (2 * self.length_mm / 1000)

    def without_frets(self) -> "Ringing":
        """The same pluck over nothing."""
        return replace(self, over_mm=(), room_mm=())


@dataclass(frozen=True, slots=True)
class Rang:
    """What was heard and seen. `bridge_n` is the force across the saddle, [notes, steps]; `step_s` the time step of
    each note; `struck_ns` how hard each fret was met over all, N·s, and `lowest_mm` how far below rest the string came
    over it, both [notes, frets]; `energy_j` [notes, steps] where it was asked for.
    """

    bridge_n: Array
    step_s: Array
    struck_ns: Array
    lowest_mm: Array
    energy_j: Array | None

    def sound(self, note: int, rate: int) -> Array:
        """The bridge's force sampled at a rate in Hz, its mean taken off."""
        step, force = float(self.step_s[note]), self.bridge_n[note]
        times = np.arange(0, step * len(force), 1 / rate)
        heard = np.interp(times, step * np.arange(len(force)), force)
        return np.asarray(heard - np.mean(heard), dtype=float)


def ringing(
    frame: StringFrame, strung: Strung, make: StringMake, tension_n: float, pluck_n: float, stroke: Stroke, fretted: int
) -> Ringing:
    """A note over the frets as `clearance` has them, fretted at a fret (0 open), plucked toward the board."""
    x = np.concatenate(([0.0], frame.positions()))
    return Ringing(
        frame.scale_mm - float(x[fretted]),
        tension_n,
        make.mass(),
        pluck_n,
        stroke.from_saddle_mm,
        (x[fretted + 1 :] - x[fretted]).tolist(),
        strung.static[fretted][fretted:].tolist(),
        make.bending_n_mm2,
    )


def away_from(notes: Sequence[Ringing], stroke: Stroke) -> list[Ringing]:
    """The same notes plucked away from the board, by the hand's share of such a stroke."""
    return [replace(note, toward=False, pluck_n=note.pluck_n * stroke.away_share) for note in notes]


def points_for(notes: Sequence[Ringing], to_hz: float = HALF_RATE_HZ) -> int:
    """Into how many steps the strings are cut: enough for the lowest of the notes to carry partials so high."""
    return round(min(MOST_POINTS, max(LEAST_POINTS, to_hz / min(one.hz for one in notes))))


def steps_for(notes: Sequence[Ringing], seconds: float, points: int | None = None) -> int:
    """How many steps cover so many seconds of every note."""
    return math.ceil(seconds / float(np.min(_strings(notes, points or points_for(notes)).step)))


@dataclass(frozen=True, slots=True)
class _Strings:
    """The notes as columns, SI units, [notes, 1]."""

    space: Array
    step: Array
    tension: Array
    mass: Array
    bending: Array
    loss: Array
    high_loss: Array

    def columns(self) -> tuple[Array, ...]:
        """All of them, in order."""
        return self.space, self.step, self.tension, self.mass, self.bending, self.loss, self.high_loss


def _strings(notes: Sequence[Ringing], points: int) -> _Strings:
    length, tension, mass, bending, t_low, t_high = np.array(
        [
            (
                one.length_mm / 1000,
                one.tension_n,
                one.mass_kg_per_m,
                one.bending_n_mm2 * 1e-6,
                one.decay_low_s,
                one.decay_high_s,
            )
            for one in notes
        ]
    ).T[:, :, None]
    space, speed2, stiff2 = length / points, tension / mass, bending / mass
    loss, high_loss = losses(length, speed2, stiff2, t_low, t_high)
    # the longest stable step: (c² + 4κ²/h²)k² + 4σ₁k = h²
    square, linear = speed2 + 4 * stiff2 / space**2, 4 * high_loss
    step = NEAR_STABLE * (np.sqrt(linear**2 + 4 * square * space**2) - linear) / (2 * square)
    return _Strings(space, step, tension, mass, bending, loss, high_loss)


def losses(length: Array, speed2: Array, stiff2: Array, t_low: Array, t_high: Array) -> tuple[Array, Array]:
    """σ₀ in 1/s and σ₁ in m²/s from length in m, c², κ² (SI) and the two times of decay: a partial of wave number k
    falls as e^−(σ₀ + σ₁k²)t.
    """
    first, second = np.pi / length * np.sqrt(speed2), 2 * np.pi * HIGH_HZ
    low, high = _wave2(first, speed2, stiff2), _wave2(np.maximum(second, 2 * first), speed2, stiff2)
    loss = np.maximum(0.0, LOST / (high - low) * (high / t_low - low / t_high))
    return loss, np.maximum(0.0, LOST / (high - low) * (1 / t_high - 1 / t_low))


def _wave2(angular: Array, speed2: Array, stiff2: Array) -> Array:
    """The wave number squared of a stiff string at an angular frequency."""
    plain = angular**2 / speed2
    return np.where(stiff2 > 0, (np.sqrt(speed2**2 + 4 * stiff2 * angular**2) - speed2) / (2 * stiff2 + 1e-300), plain)


def _drawn(note: Ringing, points: int) -> Array:
    """The shape it is let go from, m, [points + 1]: the triangle of the force, its corner rounded by −(Fa/2T)·e^(−|x −
    x_p|/a), a² = EI/T of the string's stiffness (the bent beam under tension, far from its ends) and the square of what
    the pick or the fingertip rounds.
    """
    length, p = note.length_mm, min(note.from_saddle_mm, note.length_mm / 2)
    x = np.linspace(0.0, length, points + 1)
    high = note.pluck_n * p * (length - p) / (note.tension_n * length)
    shape = high * np.minimum(x / (length - p), (length - x) / p)
    round_mm = math.sqrt(note.bending_n_mm2 / note.tension_n + note.rounded_mm**2)
    if round_mm:
        away = np.abs(x - (length - p)) / round_mm
        shape = np.maximum(0.0, shape - note.pluck_n * round_mm / (2 * note.tension_n) * np.exp(-away))
    return np.asarray((-shape if note.toward else shape) / 1000, dtype=float)


def play(notes: Sequence[Ringing], steps: int, points: int | None = None, watch_energy: bool = False) -> Rang:
    """Pluck every note and follow it for so many steps of its own time, cut into so many points. Raises ValueError
    where frets and room differ in number, or a fret lies outside its string.
    """
    points = points or points_for(notes)
    strings = _strings(notes, points)
    frets = _Frets.under(notes, points)
    # each shape has a point more beyond both ends
    now, before, after = (np.zeros((len(notes), points + 3)) for _ in range(3))
    for row, note in zip(now, notes, strict=True):
        row[1:-1] = _drawn(note, points)
    frets.hold(now.ravel())
    before[:] = now
    advance = _one(strings, points) if len(notes) == 1 else _many(strings, points)
    lowest, struck = frets.string_over(now.ravel()), np.zeros(frets.at.shape)
    bridge = np.empty((steps, len(notes)))
    energy = np.empty((steps, len(notes))) if watch_energy else None
    for i in range(steps):
        advance(now, before, after[:, 2:-2])
        if frets.at.size:
            over = frets.string_over(after.ravel())
            if (over < frets.floor).any():
                struck += frets.hold(after.ravel())
                over = frets.string_over(after.ravel())
            np.minimum(lowest, over, out=lowest)
        bridge[i] = now[:, -3]
        if energy is not None:
            energy[i] = _energy(strings, now, before)
        now, before, after = after, now, before
    pull = (strings.tension / strings.space)[:, 0]
    weight = strings.mass * strings.space / strings.step * (1 + strings.loss * strings.step)
    return Rang(
        (bridge * pull).T, strings.step[:, 0], struck * weight, -1000 * lowest, None if energy is None else energy.T
    )


def _weights(strings: _Strings) -> tuple[Array, ...]:
    """What a point and its neighbours, now and a step before, count in where it goes: now itself, one and two steps
    off, before itself and one step off.
    """
    h, k = strings.space, strings.step
    pull = strings.tension / strings.mass * k**2 / h**2
    bend = strings.bending / strings.mass * k**2 / h**4
    smooth, damp = 2 * strings.high_loss * k / h**2, strings.loss * k
    all_of = (
        2 - 2 * pull - 6 * bend - 2 * smooth,
        pull + 4 * bend + smooth,
        -bend,
        -(1 - damp) + 2 * smooth,
        -smooth,
    )
    return tuple(np.asarray(one / (1 + damp), dtype=float) for one in all_of)


Advance = Callable[[Array, Array, Array], None]
"""Puts where the inner points go, from now and a step before, into the last array."""


def _many(strings: _Strings, points: int) -> Advance:
    """Every point from its neighbours, all notes at once."""
    own, near, far, own_before, near_before = _weights(strings)
    part = np.empty((len(own), points - 1))

    def advance(now: Array, before: Array, room: Array) -> None:
        # held ends turn the string over beyond them (simply supported)
        now[:, 0], now[:, -1] = -now[:, 2], -now[:, -3]
        np.multiply(now[:, 2:-2], own, out=room)
        for one, other, weight in (
            (now[:, 1:-3], now[:, 3:-1], near),
            (now[:, :-4], now[:, 4:], far),
            (before[:, 1:-3], before[:, 3:-1], near_before),
        ):
            np.add(one, other, out=part)
            np.multiply(part, weight, out=part)
            np.add(room, part, out=room)
        np.multiply(before[:, 2:-2], own_before, out=part)
        np.add(room, part, out=room)

    return advance


def _one(strings: _Strings, points: int) -> Advance:
    """The same for a single note as two products with matrices, which is quicker."""
    inner = points - 1
    every = _many(_Strings(*(np.repeat(column, inner, axis=0) for column in strings.columns())), points)
    unit, none = np.zeros((2, inner, points + 3))
    unit[:, 2:-2] = np.eye(inner)
    by_now, by_before = np.empty((2, inner, inner))
    every(unit, none, by_now)
    every(none, unit, by_before)
    part = np.empty(inner)

    def advance(now: Array, before: Array, room: Array) -> None:
        np.dot(now[0, 2:-2], by_now, out=room[0])
        np.dot(before[0, 2:-2], by_before, out=part)
        np.add(room[0], part, out=room[0])

    return advance


def _energy(strings: _Strings, now: Array, before: Array) -> Array:
    """The scheme's own energy, J, which only losses and contact change."""
    h, k = strings.space[:, 0], strings.step[:, 0]
    moved = (now - before)[:, 1:-1]
    steep, steep_before = np.diff(now[:, 1:-1], axis=1), np.diff(before[:, 1:-1], axis=1)
    bent, bent_before = np.diff(steep, axis=1), np.diff(steep_before, axis=1)
    kinetic = strings.mass[:, 0] * h / (2 * k**2) * np.sum(moved**2, axis=1)
    drawn = strings.tension[:, 0] / (2 * h) * np.sum(steep * steep_before, axis=1)
    curved = strings.bending[:, 0] / (2 * h**3) * np.sum(bent * bent_before, axis=1)
    # the loss of high partials is taken a step late: its own share of the balance
    late = strings.mass[:, 0] * strings.high_loss[:, 0] / (2 * k * h) * np.sum((steep - steep_before) ** 2, axis=1)
    return np.asarray(kinetic + drawn + curved - late, dtype=float)


@dataclass(frozen=True, slots=True)
class _Frets:
    """Where each fret lies among all points of all notes: the point before it, how far on toward the next, and how high
    it stands against the rest, m, all [notes, frets]; padded with an end, which never moves.
    """

    at: NDArray[np.intp]
    on: Array
    floor: Array

    @classmethod
    def under(cls, notes: Sequence[Ringing], points: int) -> "_Frets":
        """The frets of all notes; raises ValueError for one outside its string, or without its room."""
        most = max((len(note.over_mm) for note in notes), default=0)
        at, on = np.ones((len(notes), most), dtype=np.intp), np.zeros((len(notes), most))
        floor = np.full((len(notes), most), -1.0)
        for i, note in enumerate(notes):
            if len(note.over_mm) != len(note.room_mm):
                raise ValueError("every fret under the string needs its room")
            if any(not 0 < x < note.length_mm for x in note.over_mm):
                raise ValueError("a fret lies outside the string")
            count = len(note.over_mm)
            place = np.array(note.over_mm, dtype=float) / note.length_mm * points
            at[i, :count] = np.floor(place).astype(np.intp) + 1
            on[i, :count] = place - np.floor(place)
            floor[i, :count] = -np.array(note.room_mm, dtype=float) / 1000
            at[i] += i * (points + 3)
        return cls(at, on, floor)

    def string_over(self, shape: Array) -> Array:
        """How high the string is over each fret, between the two points beside it, m."""
        before = shape.take(self.at)
        return np.asarray(before + self.on * (shape.take(self.at + 1) - before), dtype=float)

    def hold(self, shape: Array) -> Array:
        """Lift the string onto every fret that it passed into, and how far that pushed, m. Every other fret in turn,
        for neighbours may share a point.
        """
        pushed = np.zeros(self.at.shape)
        for first in (0, 1):
            some = slice(first, None, 2)
            at, on = self.at[:, some], self.on[:, some]
            off = shape[at] + on * (shape[at + 1] - shape[at])
            push = np.maximum(self.floor[:, some] - off, 0.0) / ((1 - on) ** 2 + on**2)
            shape[at] += (1 - on) * push
            shape[at + 1] += on * push
            pushed[:, some] = push
        return pushed


def buzz_db(notes: Sequence[Ringing], periods: float = 12, points: int = 80) -> Array:
    """How loud above `BUZZ_FROM_HZ` is what the frets add to each note, in dB against the whole note, [notes]: what is
    played over frets less the same pluck without them. Heard as a buzz from `AUDIBLE_DB` on.
    """
    steps = math.ceil(2 * points * periods)
    struck = play(notes, steps, points)
    free = play([note.without_frets() for note in notes], steps, points)
    window = np.hanning(steps)
    added = np.abs(np.fft.rfft((struck.bridge_n - free.bridge_n) * window)) ** 2
    whole = np.abs(np.fft.rfft((free.bridge_n - free.bridge_n.mean(axis=1, keepdims=True)) * window)) ** 2
    hz = np.fft.rfftfreq(steps)[None, :] / struck.step_s[:, None]
    heard = np.where((hz > BUZZ_FROM_HZ) & (hz < BUZZ_TO_HZ), added, 0.0).sum(axis=1)
    return np.asarray(10 * np.log10((heard + 1e-30) / np.where(hz < BUZZ_TO_HZ, whole, 0.0).sum(axis=1)), dtype=float)


def loudest_buzz_db(notes: Sequence[Ringing], stroke: Stroke, periods: float = 12, points: int = 80) -> Array:
    """`buzz_db` of the louder of a stroke toward the board and one away from it, [notes]."""
    return np.maximum(buzz_db(notes, periods, points), buzz_db(away_from(notes, stroke), periods, points))
