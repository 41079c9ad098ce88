"""The level plan: the straight line that each lane of frets is taken down to, at the least cost in metal.

In each lane a target t_n = a + b·x_n − drop_n lies nowhere above a fret that bounds it. With g_n = h_n + drop_n the
total removal is Σ(g_n − a − b·x_n), a linear programme in (a, b). For a given slope the best offset is always
a = A(b) = min(g_n − b·x_n), since more offset never costs metal; what is left is a convex, piecewise linear function
of b alone, least at one of its corners: the edges of the lower hull, and the tangents from lifted frets to it.
The derivation, with the proof of what may be left out of the search, is in docs/methods/level-plan.md.
"""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

from deft_bench.core.frets.crown import land
from deft_bench.core.frets.heights import Heights, fair_line
from deft_bench.core.limits import LEAST_HEIGHT_MM, LEAST_HEIGHT_SHARE, MOST_LIFT_SHARE, SEATING_GAP_MM

Objective = Literal["least_metal", "least_worst"]

PAYS_MM = 0.10
PAYS_SHARE = 0.15
PAIR = 2
MOST_LIFTED = 6
"""Sets of up to two frets are all tried; larger ones up to this, as the best fret is added each time."""
MOST_LEFT_LOW = 8
LEAST_LOW_MM, MOST_LOW_MM = SEATING_GAP_MM, 0.5
"""How many of the last frets may be left low, and how far: less is nothing, more is no fall-away."""

_TIE_MM = 1e-9

Points = Sequence[tuple[float, float]]


@dataclass(frozen=True, slots=True)
class LanePlan:
    """One lane's line t(x) = offset + slope·x (mm, mm/mm; without the drop) and what comes off each fret, mm."""

    offset_mm: float
    slope: float
    removal_mm: tuple[float | None, ...]
    total_mm: float
    worst_mm: float


@dataclass(frozen=True, slots=True)
class LevelOption:
    """Level with the frets in `lift` lifted (reseated, shimmed or replaced) first, or with the last frets in `leave`
    left low as fall-away; neither is level-all. `raise_mm` is how far each of them lies under the line.
    """

    lift: tuple[int, ...]
    lanes: dict[str, LanePlan]
    total_mm: float
    worst_mm: float
    saves_mm: float
    raise_mm: dict[int, float]
    leave: tuple[int, ...] = ()

    @property
    def mean_mm(self) -> float:
        """What comes off a place on average, over every place that is read and not left out."""
        places = sum(off is not None for found in self.lanes.values() for off in found.removal_mm)
        return self.total_mm / places if places else 0.0


@dataclass(frozen=True, slots=True)
class LevelRequest:
    """What a plan is made from. Lengths mm; `heights` has one entry a fret in every lane, None where not read.

    `fret_height_mm` is the present height over the board, one entry a fret; `crown_heights_mm` are the heights that
    were read, by lane, which count before it; `rock_mm` is the least gap that counts.
    """

    positions_mm: tuple[float, ...]
    heights: Mapping[str, Heights]
    drops_mm: tuple[float, ...]
    left_out: frozenset[int]
    objective: Objective
    fret_height_mm: tuple[float, ...]
    least_height_mm: float
    polish_loss_mm: float
    rock_mm: float
    crown_width_mm: float | None = None
    crown_heights_mm: Mapping[str, Heights] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for name, heights in self.heights.items():
            if len(heights) != len(self.positions_mm):
                raise ValueError(f"heights_mm.{name}: must hold one entry a fret, {len(self.positions_mm)} in all")
            if len(self.bounds(name)) < 2:
                raise ValueError(f"heights_mm.{name}: at least two frets must be read and not left out")

    def held(self, lane: str, fret: int) -> float:
        """Height over the board at a place, mm: the crown's where it was read, else the fret's."""
        read = self.crown_heights_mm[lane][fret - 1] if lane in self.crown_heights_mm else None
        return self.fret_height_mm[fret - 1] if read is None else read

    def bounds(self, lane: str) -> list[tuple[int, float, float]]:
        """(fret, x, height + drop) of every fret that is read in the lane and not left out."""
        return [
            (fret, x, h + drop)
            for fret, (x, h, drop) in enumerate(
                zip(self.positions_mm, self.heights[lane], self.drops_mm, strict=True), 1
            )
            if h is not None and fret not in self.left_out
        ]


@dataclass(frozen=True, slots=True)
class LevelPlan:
    """The level-all plan, every option that pays (best first, level-all among them) and the metal that is left."""

    request: LevelRequest
    level_all: LevelOption
    options: tuple[LevelOption, ...]

    def height_left(self, option: LevelOption | None = None) -> list[float]:
        """Height of each fret over the board after the option and the polish, mm: where it is lowest."""
        request, lanes = self.request, (option or self.level_all).lanes
        read = {*lanes, *request.crown_heights_mm}

        def left(lane: str, fret: int) -> float:
            off = lanes[lane].removal_mm[fret - 1] if lane in lanes else None
            return request.held(lane, fret) - (off or 0.0) - request.polish_loss_mm

        return [min(left(lane, fret) for lane in read) for fret in range(1, len(request.fret_height_mm) + 1)]

    @property
    def offered(self) -> list[LevelOption]:
        """The options in which no fret comes up by more than half its crown: one so low is no fret to lift."""
        crowns = self.request.fret_height_mm
        return [
            option
            for option in self.options
            if all(option.raise_mm[fret] <= MOST_LIFT_SHARE * crowns[fret - 1] for fret in option.lift)
        ]

    def below_least(self, option: LevelOption | None = None) -> list[int]:
        """Frets that would end under the least height worth keeping."""
        # a height typed in hundredths must not fall under the limit by a rounding in the sixteenth place
        left = self.height_left(option)
        return [fret for fret, height in enumerate(left, 1) if height < self.request.least_height_mm - 1e-9]

    def lands(self, option: LevelOption | None = None) -> list[float] | None:
        """Width of the flat left on each fret until it is crowned, mm; None when no crown width is known."""
        width = self.request.crown_width_mm
        if width is None:
            return None
        removed = most_removed(option or self.level_all)
        return [land(width, height, off) for height, off in zip(self.request.fret_height_mm, removed, strict=True)]

    def twist_mm(self) -> float | None:
        """(b_bass − b_treble)·(x_N − x_1) of level-all in mm; None unless both lanes were read."""
        lanes = self.level_all.lanes
        if "bass" not in lanes or "treble" not in lanes:
            return None
        x = self.request.positions_mm
        return (lanes["bass"].slope - lanes["treble"].slope) * (x[-1] - x[0])


def most_removed(option: LevelOption) -> list[float]:
    """The most that any lane takes off each fret, mm; zero where no lane levels it."""
    return [
        max((off or 0.0) for off in offs) for offs in zip(*(p.removal_mm for p in option.lanes.values()), strict=True)
    ]


def least_height(new_height_mm: float) -> float:
    """The least fret height worth keeping: 65 % of the wire's new height, never under 0.60 mm."""
    return max(LEAST_HEIGHT_SHARE * new_height_mm, LEAST_HEIGHT_MM)


def plan_level(request: LevelRequest) -> LevelPlan:
    """The optimal plan: level-all, every set of one or two lifted frets that pays, larger sets as far as adding the
    best fret leads to them, and the last frets left low where that pays.

    A set pays when each of its frets, taken out of it, would cost at least max(0.10 mm, 15 % of the level-all total).
    """
    search = _LiftSearch(request)
    total = search.total(())
    threshold = max(PAYS_MM, PAYS_SHARE * total)

    def pays(lift: tuple[int, ...]) -> bool:
        lifted = search.total(lift)
        return all(search.total(tuple(f for f in lift if f != fret)) - lifted >= threshold for fret in lift)

    paying = [level_option(request, lift, total) for lift in [*search.candidates(), *search.grown()] if pays(lift)]
    paying += _ends_left_low(request, total, threshold)
    level_all = level_option(request, ())

    def cost(found: LevelOption) -> tuple[float, ...]:
        first, then = found.total_mm, found.worst_mm
        if request.objective == "least_worst":
            first, then = then, first
        return (round(first, 9), round(then, 9), len(found.lift), *found.lift)

    return LevelPlan(request, level_all, tuple(sorted([level_all, *paying], key=cost)))


def _ends_left_low(request: LevelRequest, total_mm: float, threshold_mm: float) -> list[LevelOption]:
    """The option to leave the last frets as they are where they lie under the line of the others: a fall-away that is
    there already. As few of them as pay, within what one set pays of the least. A low fret with level ones behind it
    is no fall-away.
    """
    last = len(request.positions_mm)
    found = []
    for count in range(1, MOST_LEFT_LOW + 1):
        leave = tuple(range(last - count + 1, last + 1))
        left = [sum(fret not in leave for fret, _, _ in request.bounds(lane)) for lane in request.heights]
        if min(left) < 2 or set(leave) & request.left_out:
            break
        option = level_option(replace(request, left_out=request.left_out | set(leave)), (), total_mm)
        under = dict.fromkeys(leave, 0.0)
        for lane, plan in option.lanes.items():
            for fret, x, g in request.bounds(lane):
                if fret in under:
                    under[fret] = max(under[fret], plan.offset_mm + plan.slope * x - g)
        if _falls_away(list(under.values()), request.rock_mm) and option.saves_mm >= threshold_mm:
            found.append(replace(option, leave=leave, raise_mm=under))
    least = min((option.total_mm for option in found), default=0.0)
    return [option for option in found if option.total_mm <= least + PAYS_MM][:1]


def _falls_away(under_mm: Sequence[float], rock_mm: float) -> bool:
    """Whether frets that lie so far under the line, the last one last, are a fall-away: all under it, and none lower
    than the one behind it by a rock that counts.
    """
    steps = [behind - ahead for ahead, behind in pairwise(under_mm)]
    within = under_mm[-1] >= LEAST_LOW_MM and max(under_mm) <= MOST_LOW_MM
    return within and min(under_mm) > 0 and min(steps, default=0.0) > -rock_mm


def level_option(request: LevelRequest, lift: Sequence[int], level_all_total_mm: float | None = None) -> LevelOption:
    """Level with the given frets lifted: they bound no lane, and any still above the target is charged."""
    lanes = {}
    raises = dict.fromkeys(lift, 0.0)
    for lane in request.heights:
        bounds = request.bounds(lane)
        held = [(x, g) for fret, x, g in bounds if fret not in lift]
        free = [(x, g) for fret, x, g in bounds if fret in lift]
        offset, slope = best_line(held, free, request.objective)
        removal: list[float | None] = [None] * len(request.positions_mm)
        for fret, x, g in bounds:
            removal[fret - 1] = max(0.0, g - offset - slope * x)
            if fret in raises:
                raises[fret] = max(raises[fret], offset + slope * x - g)
        taken = [off for off in removal if off is not None]
        lanes[lane] = LanePlan(offset, slope, tuple(removal), sum(taken), max(taken))
    total = sum(plan.total_mm for plan in lanes.values())
    return LevelOption(
        lift=tuple(lift),
        lanes=lanes,
        total_mm=total,
        worst_mm=max(plan.worst_mm for plan in lanes.values()),
        saves_mm=0.0 if level_all_total_mm is None else level_all_total_mm - total,
        raise_mm=raises,
    )


def marked_option(plan: LevelPlan) -> LevelOption:
    """The other school: only frets that stand proud of the fair line by a rock that counts are taken down, to that
    line.

    Least metal on new, well-seated wire; the rest is left as it lies.
    """
    lanes = {}
    for lane in plan.request.heights:
        bounds = plan.request.bounds(lane)
        offset, slope = fair_line([(x, g) for _, x, g in bounds])
        over = {fret: g - offset - slope * x for fret, x, g in bounds}
        off = {fret: mm if mm >= plan.request.rock_mm - 1e-9 else 0.0 for fret, mm in over.items()}
        lanes[lane] = offset, slope, off
    return taken_down(plan, lanes)


def taken_down(plan: LevelPlan, lanes: Mapping[str, tuple[float, float, Mapping[int, float]]]) -> LevelOption:
    """The option that takes so much off each fret and lifts none; by lane (offset, slope, mm by fret that is read)."""
    found = {}
    for lane, (offset, slope, off) in lanes.items():
        removal = tuple(off.get(fret) for fret in range(1, len(plan.request.positions_mm) + 1))
        found[lane] = LanePlan(offset, slope, removal, sum(off.values()), max(off.values()))
    total = sum(lane.total_mm for lane in found.values())
    worst = max(lane.worst_mm for lane in found.values())
    return LevelOption((), found, total, worst, plan.level_all.total_mm - total, {})


def option_of(plan: LevelPlan, lift: tuple[int, ...], leave: tuple[int, ...] = ()) -> LevelOption:
    """The option that lifts these frets (or leaves these low): one of the plan's own where it has it; level-all where
    so many are lifted that no line is left to level to.
    """
    request = plan.request
    if any(sum(fret not in lift for fret, _, _ in request.bounds(lane)) < PAIR for lane in request.heights):
        return plan.level_all
    found = next((option for option in plan.options if (option.lift, option.leave) == (lift, leave)), None)
    return found or level_option(plan.request, lift, plan.level_all.total_mm)


def local_option(plan: LevelPlan, frets: Sequence[int]) -> LevelOption:
    """Only the named frets, each taken down to the fair line of the others: they are the reference, and stay."""
    lanes = {}
    for lane in plan.request.heights:
        bounds = plan.request.bounds(lane)
        kept = [(x, g) for fret, x, g in bounds if fret not in frets]
        offset, slope = fair_line(kept if len(kept) > 1 else [(x, g) for _, x, g in bounds])
        off = {fret: max(0.0, g - offset - slope * x) if fret in frets else 0.0 for fret, x, g in bounds}
        lanes[lane] = offset, slope, off
    return taken_down(plan, lanes)


def marked_frets(option: LevelOption) -> list[int]:
    """The frets that an option takes anything off."""
    return [fret for fret, mm in enumerate(most_removed(option), 1) if mm > 0]


class _LiftSearch:
    """Totals of lifted sets of one request, each lane solved once for each different programme.

    A fret that is no corner of a lane's lower hull bounds nothing there, and lifting it leaves the same programme: its
    charge is what levelling would have taken off it anyway.
    """

    def __init__(self, request: LevelRequest) -> None:
        self.objective: Objective = request.objective
        self.lanes = [request.bounds(lane) for lane in request.heights]
        self._corners: dict[tuple[int, tuple[int, ...]], frozenset[int]] = {}
        self._totals: dict[tuple[int, tuple[int, ...]], float] = {}

    def corners(self, lane: int, without: tuple[int, ...]) -> frozenset[int]:
        """Frets at the corners of a lane's lower hull when some frets are taken out."""
        key = lane, without
        if key not in self._corners:
            kept = [bound for bound in self.lanes[lane] if bound[0] not in without]
            on_hull = {x for x, _ in lower_hull([(x, g) for _, x, g in kept])}
            self._corners[key] = frozenset(fret for fret, x, _ in kept if x in on_hull)
        return self._corners[key]

    def binding(self, lane: int, lift: tuple[int, ...]) -> tuple[int, ...]:
        """The frets of a set whose lifting changes this lane's programme."""
        for fret in lift:
            rest = tuple(f for f in lift if f != fret)
            if fret not in self.corners(lane, rest):
                return self.binding(lane, rest)
        return lift

    def total(self, lift: tuple[int, ...]) -> float:
        """Total removal over the lanes with a set lifted, mm."""
        return sum(self._lane_total(lane, self.binding(lane, lift)) for lane in range(len(self.lanes)))

    def _lane_total(self, lane: int, lift: tuple[int, ...]) -> float:
        key = lane, lift
        if key not in self._totals:
            held = [(x, g) for fret, x, g in self.lanes[lane] if fret not in lift]
            free = [(x, g) for fret, x, g in self.lanes[lane] if fret in lift]
            offset, slope = best_line(held, free, self.objective)
            self._totals[key] = sum(max(0.0, g - offset - slope * x) for _, x, g in self.lanes[lane])
        return self._totals[key]

    def bounding(self, without: tuple[int, ...]) -> set[int]:
        """Frets that bound some lane when others are lifted."""
        return set().union(*(self.corners(lane, without) for lane in range(len(self.lanes))))

    def can_lift(self, lift: tuple[int, ...]) -> bool:
        """Whether enough frets are left to carry a line."""
        return all(sum(fret not in lift for fret, _, _ in bounds) >= 2 for bounds in self.lanes)

    def grown(self) -> Iterator[tuple[int, ...]]:
        """Sets of three frets and more: from none, the fret that leaves the least to take is added each time."""
        lift: tuple[int, ...] = ()
        for _ in range(MOST_LIFTED):
            wider = [tuple(sorted((*lift, fret))) for fret in self.bounding(lift)]
            possible = [one for one in wider if self.can_lift(one)]
            if not possible:
                return
            lift = min(possible, key=lambda one: (self.total(one), one))
            if len(lift) > PAIR:
                yield lift

    def candidates(self) -> Iterator[tuple[int, ...]]:
        """Every set of one or two frets that can pay: each of the two bounds some lane once the other is lifted."""
        first = self.bounding(())
        after = {fret: self.bounding((fret,)) for fret in first if self.can_lift((fret,))}
        for fret in sorted(after):
            yield (fret,)
        pairs = {
            (min(fret, other), max(fret, other))
            for fret in after
            for other in after[fret]
            if other != fret and fret in after.get(other, first)
        }
        for pair in sorted(pairs):
            if self.can_lift(pair):
                yield pair


def best_line(held: Points, lifted: Points, objective: Objective) -> tuple[float, float]:
    """The optimal line (offset, slope) under all `held` (x, g) points, in ascending x; `lifted` points only cost.

    Ties go to the smaller |slope|. Needs two held points.
    """
    hull = lower_hull(held)
    count = len(held)
    sum_x = sum(x for x, _ in held)
    sum_g = sum(g for _, g in held)

    def offset(slope: float) -> float:
        return min([g - slope * x for x, g in hull])

    def total(slope: float) -> float:
        a = offset(slope)
        cost = sum_g - slope * sum_x - count * a
        for x, g in lifted:
            above = g - slope * x - a
            if above > 0:
                cost += above
        return cost

    corners = [(g2 - g1) / (x2 - x1) for (x1, g1), (x2, g2) in pairwise(hull)]
    for x, g in lifted:
        corners.extend(_tangents(x, g, hull))

    low, high = -float("inf"), float("inf")
    if objective == "least_worst":
        upper = [(x, -g) for x, g in lower_hull([(x, -g) for x, g in sorted([*held, *lifted])])]

        def worst(slope: float) -> float:
            return max([g - slope * x for x, g in upper]) - offset(slope)

        bends = [(g2 - g1) / (x2 - x1) for (x1, g1), (x2, g2) in pairwise(upper)]
        low, high = _flat_bottom(worst, [*bends, *corners])
        corners = [low, high, *(slope for slope in corners if low < slope < high)]
    low, high = _flat_bottom(total, corners)
    slope = min(max(0.0, low), high)
    return offset(slope), slope


def to_come_off(positions_mm: Sequence[float], tops_mm: Sequence[float]) -> list[float]:
    """What comes off each top of a lane that is levelled with least metal, every top touched; mm."""
    points = list(zip(positions_mm, tops_mm, strict=True))
    offset, slope = best_line(points, [], "least_metal")
    return [max(0.0, height - offset - slope * x) for x, height in points]


def band_width(points: Points) -> float:
    """Width of the narrowest band about a straight line that holds all points, ascending in x, mm; two at least."""
    offset, slope = best_line(points, (), "least_worst")
    return max(g - offset - slope * x for x, g in points)


def _flat_bottom(cost: Callable[[float], float], corners: Sequence[float]) -> tuple[float, float]:
    """The first and last corner at which a convex cost is least."""
    costs = [(cost(slope), slope) for slope in corners]
    least = min(costs)[0]
    at_least = [slope for value, slope in costs if value <= least + _TIE_MM]
    return min(at_least), max(at_least)


def _tangents(x: float, g: float, hull: Points) -> list[float]:
    """Slopes of the lines through (x, g) that touch the hull from below; none when the point lies above it."""
    left = max(((g - gv) / (x - xv) for xv, gv in hull if xv < x), default=None)
    right = min(((gv - g) / (xv - x) for xv, gv in hull if xv > x), default=None)
    if left is not None and right is not None and left > right:
        return []
    return [slope for slope in (left, right) if slope is not None]


def lower_hull(points: Points) -> list[tuple[float, float]]:
    """Corners of the lower convex hull of points in ascending x by the monotone chain of the geometry textbooks;
    collinear points dropped.
    """
    hull: list[tuple[float, float]] = []
    for x, g in points:
        while len(hull) >= 2:
            (x1, g1), (x2, g2) = hull[-2], hull[-1]
            if (g2 - g1) * (x - x2) < (g - g2) * (x2 - x1):
                break
            hull.pop()
        hull.append((x, g))
    return hull
