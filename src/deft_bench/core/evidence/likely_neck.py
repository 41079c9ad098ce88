"""The likely neck: draws of all fret tops that agree with the evidence and with what such necks are like.

Height of fret n in lane ℓ: h = w + κ·bow + τ·twist + ρ·ramp, w = u + v (this fret; this fret in this lane), about the
line of each survey. The draws are made by Gibbs sampling with several chains at once: a fret's u and its three w are
drawn together on a grid (frets that no rocker joins at the same time), lines and shape from their normal conditional,
and moves along what no reading can tell apart (a line or a bow of all frets against the survey's) by Metropolis's rule.
Derived in docs/methods/neck-evidence.md.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.evidence.beam_ink import ink_along, ink_chance
from deft_bench.core.evidence.kinds import Act, Evidence, Feeler, Heights, Ink, Rocker
from deft_bench.core.evidence.prior import (
    BOW_SD_MM,
    LEVELLED,
    LOGISTIC,
    PRIORS,
    RAMP_NONE,
    RAMP_SD_MM,
    SEATED,
    SHARE_KNOWN,
    TWIST_SD_MM,
    WORN_FRETS,
    FretPrior,
    History,
    end_density,
    even_parts,
    normal,
)
from deft_bench.core.frets.heights import LANES as LANE_NAMES
from deft_bench.core.strings.frame import Array

Floats = NDArray[np.float32]
Whole = NDArray[np.intp]

CHAINS, WARM, KEPT = 12, 14, 14
REFIT_AT = (1, 4, 8, 11)
"""The rounds of the warming up after which the shape is fitted to the frets again."""
LANES = len(LANE_NAMES)
EDGE_MM = 0.005
"""How soft the edge of what a rocker or blade tells is."""
ROCKS_FROM = 0.75
SLIP = 0.01
"""How often a reading is a slip."""
SLIP_WIDE_MM = 2.0
"""A slip lies anywhere within so much of the truth."""
SLIP_DENSITY = SLIP / (2 * SLIP_WIDE_MM)
MISHEARD = 0.002
"""How often a rocker's answer is written down the wrong way."""
LINE_SD_MM, FEELER_LINE_SD_MM = 3.0, 0.3
ALL_LEVELLED, LEVELLED_BOW_SD_MM = 0.8, 0.015
"""A level of so many frets leaves a straight line, but for so much of a bow."""
SPIKE_SD_MM = 0.004
"""A rise or droop under this is none."""
LEAST_SPREAD_MM = 0.002
LEAST = np.float32(1e-11)
"""A chance under this share of the greatest counts as this."""
BLADE_SD_MM = 0.005
BENDS, BEND_STEPS = 2, (0.02, 0.1, 0.4)
"""How often in a round the whole neck is bent, and by which shares of what is usual."""
RIDGE_STEPS = np.array([0.4, 1.0, 3.0])
LIFT_SD_MM = 0.02
"""How well a lift that was measured is known."""
SPANS_ENOUGH = 1.0
"""Readings that span so much of the neck (of 2) tell of its bow."""


def _grid() -> Array:
    """Offsets that a fret is tried at, mm: fine near home, coarser further off."""
    half = [0.0]
    while half[-1] < 0.5:
        half.append(half[-1] + 0.002 + 0.06 * max(0.0, half[-1] - 0.03))
    return np.array([-at for at in half[:0:-1]] + half)


GRID = _grid()
CELLS = np.gradient(GRID)
FINE, FINE_CELLS = GRID.astype(np.float32), CELLS.astype(np.float32)


@dataclass(frozen=True, slots=True)
class Neck:
    """What is known before: positions of the frets, the joint, the history; mm. `loose` is the share of frets far up
    that sit loose, `missed` that of lifted frets that do not end near home, as a shop found them (None: as is usual).
    """

    positions_mm: Array
    history: History = "played"
    joint_fret: int | None = None
    loose: float | None = None
    missed: float | None = None

    @property
    def frets(self) -> int:
        """How many frets."""
        return len(self.positions_mm)

    def bow(self) -> Array:
        """What a millimetre of bow does to each fret: it lowers the middle."""
        x, first, last = self.positions_mm, self.positions_mm[0], self.positions_mm[-1]
        return np.asarray(-4 * (x - first) * (last - x) / (last - first) ** 2, dtype=float)

    def along(self) -> Array:
        """From −1 at the first fret to 1 at the last."""
        x = self.positions_mm
        return np.asarray(2 * (x - x[0]) / (x[-1] - x[0]) - 1, dtype=float)

    def ramp(self) -> Array:
        """From nothing at the joint to 1 at the last fret; nothing where there is none."""
        x, joint = self.positions_mm, self.joint_fret
        if joint is None or joint >= len(x):
            return np.zeros_like(x)
        return np.asarray(np.clip((x - x[joint - 1]) / (x[-1] - x[joint - 1]), 0, None), dtype=float)


@dataclass(slots=True)
class _Rows:
    """Evidence laid out for the sampler. A slot is a fret between two acts that moved it."""

    slot_fret: list[int] = field(default_factory=list)
    slot_prior: list[FretPrior] = field(default_factory=list)
    last: dict[int, int] = field(default_factory=dict)
    slot_flat: list[bool] = field(default_factory=list)
    """Whether a level has cut the neck's rise and twist out of it."""
    bow_sd: list[float] = field(default_factory=lambda: [BOW_SD_MM])
    """How far the bow of each epoch usually is from none, mm."""
    read: list[tuple[int, int, int, int, float, float, float]] = field(default_factory=list)
    """(slot, lane, epoch, line, sign, reading, spread)"""
    origin: list[tuple[int, int, int]] = field(default_factory=list)
    """(evidence, lane, fret) of each reading."""
    rock: list[tuple[tuple[int, int, int], int, int, bool, float]] = field(default_factory=list)
    blade: list[tuple[int, int, int, int, float, float]] = field(default_factory=list)
    ink: list[tuple[list[int], int, int, Array]] = field(default_factory=list)
    lines: list[float] = field(default_factory=list)
    lifted: list[tuple[int, int, float]] = field(default_factory=list)
    """(slot before, slot after, by how much) of each lift that was measured."""
    feeler_line: dict[tuple[int, int], int] = field(default_factory=dict)


def _laid_out(neck: Neck, evidence: Sequence[Evidence]) -> _Rows:
    rows = _Rows()
    lifted = SEATED if neck.missed is None else replace(SEATED, even_wide=neck.missed)
    for fret in range(1, neck.frets + 1):
        _new_slot(rows, fret, PRIORS[neck.history])
    for i, one in enumerate(evidence):
        if isinstance(one, Act):
            _act(rows, one, neck.frets, lifted)
        elif isinstance(one, Heights):
            _heights(rows, i, one)
        elif isinstance(one, Feeler):
            _feeler(rows, one)
        elif isinstance(one, Rocker):
            a, b, c = (rows.last[fret] for fret in one.frets)
            rows.rock.append(((a, b, c), one.lane, len(rows.bow_sd) - 1, one.rocks, one.tolerance_mm))
        elif isinstance(one, Ink):
            frets = range(one.from_fret, one.to_fret + 1)
            shows = {fret: k for k, said in enumerate((one.gone, one.partly, one.left)) for fret in said}
            said = np.array([one.strokes, *(shows.get(fret, -1) for fret in frets)])
            rows.ink.append(([rows.last[fret] for fret in frets], one.lane, len(rows.bow_sd) - 1, said))
    return rows


def _act(rows: _Rows, one: Act, frets: int, lifted: FretPrior) -> None:
    """What was moved begins again. So does the bow: after a turn of the rod, or tangs driven home, anyhow; after a
    level of all frets at the beam's straight line. A few frets that are lifted or cut leave it as it is.
    """
    prior = {"reseated": SEATED, "lifted": lifted, "levelled": LEVELLED}.get(one.kind)
    touched = one.frets or range(1, frets + 1)
    if one.by_mm is not None and prior is not None:
        # it went where it was lifted to, near home or not
        prior = replace(prior, even_wide=0.9)
    flat = one.kind == "levelled" and len(touched) >= ALL_LEVELLED * frets
    if prior is not None:
        for fret in touched:
            before = rows.last[fret]
            _new_slot(rows, fret, prior, flat=flat)
            if one.by_mm is not None:
                rows.lifted.append((before, rows.last[fret], one.by_mm))
    if one.kind in ("rod", "reseated") or flat:
        rows.bow_sd.append(LEVELLED_BOW_SD_MM if flat else BOW_SD_MM)


def _heights(rows: _Rows, index: int, one: Heights) -> None:
    line, spread = len(rows.lines), max(LEAST_SPREAD_MM, one.spread)
    rows.lines.append(LINE_SD_MM)
    for fret, mm in one.readings.items():
        sign = -1.0 if one.gap else 1.0
        rows.read.append((rows.last[fret], one.lane, len(rows.bow_sd) - 1, line, sign, mm, spread))
        rows.origin.append((index, one.lane, fret))


def _feeler(rows: _Rows, one: Feeler) -> None:
    key = (one.lane, len(rows.bow_sd) - 1)
    if key not in rows.feeler_line:
        rows.feeler_line[key] = len(rows.lines)
        rows.lines.append(FEELER_LINE_SD_MM)
    stops = math.inf if one.stops_mm is None else one.stops_mm + 2 * BLADE_SD_MM
    passes = one.passes_mm - 2 * BLADE_SD_MM if one.passes_mm > 0 else -math.inf
    rows.blade.append((rows.last[one.fret], one.lane, len(rows.bow_sd) - 1, rows.feeler_line[key], passes, stops))


def _new_slot(rows: _Rows, fret: int, prior: FretPrior, *, flat: bool = False) -> None:
    rows.last[fret] = len(rows.slot_fret)
    rows.slot_fret.append(fret)
    rows.slot_prior.append(prior)
    rows.slot_flat.append(flat)


@dataclass(frozen=True, slots=True)
class Draws:
    """Draws of the neck as it is now, [draws, lanes, frets] in mm, with the shape in them; `even` and `own` are u and
    w, `bow_mm`, `twist_mm`, `ramp_mm` [draws]; `slips` the chance that each reading is one, with what was read there by
    the others: {(evidence, lane, fret): (chance, mean mm that the reading should have been)}.
    """

    heights_mm: Array
    even_mm: Array
    own_mm: Array
    bow_mm: Array
    twist_mm: Array
    ramp_mm: Array
    slips: Mapping[tuple[int, int, int], tuple[float, float]]

    def over_fair_line(self, positions_mm: Array) -> Array:
        """Heights over each lane's own fair line, least squares over all frets."""
        return over_fair_line(self.heights_mm, positions_mm)


def over_fair_line(heights_mm: Array, positions_mm: Array) -> Array:
    """Heights [..., frets] over their own line of least squares."""
    line = np.column_stack([np.ones_like(positions_mm), positions_mm])
    return np.asarray(heights_mm - heights_mm @ (line @ np.linalg.pinv(line)).T, dtype=float)


def likely_neck(neck: Neck, evidence: Sequence[Evidence], seed: int = 0) -> Draws:
    """Draw necks that agree with the evidence; the same request draws the same."""
    return _Sampler(neck, _laid_out(neck, evidence), seed).run()


@dataclass(frozen=True, slots=True)
class _Block:
    """Frets that are drawn at the same time, with what was read of them: rows of [frets × lanes] and readings; rows,
    frets, lanes, rocker triples and the fret's weight in each; (place, lane, blade); by kind of fret the spread of its
    tops and its places; how likely each place of the grid is beforehand; (place, fret) of those under a beam's ink;
    of lifts that were measured (place, the same fret before or after, how far over that).
    """

    slots: Whole
    reads: list[tuple[Whole | slice, Whole]]
    tests: list[tuple[Whole | slice, Whole, Whole, Whole, Array]]
    blades: list[tuple[Whole, Whole, Whole]]
    kinds: list[tuple[Floats, Whole | slice]]
    most: Floats
    rest: Floats
    inked: list[tuple[int, int]]
    lifted: list[tuple[int, int, float]]


class _Sampler:
    """The chains' state and moves; arrays lead with the chain."""

    def __init__(self, neck: Neck, rows: _Rows, seed: int) -> None:
        self.neck, self.rows, self.chance = neck, rows, np.random.default_rng(seed)
        frets = np.array(rows.slot_fret) - 1
        self.slots = len(frets)
        self.bow, self.along, self.ramp = neck.bow()[frets], neck.along()[frets], neck.ramp()[frets]
        cut = np.array(rows.slot_flat)
        self.ramp, self.twist = np.where(cut, 0.0, self.ramp), np.where(cut, 0.0, self.along)
        self.bow_sd = np.array(rows.bow_sd)
        parts = [even_parts(prior, fret + 1, GRID) for prior, fret in zip(rows.slot_prior, frets, strict=True)]
        # [slot, grid] of most frets, and of the rest
        self.most = np.array([most * CELLS for most, _ in parts], dtype=np.float32)
        self.rest = np.array([rest * CELLS for _, rest in parts], dtype=np.float32)
        self.share = np.tile([prior.even_wide for prior in rows.slot_prior], (CHAINS, 1))
        kinds = {id(prior): prior for prior in rows.slot_prior}
        # [kind][w, u]
        self.spread = [_spread_about(prior) for prior in kinds.values()]
        self.kinds = list(kinds.values())
        self.of_kind = np.array([list(kinds).index(id(prior)) for prior in rows.slot_prior])
        self.alike: list[tuple[FretPrior, Whole, int]] = []
        self.alike_ends: list[tuple[FretPrior, Whole]] = []
        for kind, prior in enumerate(self.kinds):
            own = np.flatnonzero(self.of_kind == kind)
            wears = (frets[own] < WORN_FRETS) & (prior.worn > 0)
            groups = ((own[~wears], WORN_FRETS + 1), (own[wears], 1))
            self.alike += [(prior, slots, fret) for slots, fret in groups if len(slots)]
            self.alike_ends.append((prior, own))
        self._arrays(rows, neck.positions_mm[frets])
        self._ink_laid_out()
        self._colour()
        self._begin()

    # -- layout ---------------------------------------------------------------------------------------------------

    def _arrays(self, rows: _Rows, x: Array) -> None:
        read = np.array([row[:4] for row in rows.read], dtype=np.intp).reshape(-1, 4)
        self.r_slot, self.r_lane, self.r_epoch, self.r_line = read.T
        value = np.array([row[4:] for row in rows.read], dtype=float).reshape(-1, 3)
        self.r_sign, self.r_mm, self.r_sd = value.T
        self.t_slots = np.array([row[0] for row in rows.rock], dtype=np.intp).reshape(-1, 3)
        self.t_lane = np.array([row[1] for row in rows.rock], dtype=np.intp)
        self.t_epoch = np.array([row[2] for row in rows.rock], dtype=np.intp)
        self.t_sign = np.array([1.0 if row[3] else -1.0 for row in rows.rock])
        self.t_from = ROCKS_FROM * np.array([row[4] for row in rows.rock], dtype=float)
        if len(self.t_slots):
            a, b, c = (x[self.t_slots[:, k]] for k in range(3))
            share = (b - a) / (c - a)
            self.t_by = np.column_stack([-(1 - share), np.ones_like(share), -share])
        else:
            self.t_by = np.zeros((0, 3))
        # how far a millimetre of bow, twist and ramp makes each triple rock
        self.t_bow = (self.t_by * self.bow[self.t_slots]).sum(axis=1)
        self.t_twist = (self.t_lane - 1) * (self.t_by * self.twist[self.t_slots]).sum(axis=1)
        self.t_ramp = (self.t_by * self.ramp[self.t_slots]).sum(axis=1)
        blade = np.array([row[:4] for row in rows.blade], dtype=np.intp).reshape(-1, 4)
        self.b_slot, self.b_lane, self.b_epoch, self.b_line = blade.T
        ends = np.array([row[4:] for row in rows.blade], dtype=float).reshape(-1, 2)
        self.b_low, self.b_high = ends.T
        self.x = x

    def _ink_laid_out(self) -> None:
        """Ink over the same frets is judged together: (slots, lanes with their epochs, what is shown, strokes)."""
        alike: dict[tuple[int, ...], list[tuple[int, int, Array]]] = {}
        for slots, lane, epoch, said in self.rows.ink:
            alike.setdefault(tuple(slots), []).append((lane, epoch, said))
        self.inked = [
            (
                np.array(slots, dtype=np.intp),
                [(lane, epoch) for lane, epoch, _ in rows],
                np.repeat(np.array([said[1:] for _, _, said in rows]), CHAINS, axis=0),
                np.repeat(np.array([float(said[0]) for _, _, said in rows]), CHAINS),
            )
            for slots, rows in alike.items()
        ]

    def _colour(self) -> None:
        """Slots that no rocker and no beam joins are drawn at the same time: each takes the first free colour."""
        joined: list[set[int]] = [set() for _ in range(self.slots)]
        lifted = [(before, after) for before, after, _ in self.rows.lifted]
        for group in [*self.t_slots, *(at for at, *_ in self.inked), *lifted]:
            for one in group:
                joined[one] |= {int(other) for other in group if other != one}
        colour = [-1] * self.slots
        for slot in range(self.slots):
            taken = {colour[other] for other in joined[slot]}
            colour[slot] = next(k for k in range(self.slots) if k not in taken)
        self.blocks = []
        for k in range(max(colour) + 1):
            self.blocks.append(self._block(np.array([slot for slot in range(self.slots) if colour[slot] == k])))

    def _block(self, slots: Whole) -> "_Block":
        """Slots of one colour with what was read of them: (place in the block, lane, row, and the role in a triple)."""
        place = {int(slot): i for i, slot in enumerate(slots)}

        def of(at: Whole, lanes: Whole) -> list[tuple[int, ...]]:
            rows = enumerate(zip(at, lanes, strict=True))
            return [(place[int(slot)], int(lane), r) for r, (slot, lane) in rows if int(slot) in place]

        roles = [
            (entry[0], entry[1], entry[2], role)
            for role in range(3)
            for entry in (of(self.t_slots[:, role], self.t_lane) if len(self.t_slots) else [])
        ]
        kinds = [(kind, np.flatnonzero(self.of_kind[slots] == kind)) for kind in range(len(self.kinds))]
        return _Block(
            slots,
            [(_rows_of(place, lane, len(slots)), r) for place, lane, r in _layers(of(self.r_slot, self.r_lane))],
            [
                (_rows_of(place, lane, len(slots)), slots[place], lane, t, self.t_by[t, role])
                for place, lane, t, role in _layers(roles)
            ],
            [(place, lane, r) for place, lane, r in _layers(of(self.b_slot, self.b_lane))],
            [(self.spread[kind], slice(None) if len(own) == len(slots) else own) for kind, own in kinds if len(own)],
            self.most[slots],
            self.rest[slots],
            [
                (place[slot], slot)
                for slot in sorted({int(slot) for at, *_ in self.inked for slot in at} & place.keys())
            ],
            [(place[after], before, by) for before, after, by in self.rows.lifted if after in place]
            + [(place[before], after, -by) for before, after, by in self.rows.lifted if before in place],
        )

    def _begin(self) -> None:
        """Start each chain: lines by the readings' own, shape and frets near nothing."""
        c = CHAINS
        self.u = np.zeros((c, self.slots))
        self.w = np.zeros((c, LANES, self.slots))
        # where only ink tells of the shape the chains begin as far apart as necks are, for they move slowly
        apart = 1.0 if self.rows.ink and not len(self.r_mm) else 0.3
        self.kappa = self.chance.normal(0, apart * np.array(self.rows.bow_sd), (c, len(self.rows.bow_sd)))
        self.tau = np.zeros(c)
        self.rho = np.zeros(c)
        self.rise = np.zeros(c, dtype=bool)
        self.a = np.zeros((c, max(1, len(self.rows.lines))))
        self.b = np.zeros_like(self.a)
        self.slip = np.zeros((c, len(self.r_mm)), dtype=bool)
        lines = [(line, np.flatnonzero(self.r_line == line)) for line in range(len(self.rows.lines))]
        # what spans little of the neck tells nothing of its bow: those that span most begin it
        lines.sort(key=lambda one: -float(np.ptp(self.along[self.r_slot[one[1]]])) if len(one[1]) else 0.0)
        begun: dict[int, float] = {}
        rise = 0.0
        for line, own in lines:
            if not len(own):
                continue
            at, mm, epoch = self.along[self.r_slot[own]], self.r_mm[own], int(self.r_epoch[own[0]])
            bow = self.bow[self.r_slot[own]] * self.r_sign[own]
            ramp = self.ramp[self.r_slot[own]] * self.r_sign[own]
            if epoch not in begun:
                spans = len(own) > 4 and float(np.ptp(at)) >= SPANS_ENOUGH
                columns = [bow, ramp] if np.count_nonzero(ramp) > 1 else [bow]
                fit = np.clip(_robust(at, mm, *columns)[2:], -2, 2) if spans else np.zeros(2)
                begun[epoch] = float(fit[0])
                self.kappa[:, epoch] = fit[0] + (self.chance.normal(0, 0.03, c) if spans else 0.0)
                if not begun.keys() - {epoch} and len(fit) > 1:
                    rise = float(fit[1])
            self.a[:, line], self.b[:, line] = _robust(at, mm - begun[epoch] * bow - rise * ramp)
        self.rho[:] = rise
        self.rise[:] = abs(rise) > 2 * SPIKE_SD_MM

    # -- what follows from the state --------------------------------------------------------------------------------

    def shape(self, slots: Whole, lanes: Whole, epochs: Whole) -> Array:
        """κ·bow + τ·twist + ρ·ramp, [chains, …]."""
        twist = (lanes - 1) * self.twist[slots]
        return np.asarray(
            self.kappa[:, epochs] * self.bow[slots] + self.tau[:, None] * twist + self.rho[:, None] * self.ramp[slots],
            dtype=float,
        )

    def rocks_by(self, some: Whole | slice = slice(None)) -> Array:
        """How far the middle of each rocker triple stands over the line of its ends, [chains, tests]."""
        lane, slots, epoch, weight = self.t_lane[some], self.t_slots[some], self.t_epoch[some], self.t_by[some]
        tops = self.w[:, lane[:, None], slots]
        shape = self.tau[:, None] * self.t_twist[some] + self.rho[:, None] * self.t_ramp[some]
        return np.asarray(
            np.einsum("ctr,tr->ct", tops, weight) + self.kappa[:, epoch] * self.t_bow[some] + shape, dtype=float
        )

    def _rock_chance(self, by: Array, tests: Whole | slice = slice(None)) -> Array:
        from scipy.special import expit

        sure = expit(LOGISTIC / self.edge * self.t_sign[tests] * (by - self.t_from[tests]))
        return np.asarray(MISHEARD + (1 - 2 * MISHEARD) * sure, dtype=float)

    def _blade_chance(self, some: Whole | slice = slice(None)) -> Array:
        slot, lane, line = self.b_slot[some], self.b_lane[some], self.b_line[some]
        h = self.w[:, lane, slot] + self.shape(slot, lane, self.b_epoch[some])
        gap = self.a[:, line] + self.b[:, line] * self.along[slot] - h
        return self._between(gap, self.b_low[some], self.b_high[some])

    def _between(self, gap: Array, low: Array, high: Array) -> Array:
        from scipy.special import expit

        return np.asarray(
            MISHEARD + expit(LOGISTIC / EDGE_MM * (gap - low)) * expit(LOGISTIC / EDGE_MM * (high - gap)), dtype=float
        )

    def _ink_shapes(self) -> list[Array]:
        """The neck's shape under each beam, [lanes inked, chains, frets]: it is the same while only tops move."""
        return [
            np.stack([self.shape(at, np.full(len(at), lane), np.full(len(at), epoch)) for lane, epoch in under])
            for at, under, *_ in self.inked
        ]

    def _ink_log(self) -> Array:
        """The log chance of what the ink shows, [chains]."""
        found = np.zeros(CHAINS)
        for (at, under, said, strokes), bent in zip(self.inked, self._ink_shapes(), strict=True):
            of = np.array([lane for lane, _ in under])
            h = self.w[:, of[:, None], at[None, :]].transpose(1, 0, 2) + bent
            log = ink_chance(self.x[at], h.reshape(-1, len(at)), strokes, said, self.soft)
            found += log.reshape(len(of), CHAINS).sum(axis=0)
        return found

    # -- moves ------------------------------------------------------------------------------------------------------

    def frets(self) -> None:
        """Draw each fret's u and its three w on the grid, frets of one colour together."""
        by, own, self.ink_shapes = self.rocks_by(), self._own_by_readings(), self._ink_shapes()
        for block in self.blocks:
            chance = np.ones((CHAINS, len(block.slots), LANES, len(GRID)), dtype=np.float32)
            flat = chance.reshape(CHAINS, -1, len(GRID))
            for rows, r in block.reads:
                flat[:, rows] *= self._by_readings(own[:, r], r)
            for rows, slots, lane, t, weight in block.tests:
                flat[:, rows] *= self._by_rocks(by[:, t] - weight * self.w[:, lane, slots], t, weight)
            for place, lane, r in block.blades:
                rest = self.shape(self.b_slot[r], self.b_lane[r], self.b_epoch[r])
                top = self.a[:, self.b_line[r]] + self.b[:, self.b_line[r]] * self.along[self.b_slot[r]] - rest
                gap = top[:, :, None] - FINE
                chance[:, place, lane] *= self._between(
                    gap, self.b_low[r][None, :, None], self.b_high[r][None, :, None]
                )
            for i, slot in block.inked:
                chance[:, i] *= self._by_ink(slot)
            self._draw(block, chance)
            if len(self.t_slots) and block is not self.blocks[-1]:
                by = self.rocks_by()

    def _own_by_readings(self) -> Array:
        """Where each reading alone puts its top, the neck's shape taken off, [chains, readings]."""
        if not len(self.r_mm):
            return np.zeros((CHAINS, 0))
        line = self.a[:, self.r_line] + self.b[:, self.r_line] * self.along[self.r_slot]
        return np.asarray(
            self.r_sign * (self.r_mm - line) - self.shape(self.r_slot, self.r_lane, self.r_epoch), dtype=float
        )

    def _by_readings(self, own: Array, r: Whole) -> Floats:
        """How likely readings are for a top at each place of the grid, but for a factor: [chains, readings, grid].
        `own` is where they put it.
        """
        by = 1 / (math.sqrt(2) * self.r_sd[r])
        z = by[:, None].astype(np.float32) * FINE - (by * own)[:, :, None].astype(np.float32)
        z *= z
        # what is too small for single precision costs more than it counts
        np.minimum(z, np.float32(60), out=z)
        np.negative(z, out=z)
        np.exp(z, out=z)
        z += (SLIP_DENSITY * math.sqrt(2 * math.pi) / (1 - SLIP) * self.r_sd[r])[:, None].astype(np.float32)
        return z

    def _by_rocks(self, rest: Array, tests: Whole, weight: Array) -> Floats:
        """How likely rocker answers are for a top at each place of the grid, but for a factor: [chains, tests, grid].
        `rest` is how far each triple's middle stands over its others with the top at nothing.
        """
        sign = (LOGISTIC / 2 / self.edge) * self.t_sign[tests]
        offset = sign * (rest - self.t_from[tests])
        z = (sign * weight)[:, None].astype(np.float32) * FINE + offset[:, :, None].astype(np.float32)
        np.tanh(z, out=z)
        z *= np.float32(1 - 2 * MISHEARD)
        z += np.float32(1)
        return z

    def _by_ink(self, slot: int) -> Floats:
        """How likely the ink is for tops at each place of the grid, but for a factor: [chains, lanes, grid]."""
        log = np.zeros((CHAINS, LANES, len(GRID)), dtype=np.float32)
        for (at, under, said, strokes), bent in zip(self.inked, self.ink_shapes, strict=True):
            if slot not in at:
                continue
            of, own = np.array([lane for lane, _ in under]), int(np.flatnonzero(at == slot)[0])
            h = self.w[:, of[:, None], at[None, :]].transpose(1, 0, 2) + bent
            tops = FINE + bent[:, :, own].reshape(-1, 1)
            found = ink_along(self.x[at], h.reshape(-1, len(at)), own, tops, strokes, said, self.soft)
            for lane, row in zip(of, found.reshape(len(of), CHAINS, -1), strict=True):
                log[:, lane] += row
        return np.asarray(np.exp(log - log.max(axis=2, keepdims=True)), dtype=np.float32)

    def _draw(self, block: _Block, chance: Floats) -> None:
        slots, pick = block.slots, self.chance
        chance /= chance.max(axis=3, keepdims=True)
        # numbers too small for single precision cost more than they count
        np.maximum(chance, LEAST, out=chance)
        chance *= FINE_CELLS
        lanes = np.empty_like(chance)
        for spread, own in block.kinds:
            part = chance[:, own]
            lanes[:, own] = (part.reshape(-1, len(GRID)) @ spread).reshape(part.shape)
        lanes /= lanes.max(axis=3, keepdims=True)
        np.maximum(lanes, LEAST, out=lanes)
        share = self.share[:, slots, None].astype(np.float32)
        even = block.most + (block.rest - block.most) * share
        np.maximum(even, LEAST, out=even)
        for lane in range(LANES):
            even *= lanes[:, :, lane]
        for i, other, by in block.lifted:
            off = GRID - (self.u[:, other, None] + by)
            even[:, i] *= np.maximum(np.exp(-0.5 * (off / LIFT_SD_MM) ** 2), LEAST)
        u = _pick(even, pick.random(even.shape[:2], dtype=np.float32))
        self.u[:, slots] = GRID[u] + CELLS[u] * (pick.random(u.shape) - 0.5)
        for spread, own in block.kinds:
            # how w spreads about u is the same both ways: a row of it is of w given u
            chance[:, own] *= spread[u[:, own]][:, :, None, :]
        w = _pick(chance, pick.random(chance.shape[:3], dtype=np.float32))
        self.w[:, :, slots] = (GRID[w] + CELLS[w] * (pick.random(w.shape) - 0.5)).transpose(0, 2, 1)

    def lines(self) -> None:
        """Draw the surveys' lines and the neck's shape from their normal conditional, kept by Metropolis's rule where
        rockers, blades or ink have a say.
        """
        lines, epochs = len(self.rows.lines), len(self.rows.bow_sd)
        size = epochs + 2 + 2 * lines
        prior = np.zeros((CHAINS, size))
        prior[:, :epochs] = self.bow_sd**-2.0
        prior[:, epochs] = TWIST_SD_MM**-2
        prior[:, epochs + 1] = np.where(self.rise, RAMP_SD_MM, SPIKE_SD_MM) ** -2.0
        for i, sd in enumerate(self.rows.lines):
            prior[:, epochs + 2 + 2 * i : epochs + 4 + 2 * i] = sd**-2
        bent = np.zeros((CHAINS, size, size))
        bent[:, np.arange(size), np.arange(size)] = prior
        pull = np.zeros((CHAINS, size))
        if len(self.r_mm):
            design = self._design(size)
            rest = self.r_mm - self.r_sign * self.w[:, self.r_lane, self.r_slot]
            weight = np.where(self.slip, 1e-9, 1.0) / self.r_sd**2
            bent += (design.T * weight[:, None, :]) @ design
            pull += (weight * rest) @ design
        root = np.linalg.cholesky(bent)
        mean = np.linalg.solve(bent, pull[:, :, None])[:, :, 0]
        shake = np.linalg.solve(root.transpose(0, 2, 1), self.chance.standard_normal((CHAINS, size, 1)))[:, :, 0]
        was: dict[str, Array] = {name: getattr(self, name) for name in ("kappa", "tau", "rho", "a", "b")}
        before = self._others_log()
        found = np.asarray(mean + shake, dtype=float)
        self.kappa, self.tau, self.rho = found[:, :epochs].copy(), found[:, epochs].copy(), found[:, epochs + 1].copy()
        if lines:
            self.a, self.b = found[:, epochs + 2 :: 2].copy(), found[:, epochs + 3 :: 2].copy()
        if len(self.t_slots) or len(self.b_slot) or self.rows.ink:
            undone = np.log(self.chance.random(CHAINS)) >= self._others_log() - before
            for name, old in was.items():
                getattr(self, name)[undone] = old[undone]
        none = RAMP_NONE * np.exp(-0.5 * (self.rho / SPIKE_SD_MM) ** 2) / SPIKE_SD_MM
        some = (1 - RAMP_NONE) * np.exp(-0.5 * (self.rho / RAMP_SD_MM) ** 2) / RAMP_SD_MM
        self.rise = self.chance.random(CHAINS) < some / (none + some)

    def _design(self, size: int) -> Array:
        epochs, count = len(self.rows.bow_sd), len(self.r_mm)
        design = np.zeros((count, size))
        at, every = self.r_slot, np.arange(count)
        design[every, self.r_epoch] = self.r_sign * self.bow[at]
        design[:, epochs] = self.r_sign * (self.r_lane - 1) * self.twist[at]
        design[:, epochs + 1] = self.r_sign * self.ramp[at]
        design[every, epochs + 2 + 2 * self.r_line] = 1.0
        design[every, epochs + 3 + 2 * self.r_line] = self.along[at]
        return design

    def _others_log(self) -> Array:
        """The log chance of all that is no gauge reading, [chains]."""
        found = np.log(self._rock_chance(self.rocks_by())).sum(axis=1) if len(self.t_slots) else np.zeros(CHAINS)
        if len(self.b_slot):
            found = found + np.log(self._blade_chance()).sum(axis=1)
        return np.asarray(found + self._ink_log() if self.rows.ink else found, dtype=float)

    def slips(self) -> None:
        """Draw which readings are slips."""
        if not len(self.r_mm):
            return
        self.slip_chance = SLIP_DENSITY / (self._good() + SLIP_DENSITY)
        self.slip = self.chance.random(self.slip_chance.shape) < self.slip_chance

    def _good(self, some: Whole | slice = slice(None)) -> Array:
        """How likely each reading is as one that is no slip, [chains, readings]."""
        return (1 - SLIP) * normal(self._off(some), 0, self.r_sd[some])

    def _off(self, some: Whole | slice = slice(None)) -> Array:
        slot, lane, line = self.r_slot[some], self.r_lane[some], self.r_line[some]
        h = self.w[:, lane, slot] + self.shape(slot, lane, self.r_epoch[some])
        at = self.a[:, line] + self.b[:, line] * self.along[slot]
        return np.asarray(self.r_mm[some] - (self.r_sign[some] * h + at), dtype=float)

    def ridges(self) -> None:
        """Move along what no reading tells apart: a line, a bow or a ramp of all frets against the survey's line, the
        neck's bow or its ramp; and a lane's line against its survey's and the twist.
        """
        root = math.sqrt(self.slots)
        shapes = (np.ones(self.slots), self.along, self.bow, self.ramp)
        now = self._even_log()
        for kind, shape in enumerate(shapes):
            if not np.any(shape):
                continue
            step = self._steps(0.02 / root, CHAINS)
            moved = self.u + step[:, None] * shape
            after = self._even_log(moved)
            ratio = after - now
            if kind == 2:
                ratio = ratio - (((self.kappa - step[:, None]) ** 2 - self.kappa**2) / (2 * self.bow_sd**2)).sum(axis=1)
            elif kind == 3:
                sd = np.where(self.rise, RAMP_SD_MM, SPIKE_SD_MM)
                ratio = ratio - ((self.rho - step) ** 2 - self.rho**2) / (2 * sd**2)
            kept = np.log(self.chance.random(CHAINS)) < ratio
            step = np.where(kept, step, 0.0)
            now = np.where(kept, after, now)
            self.u += step[:, None] * shape
            self.w += step[:, None, None] * shape
            if kind == 2:
                self.kappa -= step[:, None]
            elif kind == 3:
                self.rho -= step
            else:
                self._shift_lines(step, kind, range(LANES))
        own = self._end_log(self.w)
        for kind, shape in enumerate(shapes[:2]):
            step = self._steps(0.01 / root, (CHAINS, LANES))
            after = self._end_log(self.w + step[:, :, None] * shape)
            kept = np.log(self.chance.random(step.shape)) < after - own
            step = np.where(kept, step, 0.0)
            own = np.where(kept, after, own)
            self.w += step[:, :, None] * shape
            for lane in range(LANES):
                self._shift_lines(step[:, lane], kind, [lane])

    def _steps(self, usual: float, size: int | tuple[int, int]) -> Array:
        """Steps of a random walk, a few of them far shorter or longer than is usual."""
        far = RIDGE_STEPS[self.chance.integers(0, len(RIDGE_STEPS), size)]
        return np.asarray(self.chance.normal(0, usual, size) * far, dtype=float)

    def refit(self) -> None:
        """While warming up: where the frets themselves lie along a line, a bow or a ramp, give that to the survey's
        lines and the neck's shape, if the frets are then likelier. A chain does not find out of it by small moves.
        """
        shapes = [self.bow, *([self.ramp] if np.any(self.ramp) else [])]
        found = _robust(self.along, self.u, *shapes)
        line = found[:, :1] + found[:, 1:2] * self.along
        bent = found[:, 2:] @ np.array(shapes)
        after = self.u - line - bent
        sd = np.where(self.rise, RAMP_SD_MM, SPIKE_SD_MM)
        rho = self.rho + (found[:, 3] if len(shapes) > 1 else 0.0)
        kappa = self.kappa + found[:, 2:3]
        ratio = self._even_log(after) - self._even_log()
        ratio = ratio - ((kappa**2 - self.kappa**2) / (2 * self.bow_sd**2)).sum(axis=1)
        ratio = ratio - (rho**2 - self.rho**2) / (2 * np.maximum(sd, RAMP_SD_MM) ** 2)
        kept = ratio > 0
        moved = np.where(kept[:, None], line + bent, 0.0)
        self.u -= moved
        self.w -= moved[:, None, :]
        self.kappa = np.where(kept[:, None], kappa, self.kappa)
        self.rho = np.where(kept, rho, self.rho)
        self.rise |= np.abs(self.rho) > 2 * SPIKE_SD_MM
        for kind in range(2):
            self._shift_lines(np.where(kept, -found[:, kind], 0.0), kind, range(LANES))

    def _shift_lines(self, step: Array, kind: int, lanes: Sequence[int] | range) -> None:
        """Let the surveys' lines take back what the frets of some lanes were moved by."""
        line = self.a if kind == 0 else self.b
        for which, sign, lane in self.line_of:
            if lane in lanes:
                line[:, which] -= sign * step

    def _even_log(self, u: Array | None = None) -> Array:
        u = self.u if u is None else u
        found = np.zeros(CHAINS)
        for prior, slots, fret in self.alike:
            most, rest = even_parts(prior, fret, u[:, slots])
            share = self.share[:, slots]
            found += np.log((1 - share) * most + share * rest + 1e-300).sum(axis=1)
        return found

    def shares(self) -> None:
        """Draw the share of frets that stand far off, for frets of one history together: as usual, and as these are."""
        for kind in range(len(self.kinds)):
            far, own = np.zeros(CHAINS), np.flatnonzero(self.of_kind == kind)
            for prior, slots, fret in self.alike:
                if self.of_kind[slots[0]] == kind:
                    most, rest = even_parts(prior, fret, self.u[:, slots])
                    share = self.share[:, slots]
                    likely = share * rest / ((1 - share) * most + share * rest + 1e-300)
                    far += (self.chance.random(likely.shape) < likely).sum(axis=1)
            usual = SHARE_KNOWN * self.kinds[kind].even_wide
            drawn = self.chance.beta(usual + far, SHARE_KNOWN - usual + len(own) - far)
            self.share[:, own] = drawn[:, None]

    def _end_log(self, w: Array) -> Array:
        """The log chance of the lanes' tops about each fret's own, [chains, lanes]."""
        found = np.zeros((CHAINS, LANES))
        for prior, own in self.alike_ends:
            off = w[:, :, own] - self.u[:, None, own]
            found += np.log(end_density(prior, off) + 1e-300).sum(axis=2)
        return found

    def bend(self) -> None:
        """Bend, twist or raise the whole neck a little, kept by the ink and by all else: a beam shows the neck's shape,
        and no fret by itself finds it.
        """
        if not self.rows.ink:
            return
        now = self._whole_log()
        for _ in range(BENDS):
            for name, usual in (("kappa", self.bow_sd), ("tau", TWIST_SD_MM), ("rho", RAMP_SD_MM)):
                was: Array = getattr(self, name)
                if name == "rho" and not np.any(self.ramp):
                    continue
                size = self.chance.choice(BEND_STEPS, CHAINS).reshape(-1, *[1] * (was.ndim - 1))
                step = self.chance.normal(0, 1, was.shape) * usual * size
                spread = np.where(self.rise, RAMP_SD_MM, SPIKE_SD_MM) if name == "rho" else usual
                fall = ((was + step) ** 2 - was**2) / (2 * np.asarray(spread, dtype=float) ** 2)
                setattr(self, name, was + step)
                after = self._whole_log()
                ratio = after - now - fall.reshape(CHAINS, -1).sum(axis=1)
                kept = np.log(self.chance.random(CHAINS)) < ratio
                setattr(self, name, np.where(kept.reshape(-1, *[1] * (was.ndim - 1)), was + step, was))
                now = np.where(kept, after, now)

    def _whole_log(self) -> Array:
        """The log chance of all that was read, [chains]."""
        found = self._others_log()
        return found + np.log(self._good() + SLIP_DENSITY).sum(axis=1) if len(self.r_mm) else found

    # -- the run ----------------------------------------------------------------------------------------------------

    def run(self) -> Draws:
        """Warm up, then keep one draw of each chain a round."""
        self.line_of = sorted(
            {
                (int(line), float(sign), int(lane))
                for line, sign, lane in zip(self.r_line, self.r_sign, self.r_lane, strict=True)
            }
            | {(int(line), -1.0, int(lane)) for line, lane in zip(self.b_line, self.b_lane, strict=True)}
        )
        self.slip_chance = np.zeros((CHAINS, len(self.r_mm)))
        last = np.array([self.rows.last[fret] for fret in range(1, self.neck.frets + 1)], dtype=np.intp)
        kept, slipped, meant = [], [], []
        for round_ in range(WARM + KEPT):
            self.soft = max(1.0, 6 * (1 - 2 * round_ / WARM))
            self.edge = EDGE_MM * self.soft
            self.frets()
            self.bend()
            self.slips()
            self.lines()
            self.shares()
            if round_ in REFIT_AT:
                self.refit()
            for _ in range(2):
                self.ridges()
            if round_ >= WARM:
                shape = np.stack(
                    [
                        self.shape(last, np.full(len(last), lane), np.full(len(last), len(self.rows.bow_sd) - 1))
                        for lane in range(LANES)
                    ],
                    axis=1,
                )
                kept.append(
                    (
                        self.w[:, :, last] + shape,
                        self.u[:, last].copy(),
                        self.w[:, :, last].copy(),
                        self.kappa[:, -1].copy(),
                        self.tau * np.any(self.twist[last]),
                        self.rho * np.any(self.ramp[last]),
                    )
                )
                slipped.append(self.slip_chance)
                if len(self.r_mm):
                    meant.append(self.r_mm - self._off())
        heights, even, own, bow, twist, ramp = (np.concatenate(part) for part in zip(*kept, strict=True))
        chance = np.concatenate(slipped).mean(axis=0)
        right = np.concatenate(meant).mean(axis=0) if meant else chance
        slips = {place: (float(p), float(mm)) for place, p, mm in zip(self.rows.origin, chance, right, strict=True)}
        return Draws(heights, even, own, bow, twist, ramp, slips)


def _layers(entries: Sequence[tuple[int, ...]]) -> list[tuple[Whole, ...]]:
    """Entries (place, lane, …) parted so that none meets a place and lane twice."""
    ranked: dict[int, list[tuple[int, ...]]] = {}
    seen: dict[tuple[int, ...], int] = {}
    for entry in entries:
        rank = seen.get(entry[:2], 0)
        seen[entry[:2]] = rank + 1
        ranked.setdefault(rank, []).append(entry)
    return [
        tuple(np.array(column, dtype=np.intp) for column in zip(*sorted(layer), strict=True))
        for layer in ranked.values()
    ]


@lru_cache(maxsize=16)
def _spread_about(prior: FretPrior) -> Floats:
    """How a lane's top spreads about its fret's, [grid, grid]."""
    spread = end_density(prior, GRID[:, None] - GRID[None, :])
    return np.asarray(spread, dtype=np.float32).clip(LEAST)


def _rows_of(place: Whole, lane: Whole, size: int) -> Whole | slice:
    """Rows of [slots × lanes] that a layer speaks of; all of them at once where it does."""
    rows = place * LANES + lane
    return slice(None) if len(rows) == size * LANES and bool((np.diff(rows) > 0).all()) else rows


def _pick(weights: NDArray[np.floating], at: NDArray[np.floating]) -> Whole:
    """Indices along the last axis, drawn by weight with uniform numbers."""
    total = np.cumsum(weights, axis=-1)
    return np.asarray((total >= (at * total[..., -1])[..., None]).argmax(axis=-1), dtype=np.intp)


def _robust(at: Array, mm: Array, *shapes: Array) -> Array:
    """A line and shapes through readings [..., readings], outliers weighed down: [..., (height at the middle, slope, of
    each shape so much)]; one reading has no slope.
    """
    matrix = np.column_stack([np.ones_like(at), at, *shapes])
    weight, ridge = np.ones_like(mm), 1e-9 * np.eye(matrix.shape[1])
    for _ in range(8):
        weighed = matrix * weight[..., None]
        normal_matrix = np.swapaxes(weighed, -1, -2) @ matrix + ridge
        fit = np.linalg.solve(normal_matrix, (np.swapaxes(weighed, -1, -2) @ mm[..., None]))[..., 0]
        off = np.abs(mm - fit @ matrix.T)
        scale = np.maximum(0.01, 1.5 * np.median(off, axis=-1, keepdims=True))
        weight = 1 / (1 + (off / scale) ** 2)
    return np.asarray(fit, dtype=float)
