"""What could be done to a likely neck, compared on every draw of it: metal, minutes, whether the gate passes, and which
is best.

The cost of an action on a draw is in minutes: metal as a share of what the wire has left, minutes at the bench, the
rework of a gate that fails, and the harm of a loose fret that was ground. Derived in docs/methods/neck-evidence.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.evidence.kinds import ROCKER_MM
from deft_bench.core.evidence.likely_neck import Draws, Neck
from deft_bench.core.evidence.prior import PRIORS, SEATED
from deft_bench.core.limits import STRAIGHT_MM
from deft_bench.core.strings.frame import Array

Flags = NDArray[np.bool_]

GATE_MM = ROCKER_MM
"""Nothing rocks by more than a rocker tells after a level."""
FAR_UP_MM, FAR_DOWN_MM = 0.03, -0.04
"""A fret further up may sit loose; one further down may be lifted."""
SPARE_MM = 0.45
"""What a played wire has left over the least height, where it is not known."""
WHOLE_METAL_MINUTES = 100.0
"""All the metal that is left is worth so many minutes."""
FAILED_MINUTES, GROUND_LOOSE_MINUTES = 15.0, 60.0
"""A gate that fails costs reading it and, in the end, a level; a loose fret that was ground is lost height."""
GRAZED_MM = 0.01
"""Less metal than this off a loose fret does no harm."""
HAIR_MM = 0.02
"""Two actions that differ by less metal on the worst fret are as good."""
MOST_SUSPECTS = 3
BEFORE_JOINT = 7
"""So many frets up to the joint say how the board runs on."""
LEVEL_PASSES = 0.97
"""How often a level that was carried out passes its gate."""
MINUTES = {
    "leave": 0.0,
    "read_more": 4.0,
    "straighten": 10.0,
    "check_seating": 3.0,
    "reseat": 12.0,
    "lift": 25.0,
    "spot": 15.0,
    "marked": 20.0,
    "level": 75.0,
    "fall_away": 45.0,
}
"""Of an action; of seating and lifting, a fret."""


@dataclass(frozen=True, slots=True)
class Spread:
    """A mean with the ends between which nine of ten draws lie, mm."""

    mean: float
    low: float
    high: float


@dataclass(frozen=True, slots=True)
class Action:
    """One thing to do: over which frets, the metal of the worst fret, the mean over all, the chances that the gate
    passes after it, that a fret ends below the least, and that it is the best (or within a hair).
    """

    do: str
    frets: tuple[int, ...]
    worst_mm: Spread
    mean_mm: float
    passes: float
    below_least: float
    best: float
    minutes: float


@dataclass(frozen=True, slots=True)
class Compared:
    """All actions, the best first; `good` [draws, actions] says where each is within a hair of the best, `loose` the
    chance that each fret is, with the draws of it.
    """

    actions: tuple[Action, ...]
    good: Flags
    loose: Mapping[int, float]
    loose_draws: Mapping[int, Flags]


@dataclass(slots=True)
class _Tried:
    """One action on every draw: metal [draws, lanes, frets], whether the gate passes, minutes in all, and what else it
    costs, in minutes.
    """

    do: str
    frets: tuple[int, ...]
    metal: Array
    passes: Array
    minutes: Array
    harm: Array

    def cost(self, spare_mm: float, rework: Array) -> Array:
        """In minutes, [draws]; where the gate fails, what puts it right comes on top."""
        worst = self.metal.max(axis=(1, 2))
        failed = (FAILED_MINUTES + rework) * (1 - self.passes)
        return np.asarray(WHOLE_METAL_MINUTES * worst / spare_mm + self.minutes + failed + self.harm, dtype=float)


@dataclass(frozen=True, slots=True)
class _Bench:
    """A neck's draws and what is taken of it: which frets sit loose on each, and what the wire has to spare, mm. Where
    all places are read of, the marked frets are those that rock, as the rocker shows them at the work.
    """

    neck: Neck
    draws: Draws
    loose: Mapping[int, Flags]
    spare: float
    seed: int
    all_read: bool

    def rework(self, h: Array) -> Array:
        """What a level in the end costs, in minutes."""
        worst = level_metal(h, self.neck.positions_mm).max(axis=(1, 2))
        return np.asarray(WHOLE_METAL_MINUTES * worst / self.spare + MINUTES["level"], dtype=float)

    def costs(self, tried: Sequence[_Tried]) -> Array:
        """What each action costs on every draw, [draws, actions]."""
        rework = self.rework(self.draws.heights_mm)
        return np.stack([one.cost(self.spare, rework) for one in tried], axis=1)

    def home(self, frets: Sequence[int], which: Flags) -> Array:
        """The tops with some frets brought near home on the draws where `which` [draws, frets] says."""
        chance, moved = np.random.default_rng(self.seed + 2), self.draws.heights_mm.copy()
        for k, fret in enumerate(frets):
            by = chance.normal(0, SEATED.even_sd, len(moved)) - self.draws.even_mm[:, fret - 1]
            moved[..., fret - 1] += np.where(which[:, k], by, 0.0)[:, None]
        return moved


def rock_over(h: Array, x: Array) -> Array:
    """How far each fret but the ends stands over the line of its neighbours, [..., frets − 2]."""
    share = (x[1:-1] - x[:-2]) / (x[2:] - x[:-2])
    return np.asarray(h[..., 1:-1] - h[..., :-2] * (1 - share) - h[..., 2:] * share, dtype=float)


def passes_gate(h: Array, x: Array) -> Array:
    """Whether nothing rocks, [draws], as 0 or 1."""
    return np.asarray((rock_over(h, x).max(axis=(1, 2)) <= GATE_MM).astype(float), dtype=float)


def level_metal(h: Array, x: Array) -> Array:
    """What levelling every lane to a straight line under all its frets takes off, least in sum, [draws, lanes, frets].

    The line is the edge of the lower hull over the mean place of the frets (a linear programme in two unknowns).
    """
    middle = float(x.mean())
    left, right = np.flatnonzero(x <= middle), np.flatnonzero(x > middle)
    slope = (h[..., right][..., None, :] - h[..., left][..., :, None]) / (x[right][None, :] - x[left][:, None])
    at = h[..., left][..., :, None] + slope * (middle - x[left])[:, None]
    flat = at.reshape(*at.shape[:-2], -1)
    best = flat.argmin(axis=-1)[..., None]
    run = np.take_along_axis(slope.reshape(flat.shape), best, axis=-1)
    line = np.take_along_axis(flat, best, axis=-1) + run * (x - middle)
    return np.asarray(np.maximum(0.0, h - line), dtype=float)


def marked_metal(h: Array, x: Array) -> Array:
    """What cutting only the frets that rock, each to the line of its neighbours, takes off, [draws, lanes, frets]."""
    left = h.copy()
    for _ in range(4):
        over = rock_over(left, x)
        left[..., 1:-1] -= np.where(over > GATE_MM, over, 0.0)
    return np.asarray(h - left, dtype=float)


def compare(
    neck: Neck,
    draws: Draws,
    seed: int = 0,
    daylight: Mapping[int, bool] | None = None,
    spare_mm: float | None = None,
    least_kept: Array | None = None,
    *,
    all_read: bool = True,
) -> Compared:
    """Compare every action on the draws. `daylight` says of frets whether they were seen loose; `spare_mm` is what the
    wire has left over the least height, `least_kept` the same by fret where crowns were read. Until `all_read`, reading
    the rest is one of them: after it what is cheapest is known.
    """
    seen = daylight or {}
    bench = _Bench(neck, draws, _loose(neck, draws, seed, seen), spare_mm or SPARE_MM, seed, all_read)
    worth = [*_worth_trying(bench, seen), *([] if all_read else [("read_more", ())])]
    tried = [carried_out(bench, do, frets) for do, frets in worth]
    cost = bench.costs(tried)
    good = cost <= cost.min(axis=1, keepdims=True) + WHOLE_METAL_MINUTES * HAIR_MM / bench.spare
    order = np.argsort(cost.mean(axis=0), kind="stable")
    room = np.full(neck.frets, bench.spare) if least_kept is None else least_kept
    actions = tuple(_summed(tried[i], good[:, i], room) for i in order)
    chances = {fret: float(is_so.mean()) for fret, is_so in bench.loose.items()}
    return Compared(actions, np.asarray(good[:, order], dtype=bool), chances, bench.loose)


def over_the_best(
    neck: Neck, truth: Draws, loose: Sequence[int], do: str, frets: tuple[int, ...], *, all_read: bool
) -> float:
    """How many minutes more than the best an action costs on a neck that is known (alike draws), loose frets too."""
    known = {fret: fret in loose for fret in range(1, neck.frets + 1)}
    bench = _Bench(neck, truth, _loose(neck, truth, 0, known), SPARE_MM, 0, all_read)
    tried = [carried_out(bench, *one) for one in ((do, frets), *_worth_trying(bench, known))]
    claimed, *others = bench.costs(tried).mean(axis=0)
    return float(claimed - min(others))


def hair_minutes() -> float:
    """Within how many minutes two actions are as good."""
    return WHOLE_METAL_MINUTES * HAIR_MM / SPARE_MM


def _summed(one: _Tried, good: Flags, room: Array) -> Action:
    worst = one.metal.max(axis=(1, 2))
    low, high = np.quantile(worst, (0.05, 0.95))
    below = (one.metal > room).any(axis=(1, 2))
    return Action(
        one.do,
        one.frets,
        Spread(float(worst.mean()), float(low), float(high)),
        float(one.metal.mean()),
        float(one.passes.mean()),
        float(below.mean()),
        float(good.mean()),
        float(one.minutes.mean()),
    )


def _loose(neck: Neck, draws: Draws, seed: int, daylight: Mapping[int, bool]) -> dict[int, Flags]:
    """Whether each fret sits loose, on every draw: of those far up a share by its history, unless it was seen."""
    share, chance, found = PRIORS[neck.history].loose, np.random.default_rng(seed + 1), {}
    for fret in range(1, neck.frets + 1):
        up = draws.even_mm[:, fret - 1] > FAR_UP_MM
        drawn = chance.random(len(up)) < share
        found[fret] = np.full(len(up), daylight[fret]) if fret in daylight else up & drawn
    return found


def _worth_trying(bench: _Bench, daylight: Mapping[int, bool]) -> list[tuple[str, tuple[int, ...]]]:
    """The actions that the draws make worth comparing, with their frets."""
    draws, x = bench.draws, bench.neck.positions_mm
    touched = marked_metal(draws.heights_mm, x).max(axis=1) > 0
    marked = tuple(int(i) + 1 for i in np.flatnonzero(touched.mean(axis=0) >= 0.3))
    found: list[tuple[str, tuple[int, ...]]] = [("leave", ())]
    found += [("spot", (fret,)) for fret in _suspects(touched)]
    found += [("marked", marked)] if len(marked) > 1 else []
    found.append(("level", ()))
    found += [("fall_away", ())] if float(np.mean(draws.ramp_mm > GATE_MM)) > 0.2 else []
    found += [("straighten", ())] if float(np.mean(np.abs(draws.bow_mm) > STRAIGHT_MM)) > 0.2 else []
    may = tuple(fret for fret in _suspects(draws.even_mm > FAR_UP_MM) if fret not in daylight)
    seen = tuple(fret for fret, is_so in sorted(daylight.items()) if is_so)
    low = _suspects(draws.even_mm < FAR_DOWN_MM)
    return found + [(do, some) for do, some in (("check_seating", may), ("reseat", seen), ("lift", low)) if some]


def _suspects(is_so: Flags) -> tuple[int, ...]:
    """The frets of which something is at least a quarter likely, the likeliest few, in order."""
    share = is_so.mean(axis=0)
    return tuple(sorted(int(i) + 1 for i in np.argsort(-share)[:MOST_SUSPECTS] if share[i] >= 0.25))


def carried_out(bench: _Bench, do: str, frets: tuple[int, ...]) -> _Tried:
    """An action on every draw; what prepares metal (straightening, seating, lifting) with the cheapest metal after."""
    h, loose = bench.draws.heights_mm, bench.loose
    if do in METAL:
        return _metal(bench, do, frets, h, loose)
    if do == "read_more":
        after, own = _cheapest(bench, h, loose), np.full(len(h), MINUTES["read_more"])
    elif do == "straighten":
        straight = h - bench.draws.bow_mm[:, None, None] * bench.neck.bow()
        after, own = _cheapest(bench, straight, loose), np.full(len(h), MINUTES["straighten"])
    elif do == "lift":
        after = _cheapest(bench, bench.home(frets, np.ones((len(h), len(frets)), dtype=bool)), loose)
        own = np.full(len(h), MINUTES["lift"] * len(frets))
    else:
        which = np.stack([loose[fret] for fret in frets], axis=1)
        still = {fret: is_so & (fret not in frets) for fret, is_so in loose.items()}
        after = _cheapest(bench, bench.home(frets, which), still)
        own = MINUTES["reseat"] * which.sum(axis=1) + (MINUTES[do] * len(frets) if do == "check_seating" else 0.0)
    return _Tried(do, frets, after.metal, after.passes, after.minutes + own, after.harm)


METAL = ("leave", "spot", "marked", "level", "fall_away")
"""What is done with metal alone, or nothing."""


def _metal(bench: _Bench, do: str, frets: tuple[int, ...], h: Array, loose: Mapping[int, Flags]) -> _Tried:
    x = bench.neck.positions_mm
    metal = np.zeros_like(h)
    if do == "spot":
        over, fret = rock_over(h, x), frets[0]
        if 1 < fret < h.shape[2]:
            metal[..., fret - 1] = np.maximum(0.0, over[..., fret - 2])
    elif do == "marked":
        metal = marked_metal(h, x)
        if frets and not bench.all_read:
            metal[..., [n for n in range(h.shape[2]) if n + 1 not in frets]] = 0.0
    elif do == "level":
        metal = level_metal(h, x)
    elif do == "fall_away":
        metal = _over_the_neck_before(h, x, bench.neck.joint_fret or h.shape[2])
    ground = np.stack([loose[n + 1] & (metal[..., n].max(axis=1) > GRAZED_MM) for n in range(h.shape[2])]).any(axis=0)
    passes = np.full(len(h), LEVEL_PASSES) if do == "level" else passes_gate(h - metal, x)
    return _Tried(do, frets, metal, passes, np.full(len(h), MINUTES[do]), np.where(ground, GROUND_LOOSE_MINUTES, 0.0))


def _over_the_neck_before(h: Array, x: Array, joint: int) -> Array:
    """What stands past the joint over the straight line of the frets before it, [draws, lanes, frets]."""
    before = slice(max(0, joint - BEFORE_JOINT), joint)
    line = np.column_stack([np.ones_like(x), x])
    carried = (h[..., before] @ np.linalg.pinv(line[before]).T) @ line.T
    over = np.maximum(0.0, h - carried)
    over[..., :joint] = 0.0
    return np.asarray(over, dtype=float)


def _cheapest(bench: _Bench, h: Array, loose: Mapping[int, Flags]) -> _Tried:
    """On each draw the cheapest of leaving it, the marked frets and a level, as one."""
    tried = [_metal(bench, do, (), h, loose) for do in ("leave", "marked", "level")]
    rework = bench.rework(h)
    pick = np.stack([one.cost(bench.spare, rework) for one in tried]).argmin(axis=0)
    every = np.arange(len(pick))
    return _Tried(
        "",
        (),
        np.stack([one.metal for one in tried])[pick, every],
        np.stack([one.passes for one in tried])[pick, every],
        np.stack([one.minutes for one in tried])[pick, every],
        np.stack([one.harm for one in tried])[pick, every],
    )
