"""What could be done to a likely neck, compared on every draw of it: metal, minutes, whether the gate passes, and which
is best.

The cost of an action on a draw is in minutes: metal as a share of what the wire has left, minutes at the bench, the
rework of a gate that fails, and the harm of a loose fret that was ground. Derived in docs/methods/neck-evidence.md.
"""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

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
SHORT_FRET_MINUTES = 60.0
"""A fret that is left too low to keep is replaced in the end, and what was done to it is lost."""
WHOLE_REFRET_MINUTES = 360.0
"""All frets new cost so much, however many are short."""
GRAZED_MM = 0.01
"""Less metal than this off a loose fret does no harm."""
HAIR_MM = 0.02
"""Two actions that differ by less metal on the worst fret are as good."""
MOST_SPOTS, MOST_LIFTED, MOST_SUSPECTS = 3, 5, 8
DUG_MM = 0.02
"""Marked frets are cut to their neighbours, but no further than this under where they belong: a low fret is no measure
for the others.
"""
SHAPE_TOLD = 0.9
"""From this chance on a bow, or a rise past the joint, counts at the gate: frets are judged on a straight neck, and a
rise takes the strings' room though nothing rocks on it.
"""
SHAPE_READ_MM = 0.06
"""A bow that is known no better than this was not read: what a bow is usually like tells nothing of this one."""
Shape = Literal["bow", "rise"]
Step = tuple[str, tuple[int, ...]]
"""Something to do, and its frets."""
LIFTS_COMPARED = 3
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
    "partial_refret": 25.0,
}
"""Of an action; of seating, lifting and replacing, a fret."""


@dataclass(frozen=True, slots=True)
class Levelling:
    """What a level is to leave: how far under the straight line at each fret, mm (empty: straight); and how much more
    than is planned levels take here, mm.
    """

    drops_mm: tuple[float, ...] = ()
    more_mm: float = 0.0


AS_USUAL = Levelling()


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
    """One action on every draw: metal [draws, lanes, frets], whether the gate passes, minutes in all, what else it
    costs in minutes, how many frets end too low to keep, and what else the level costs that puts a failed gate right
    (`_Levelled.later`).
    """

    do: str
    frets: tuple[int, ...]
    metal: Array
    passes: Array
    minutes: Array
    harm: Array
    short: Array
    later: Array

    def cost(self, spare_mm: float, rework: Array) -> Array:
        """In minutes, [draws]; where the gate fails, what puts it right comes on top, and so do frets left too low."""
        metal = WHOLE_METAL_MINUTES * self.metal.max(axis=(1, 2)) / spare_mm
        failed = (FAILED_MINUTES + rework + self.later) * (1 - self.passes)
        return np.asarray(metal + self.minutes + failed + SHORT_FRET_MINUTES * self.short + self.harm, dtype=float)


@dataclass(frozen=True, slots=True)
class _State:
    """The neck on every draw: its tops, where they belong by its bow, twist and ramp ([draws, lanes, frets]), whether
    it is straight and rises past its joint, which frets sit loose ([draws] each), and what each fret may lose, mm.
    """

    tops: Array
    home: Array
    straight: Flags
    rises: Flags
    loose: Mapping[int, Flags]
    room: Array


@dataclass(frozen=True)
class _Bench:
    """A neck's draws, how it is on them, and what the wire has to spare, mm. Where all places are read of, the marked
    frets are those that rock, as the rocker shows them at the work. `seen` frets were seen to sit loose.
    """

    neck: Neck
    draws: Draws
    now: _State
    spare: float
    seed: int
    all_read: bool
    seen: tuple[int, ...]
    levelling: Levelling

    @cached_property
    def level_now(self) -> "_Levelled":
        """A level before anything else is done."""
        return _levelled(self, self.now)

    @classmethod
    def of(
        cls,
        neck: Neck,
        draws: Draws,
        seed: int,
        daylight: Mapping[int, bool],
        spare: float,
        room: Array,
        *,
        all_read: bool,
        told: Collection[Shape],
        levelling: Levelling = AS_USUAL,
    ) -> "_Bench":
        """The bench before anything is done."""
        straight = np.asarray(np.abs(draws.bow_mm) <= STRAIGHT_MM) | ("bow" not in told)
        rises = np.asarray(draws.ramp_mm > STRAIGHT_MM) & ("rise" in told)
        home = draws.heights_mm - draws.own_mm
        now = _State(draws.heights_mm, home, straight, rises, _loose(neck, draws, seed, daylight), room)
        seen = tuple(fret for fret, is_so in daylight.items() if is_so)
        return cls(neck, draws, now, spare, seed, all_read, seen, levelling)

    def level(self, tops: Array) -> Array:
        """What a level takes off, [draws, lanes, frets]."""
        drops = np.array(self.levelling.drops_mm) if self.levelling.drops_mm else 0.0
        taken = level_metal(tops + drops, self.neck.positions_mm)
        return np.asarray(np.where(taken > 0, np.maximum(0.0, taken + self.levelling.more_mm), 0.0), dtype=float)

    def costs(self, tried: Sequence[_Tried]) -> Array:
        """What each action costs on every draw, [draws, actions]."""
        worst = self.level_now.metal.max(axis=(1, 2))
        rework = np.asarray(WHOLE_METAL_MINUTES * worst / self.spare + MINUTES["level"], dtype=float)
        return np.stack([one.cost(self.spare, rework) for one in tried], axis=1)

    def prepared(self, do: str, frets: tuple[int, ...], now: _State) -> tuple[_State, Array]:
        """The neck after something that takes no metal, and the minutes it takes, [draws]."""
        minutes = np.full(len(now.tops), MINUTES[do] * max(1, len(frets)))
        if do == "straighten":
            bow = self.draws.bow_mm[:, None, None] * self.neck.bow()
            straight = np.ones(len(now.tops), dtype=bool)
            return replace(now, tops=now.tops - bow, home=now.home - bow, straight=straight), minutes
        still = {fret: is_so & (fret not in frets) for fret, is_so in now.loose.items()}
        if do == "partial_refret":
            room = np.where(np.isin(np.arange(self.neck.frets) + 1, frets), np.inf, now.room)
            minutes = np.minimum(minutes, WHOLE_REFRET_MINUTES)
            return replace(now, tops=self._seated(now, frets), loose=still, room=room), minutes
        if do == "lift":
            return replace(now, tops=self._seated(now, frets)), minutes
        which = np.stack([now.loose[fret] for fret in frets], axis=1)
        looked = minutes if do == "check_seating" else 0.0
        reseated = MINUTES["reseat"] * which.sum(axis=1) + looked
        return replace(now, tops=self._seated(now, frets, which), loose=still), np.asarray(reseated, dtype=float)

    def _seated(self, now: _State, frets: Sequence[int], which: Flags | None = None) -> Array:
        """The tops with some frets brought near home, on the draws where `which` [draws, frets] says (None: all)."""
        chance, moved = np.random.default_rng(self.seed + 2), now.tops.copy()
        for k, fret in enumerate(frets):
            by = chance.normal(0, SEATED.even_sd, len(moved)) - self.draws.even_mm[:, fret - 1]
            moved[..., fret - 1] += (by if which is None else np.where(which[:, k], by, 0.0))[:, None]
        return moved

    def worth_preparing(self, daylight: Mapping[int, bool]) -> list[Step]:
        """What may be done before metal; what can be undone first. Of lifting there may be several, the best first."""
        may = tuple(fret for fret in _suspects(self.draws.even_mm > FAR_UP_MM) if fret not in daylight)
        low = _suspects(self.draws.even_mm < FAR_DOWN_MM, MOST_LIFTED)
        short = (self.level_now.metal.max(axis=1) > self.now.room).mean(axis=0) >= 0.5
        named: list[Step] = [("check_seating", may), ("reseat", tuple(sorted(self.seen)))]
        named += [("lift", some) for some in (self.worth_lifting(low, may) if low else [])]
        named += [("partial_refret", tuple(int(i) + 1 for i in np.flatnonzero(short)))]
        turn: list[Step] = [] if self.now.straight.all() else [("straighten", ())]
        return turn + [(do, some) for do, some in named if some]

    def worth_lifting(self, low: tuple[int, ...], may: tuple[int, ...]) -> list[tuple[int, ...]]:
        """Sets of the frets that are low, to be lifted: that of the least cost first, then those next to it. One fret
        after another is left out while that costs less.
        """
        now = self.now if not may else self.prepared("check_seating", may, self.now)[0]
        known: dict[tuple[int, ...], float] = {}

        def cost(frets: tuple[int, ...]) -> float:
            if frets not in known:
                state, minutes = self.prepared("lift", frets, now)
                known[frets] = float(self.costs(self.with_metal(state, minutes)).min(axis=1).mean())
            return known[frets]

        best = low
        for fret in low:
            rest = tuple(one for one in best if one != fret)
            best = min(best, rest, key=cost) if rest else best
        for fret in low:
            cost(tuple(sorted(set(best) ^ {fret})) or best)
        return sorted(known, key=lambda frets: (frets != best, known[frets]))[:LIFTS_COMPARED]

    def with_metal(self, state: _State, minutes: Array) -> list[_Tried]:
        """What may be done with metal after what was prepared."""
        whole = _levelled(self, state)
        tried = [_metal(self, do, (), state, whole) for do in ("leave", "marked", "level")]
        tried += [_metal(self, "fall_away", (), state, whole)] if state.rises.any() else []
        for one in tried:
            one.minutes += minutes
        return tried


def rock_over(h: Array, x: Array) -> Array:
    """How far each fret but the ends stands over the line of its neighbours, [..., frets − 2]."""
    share = (x[1:-1] - x[:-2]) / (x[2:] - x[:-2])
    return np.asarray(h[..., 1:-1] - h[..., :-2] * (1 - share) - h[..., 2:] * share, dtype=float)


def nothing_rocks(h: Array, x: Array) -> Flags:
    """Whether nothing rocks, [draws]."""
    return np.asarray(rock_over(h, x).max(axis=(1, 2)) <= GATE_MM)


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


def marked_metal(h: Array, x: Array, home: Array) -> Array:
    """What cutting only the frets that rock takes off, [draws, lanes, frets]: each to the line of its neighbours, but
    no more than `DUG_MM` under where it belongs (`home`).
    """
    left = h.copy()
    floor = np.minimum(h, home - DUG_MM)[..., 1:-1]
    for _ in range(4):
        over = rock_over(left, x)
        left[..., 1:-1] = np.maximum(left[..., 1:-1] - np.where(over > GATE_MM, over, 0.0), floor)
    return np.asarray(h - left, dtype=float)


def compare(
    neck: Neck,
    draws: Draws,
    seed: int = 0,
    daylight: Mapping[int, bool] | None = None,
    spare_mm: float | None = None,
    room_mm: Array | None = None,
    *,
    all_read: bool = True,
    as_it_lies: bool = False,
    levelling: Levelling = AS_USUAL,
) -> Compared:
    """Compare every action on the draws. `daylight` says of frets whether they were seen loose; `spare_mm` is what the
    wire has left over the least height, `room_mm` the same by fret. Until `all_read`, reading the rest is one of them:
    after it what is cheapest is known. `as_it_lies`: the neck counts as straight. `room_mm` may be [draws, frets].
    """
    seen, spare = daylight or {}, spare_mm or SPARE_MM
    room = np.full(neck.frets, spare) if room_mm is None else room_mm
    told = shape_told(draws, as_it_lies=as_it_lies)
    bench = _Bench.of(neck, draws, seed, seen, spare, room, all_read=all_read, told=told, levelling=levelling)
    steps = bench.worth_preparing(seen)
    tried = _prepared_first(bench, steps, read_more=not all_read)
    tried += [_metal(bench, do, frets, bench.now, bench.level_now) for do, frets in _metal_worth_trying(bench)]
    cost = bench.costs(tried)
    good = cost <= cost.min(axis=1, keepdims=True) + WHOLE_METAL_MINUTES * HAIR_MM / bench.spare
    order = np.argsort(cost.mean(axis=0), kind="stable")
    actions = tuple(_summed(tried[i], good[:, i]) for i in order)
    loose = bench.now.loose
    chances = {fret: float(is_so.mean()) for fret, is_so in loose.items()}
    return Compared(actions, np.asarray(good[:, order], dtype=bool), chances, loose)


def shape_told(draws: Draws, *, as_it_lies: bool = False) -> frozenset[Shape]:
    """What of the neck's shape is known and counts at the gate; `as_it_lies`: its bow does not."""
    bow = not as_it_lies and float(np.mean(np.abs(draws.bow_mm) > STRAIGHT_MM)) >= SHAPE_TOLD
    bow &= float(draws.bow_mm.std()) <= SHAPE_READ_MM
    rise = float(np.mean(draws.ramp_mm > STRAIGHT_MM)) >= SHAPE_TOLD
    named: tuple[tuple[Shape, bool], ...] = (("bow", bow), ("rise", rise))
    return frozenset(shape for shape, counts in named if counts)


def over_the_best(
    neck: Neck,
    truth: Draws,
    loose: Sequence[int],
    do: str,
    frets: tuple[int, ...],
    *,
    all_read: bool,
    told: Collection[Shape],
) -> float:
    """How many minutes more than the best an action costs on a neck that is known (alike draws), loose frets too.
    `told`: what of its shape was known to who chose the action.
    """
    known = {fret: fret in loose for fret in range(1, neck.frets + 1)}
    room = np.full(neck.frets, SPARE_MM)
    bench = _Bench.of(neck, truth, 0, known, SPARE_MM, room, all_read=all_read, told=told)
    steps = bench.worth_preparing(known)
    ways = _prepared_first(bench, steps)
    ways += [_metal(bench, one, some, bench.now, bench.level_now) for one, some in _metal_worth_trying(bench)]
    if do in METAL:
        claimed = _metal(bench, do, frets, bench.now, bench.level_now)
    else:
        own: list[Step] = [(do, frets)] if do != "read_more" else []
        others = {one: some for one, some in reversed(steps) if one != do}
        [claimed] = _after(bench, [*own, *others.items()], [do])
    said, *costs = bench.costs([claimed, *ways]).mean(axis=0)
    return float(said - min(costs))


def hair_minutes() -> float:
    """Within how many minutes two actions are as good."""
    return WHOLE_METAL_MINUTES * HAIR_MM / SPARE_MM


def _summed(one: _Tried, good: Flags) -> Action:
    worst = one.metal.max(axis=(1, 2))
    low, high = np.quantile(worst, (0.05, 0.95))
    return Action(
        one.do,
        one.frets,
        Spread(float(worst.mean()), float(low), float(high)),
        float(one.metal.mean()),
        float(one.passes.mean()),
        float((one.short > 0).mean()),
        float(good.mean()),
        float(one.minutes.mean()),
    )


def _loose(neck: Neck, draws: Draws, seed: int, daylight: Mapping[int, bool]) -> dict[int, Flags]:
    """Whether each fret sits loose, on every draw: of those far up a share by its history, unless it was seen."""
    share = PRIORS[neck.history].loose if neck.loose is None else neck.loose
    chance, found = np.random.default_rng(seed + 1), dict[int, Flags]()
    for fret in range(1, neck.frets + 1):
        up = draws.even_mm[:, fret - 1] > FAR_UP_MM
        drawn = chance.random(len(up)) < share
        found[fret] = np.full(len(up), daylight[fret]) if fret in daylight else up & drawn
    return found


def _metal_worth_trying(bench: _Bench) -> list[Step]:
    """What of metal alone, or of nothing at all, the draws make worth comparing, with its frets."""
    now = bench.now
    touched = marked_metal(now.tops, bench.neck.positions_mm, now.home).max(axis=1) > 0
    marked = tuple(int(i) + 1 for i in np.flatnonzero(touched.mean(axis=0) >= 0.3))
    found: list[Step] = [("leave", ())]
    found += [("spot", (fret,)) for fret in _suspects(touched, MOST_SPOTS)]
    found += [("marked", marked)] if len(marked) > 1 else []
    past = tuple(range((bench.neck.joint_fret or bench.neck.frets) + 1, bench.neck.frets + 1))
    found += [("fall_away", past)] if past and float(np.mean(bench.draws.ramp_mm > GATE_MM)) > 0.2 else []
    return [*found, ("level", ())]


def _suspects(is_so: Flags, most: int = MOST_SUSPECTS) -> tuple[int, ...]:
    """The frets of which something is at least a quarter likely, the likeliest few, in order."""
    share = is_so.mean(axis=0)
    return tuple(sorted(int(i) + 1 for i in np.argsort(-share)[:most] if share[i] >= 0.25))


def _prepared_first(bench: _Bench, steps: Sequence[Step], *, read_more: bool = False) -> list[_Tried]:
    """Each step on every draw, with the cheapest that may follow: any others of them, which may be done in any order,
    then metal or none; of several that do the same the others follow as the first of them. With `read_more`, reading
    the rest is one: whatever is cheapest follows.
    """
    first: dict[str, tuple[int, ...]] = {}
    for do, frets in steps:
        first.setdefault(do, frets)
    found = _after(bench, list(first.items()), [*first, *(["read_more"] if read_more else [])])
    for do, frets in steps:
        if first[do] != frets:
            found += _after(bench, list({**first, do: frets}.items()), [do])
    return found


def _after(bench: _Bench, steps: Sequence[Step], first: Sequence[str]) -> list[_Tried]:
    """Each of the `first` steps with the cheapest that may follow; no two of the steps do the same."""
    states: dict[frozenset[str], tuple[_State, Array]] = {frozenset(): (bench.now, np.zeros(len(bench.now.tops)))}
    for do, frets in steps:
        for done, (state, minutes) in list(states.items()):
            after, more = bench.prepared(do, frets, state)
            states[done | {do}] = after, minutes + more
    ways = [(done, one) for done, (state, minutes) in states.items() for one in bench.with_metal(state, minutes)]
    cost, named, found = bench.costs([one for _, one in ways]), dict(steps), []
    for do in first:
        may = [k for k, (done, _) in enumerate(ways) if do in done or do == "read_more"]
        pick = np.array(may)[cost[:, may].argmin(axis=1)]
        every = np.arange(len(pick))
        parts = [
            np.asarray(np.stack([getattr(one, name) for _, one in ways])[pick, every])
            for name in ("metal", "passes", "minutes", "harm", "short", "later")
        ]
        if do == "read_more":
            parts[2] = parts[2] + MINUTES["read_more"]
        found.append(_Tried(do, named.get(do, ()), *parts))
    return found


METAL = ("leave", "spot", "marked", "level", "fall_away")
"""What is done with metal alone, or nothing."""


def _metal(bench: _Bench, do: str, frets: tuple[int, ...], now: _State, whole: "_Levelled") -> _Tried:
    """What an action does with metal; `whole` is a level of the same neck."""
    x, h = bench.neck.positions_mm, now.tops
    metal = np.zeros_like(h)
    if do in ("spot", "marked"):
        metal = marked_metal(h, x, now.home)
        if frets and (do == "spot" or not bench.all_read):
            metal[..., [n for n in range(h.shape[2]) if n + 1 not in frets]] = 0.0
    elif do == "level":
        metal = whole.metal
    elif do == "fall_away":
        metal = _over_the_neck_before(h, x, bench.neck.joint_fret or h.shape[2])
    passes = (nothing_rocks(h - metal, x) & now.straight & ~(now.rises & (do != "fall_away"))).astype(float)
    passes = np.full(len(h), LEVEL_PASSES) if do == "level" else passes
    for fret in bench.seen:
        passes = np.where(now.loose[fret], 0.0, passes)  # what was seen to sit loose does not stay so
    return _Tried(
        do, frets, metal, passes, np.full(len(h), MINUTES[do]), _harm(now, metal), _short(now, metal), whole.later
    )


@dataclass(frozen=True, slots=True)
class _Levelled:
    """A full level of a neck on every draw: what it takes off, [draws, lanes, frets], and what else it costs, minutes:
    it grinds what sits loose, and leaves frets too low.
    """

    metal: Array
    later: Array


def _levelled(bench: _Bench, now: _State) -> _Levelled:
    metal = bench.level(now.tops)
    return _Levelled(metal, _harm(now, metal) + SHORT_FRET_MINUTES * _short(now, metal))


def _short(now: _State, metal: Array) -> Array:
    """How many frets end too low to keep, [draws]."""
    return np.asarray((metal.max(axis=1) > now.room).sum(axis=1), dtype=float)


def _harm(now: _State, metal: Array) -> Array:
    """What grinding loose frets costs, minutes, [draws]."""
    ground = np.stack([now.loose[n + 1] & (metal[..., n].max(axis=1) > GRAZED_MM) for n in range(metal.shape[2])])
    return np.where(ground.any(axis=0), GROUND_LOOSE_MINUTES, 0.0)


def _over_the_neck_before(h: Array, x: Array, joint: int) -> Array:
    """What stands past the joint over the straight line of the frets before it, [draws, lanes, frets]."""
    before = slice(max(0, joint - BEFORE_JOINT), joint)
    line = np.column_stack([np.ones_like(x), x])
    carried = (h[..., before] @ np.linalg.pinv(line[before]).T) @ line.T
    over = np.maximum(0.0, h - carried)
    over[..., :joint] = 0.0
    return np.asarray(over, dtype=float)
