"""The neck from the side with its bow exaggerated, and how its rod has answered."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.neck.straightness import Straightness
from deft_bench.core.neck.truss_rod import Turn
from deft_bench.core.units import Display

WIDTH, HEIGHT = 1180, 230
LEFT, RIGHT, TOP, FOOT = 64, 20, 26, 186


@dataclass(frozen=True, slots=True)
class NeckCurve:
    """Readings and the bow through them in SVG units; heights count up, the straight line through the ends is zero."""

    points: list[tuple[float, float, str, str]]
    curve: str
    zero_y: float
    band: tuple[float, float]
    target: str
    axis: list[tuple[float, str]]
    frets: list[tuple[float, str]]
    times: int


def neck_curve(
    gaps_mm: dict[int, float],
    positions_mm: Sequence[float],
    found: Straightness,
    target_mm: float,
    display: Display,
    *,
    mirrored: bool,
) -> NeckCurve:
    """Draw gaps by fret with the fitted bow. A forward bow hangs below the straight line, as the neck does seen from
    the side.
    """
    low, high = min(gaps_mm), max(gaps_mm)
    xa, xe = positions_mm[low - 1], positions_mm[high - 1]

    def bow(x: float, relief: float) -> float:
        return 4 * relief * (x - xa) * (xe - x) / (xe - xa) ** 2

    # readings with the straight part of the fit taken out, so that the ends lie on the line
    rest = {fret: gap - bow(positions_mm[fret - 1], found.relief_mm) for fret, gap in gaps_mm.items()}
    n = len(rest)
    mx, my = sum(positions_mm[f - 1] for f in rest) / n, sum(rest.values()) / n
    spread = sum((positions_mm[f - 1] - mx) ** 2 for f in rest) or 1.0
    slope = sum((positions_mm[f - 1] - mx) * (gap - my) for f, gap in rest.items()) / spread
    below = {f: gap - (my + slope * (positions_mm[f - 1] - mx)) for f, gap in gaps_mm.items()}
    most = max(0.12, target_mm * 1.2, *(abs(value) for value in below.values()))
    scale_y = (FOOT - TOP) / (most + 0.12)
    scale_x = (WIDTH - LEFT - RIGHT) / (positions_mm[-1] or 1.0)
    zero = TOP + 0.1 * scale_y if min(below.values()) > -0.08 else TOP + (FOOT - TOP) / 2
    if zero > TOP + 0.2 * scale_y:
        scale_y = (FOOT - TOP) / (2 * most)

    def at(x: float, down: float) -> tuple[float, float]:
        place = LEFT + x * scale_x
        return (WIDTH - place + LEFT - RIGHT if mirrored else place), zero + down * scale_y

    def line(relief: float) -> str:
        return " ".join(
            "{:.1f},{:.1f}".format(*at(xa + (xe - xa) * i / 40, bow(xa + (xe - xa) * i / 40, relief)))
            for i in range(41)
        )

    step = 0.1 if display.system == "mm" else 0.1016
    marks = [i * step for i in range(-5, 12) if TOP - 4 <= zero + i * step * scale_y <= FOOT + 4]
    return NeckCurve(
        points=[
            (
                *at(positions_mm[f - 1], value),
                f"fret {f}: gap read {display.fine_mm(gaps_mm[f])}",
                "off" if f in found.humps or f in found.dips else "on",
            )
            for f, value in sorted(below.items())
        ],
        curve=line(found.relief_mm),
        zero_y=zero,
        band=(zero - 0.03 * scale_y, 0.06 * scale_y),
        target=line(target_mm) if target_mm else "",
        axis=[(zero + mark * scale_y, display.signed_number(mark * 1000)) for mark in marks],
        frets=[(at(positions_mm[f - 1], 0)[0], str(f)) for f in range(1, len(positions_mm) + 1)],
        times=round(scale_y / scale_x),
    )


@dataclass(frozen=True, slots=True)
class RodChart:
    """Recorded turns as points (turn against relief lost), this rod's answer as a line with its spread."""

    points: list[tuple[float, float, str]]
    line: str
    spread: str
    axis: list[tuple[float, str]]
    turns: list[tuple[float, str]]
    zero: tuple[float, float]


def rod_chart(turns: Sequence[Turn], k: float, sd: float, display: Display) -> RodChart:
    """Draw how this rod has answered, from half a turn loosened to half a turn tightened."""
    width, left, top, foot = 560.0, 56.0, 12.0, 182.0
    most_t = max(0.5, *(abs(turn.turns) for turn in turns), 0.5)
    most_d = max(0.12, *(abs(turn.lost_mm) for turn in turns), abs(k) * most_t + sd * most_t)

    def at(t: float, d: float) -> tuple[float, float]:
        return (
            left + (t + most_t) / (2 * most_t) * (width - left - 12),
            (top + foot) / 2 - d / most_d * (foot - top) / 2,
        )

    def ray(slope: float) -> list[tuple[float, float]]:
        return [at(-most_t, -slope * most_t), at(most_t, slope * most_t)]

    (a, b), (c, d) = ray(k - sd), ray(k + sd)
    return RodChart(
        points=[
            (
                *at(turn.turns, turn.lost_mm),
                f"{turn.turns:+g} turn: {display.fine_mm(turn.before_mm)} to {display.fine_mm(turn.after_mm)}",
            )
            for turn in turns
        ],
        line=" ".join(f"{x:.1f},{y:.1f}" for x, y in ray(k)),
        spread=" ".join(f"{x:.1f},{y:.1f}" for x, y in (a, b, d, c)),
        axis=[
            (at(0, value)[1], display.signed_number(value * 1000))
            for value in (-most_d, -most_d / 2, 0.0, most_d / 2, most_d)
        ],
        turns=[
            (at(t, 0)[0], words)
            for t, words in (
                (-most_t, f"−{most_t:g}"),
                (-most_t / 2, f"−{most_t / 2:g}"),
                (0.0, "0"),
                (most_t / 2, f"+{most_t / 2:g}"),
                (most_t, f"+{most_t:g}"),
            )
        ],
        zero=at(0, 0),
    )
