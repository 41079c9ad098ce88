"""The three lanes as heights over one fair line, with the level line and what comes off; and the metal left."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from deft_bench.core.frets.heights import Heights, fair_line
from deft_bench.core.frets.levelling import LanePlan
from deft_bench.core.units import Display

WIDTH = 800
LEFT, RIGHT = 58, 14
LANE_HEIGHT = 96
BUDGET_HEIGHT = 92
NUMBERS_APART = 30
"""Numbers closer than this along a chart run together."""


@dataclass(frozen=True, slots=True)
class Bar:
    """One fret: the metal that stays (`y` to the foot) and the part above the level line that comes off."""

    fret: int
    x: float
    width: float
    y: float
    cut_y: float | None
    kind: str
    words: str


@dataclass(frozen=True, slots=True)
class LaneChart:
    """One lane's bars, its dashed level line and the axis, in SVG units within its own band."""

    lane: str
    foot: float
    bars: list[Bar]
    line: str
    axis: list[tuple[float, str]]
    total: str


@dataclass(frozen=True, slots=True)
class BudgetChart:
    """Height left in every fret against the least worth keeping, in SVG units."""

    foot: float
    bars: list[Bar]
    least_y: float
    least: str
    new_y: float
    new: str
    numbers: list[tuple[float, int]]


def _columns(positions_mm: Sequence[float], mirrored: bool) -> tuple[list[float], float]:
    span = positions_mm[-1] - positions_mm[0] or 1.0
    room = WIDTH - LEFT - RIGHT - 28
    xs = [LEFT + 14 + (x - positions_mm[0]) / span * room for x in positions_mm]
    gap = min((b - a for a, b in pairwise(xs)), default=20)
    if mirrored:
        xs = [LEFT + WIDTH - RIGHT - x for x in xs]
    return xs, max(5.0, min(12.0, gap - 5))


def _over_fair_line(
    positions_mm: Sequence[float], read: Heights, plan: LanePlan, drops_mm: Sequence[float]
) -> tuple[list[float | None], list[float]]:
    """A lane's heights and the level line's, both over the lane's own fair line, mm."""
    places = list(zip(positions_mm, read, drops_mm, strict=True))
    offset, slope = fair_line([(x, h + d) for x, h, d in places if h is not None])
    over = [None if h is None else h - offset - slope * x for x, h, _ in places]
    return over, [plan.offset_mm - offset + (plan.slope - slope) * x - drop for x, _, drop in places]


def _what_happens(kind: str, rise_mm: float, removed_mm: float, display: Display) -> str:
    if kind == "left-out":
        return "left out"
    if kind == "lift" and rise_mm > 0:
        return f"lift {display.fine_mm(rise_mm)}"
    return f"{display.fine_mm(removed_mm)} off"


def lane_charts(
    positions_mm: Sequence[float],
    heights: dict[str, Heights],
    plans: dict[str, LanePlan],
    drops_mm: Sequence[float],
    lifted: Sequence[int],
    left_out: frozenset[int],
    display: Display,
    mirrored: bool = False,
) -> list[LaneChart]:
    """One chart a lane, treble on top, all to one vertical scale. Heights are drawn over the lane's fair line."""
    xs, width = _columns(positions_mm, mirrored)
    over: dict[str, list[float | None]] = {}
    targets: dict[str, list[float]] = {}
    for lane, read in heights.items():
        over[lane], targets[lane] = _over_fair_line(positions_mm, read, plans[lane], drops_mm)
    shown = [v for values in over.values() for v in values if v is not None] + [v for t in targets.values() for v in t]
    high, low = max(0.055, *shown), min(-0.055, *shown)
    top, foot = 8.0, LANE_HEIGHT - 8.0
    floor = low - 0.15 * (high - low)

    def y(value: float) -> float:
        return foot - (value - floor) / (high - floor) * (foot - top)

    charts = []
    for lane in ("treble", "middle", "bass"):
        if lane not in over:
            continue
        bars = []
        for fret, (x, value, target) in enumerate(zip(xs, over[lane], targets[lane], strict=True), start=1):
            if value is None:
                continue
            removed = plans[lane].removal_mm[fret - 1] or 0.0
            kind = "left-out" if fret in left_out else "lift" if fret in lifted else "kept"
            cut = y(target) if removed > 0.0005 else None
            words = f"fret {fret} {lane}: {_what_happens(kind, target - value, removed, display)}"
            bars.append(Bar(fret, x, width, y(value), cut, kind, words))
        line = " ".join(f"{x:.1f},{y(t):.1f}" for x, t in zip(xs, targets[lane], strict=True))
        axis = [(y(value), display.signed_number(value * 1000)) for value in _axis(low, high, display)]
        total = display.fine_mm(plans[lane].total_mm)
        charts.append(LaneChart(lane, foot, bars, line, axis, total))
    return charts


def _axis(low: float, high: float, display: Display) -> list[float]:
    """Round numbers of the unit that is shown, in mm."""
    steps = (
        (0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10)
        if display.system == "mm"
        else (0.0508, 0.1016, 0.254, 0.508, 1.27, 2.54, 12.7)
    )
    step = next(step for step in steps if (high - low) / step <= 4)
    return [i * step for i in range(int(low / step), int(high / step) + 1)]


def budget_chart(
    positions_mm: Sequence[float],
    left_mm: Sequence[float],
    least_mm: float,
    new_mm: float,
    warn_mm: float,
    display: Display,
    mirrored: bool = False,
) -> BudgetChart:
    """Height left after the plan, drawn from half the least height up so that the margin shows."""
    xs, width = _columns(positions_mm, mirrored)
    top, foot = 10.0, BUDGET_HEIGHT - 22.0
    floor = least_mm * 0.5
    high = max(new_mm, *left_mm)

    def y(value: float) -> float:
        return foot - max(0.0, value - floor) / (high - floor) * (foot - top)

    bars = [
        Bar(
            fret,
            x,
            width,
            y(left),
            None,
            "short" if left < least_mm - 1e-9 else "near" if left < least_mm + warn_mm else "kept",
            f"fret {fret}: {display.fine_mm(left)} left",
        )
        for fret, (x, left) in enumerate(zip(xs, left_mm, strict=True), start=1)
    ]
    numbers = thinned(list(zip(xs, range(1, len(xs) + 1), strict=True)))
    return BudgetChart(foot, bars, y(least_mm), display.fine_mm(least_mm), y(new_mm), display.fine_mm(new_mm), numbers)


def thinned(numbers: Sequence[tuple[float, int]]) -> list[tuple[float, int]]:
    """Numbers along a line, (x, number), without those that would run into the one shown before; the last is shown."""
    shown: list[tuple[float, int]] = []
    for x, number in numbers:
        if not shown or x - shown[-1][0] >= NUMBERS_APART:
            shown.append((x, number))
    if shown and shown[-1] != numbers[-1]:
        shown[-1] = numbers[-1]
    return shown
