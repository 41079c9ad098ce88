"""Relief over time against the humidity at which it was read."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.times import day_words, moment
from deft_bench.core.units import Display

WIDTH, HEIGHT = 560, 200
LEFT, RIGHT, TOP, FOOT = 52, 52, 34, 168


@dataclass(frozen=True, slots=True)
class ReliefChart:
    """Relief points and line, humidity line, axes, in SVG units."""

    relief: str
    points: list[tuple[float, float, str]]
    humidity: str
    left: list[tuple[float, str]]
    right: list[tuple[float, str]]
    dates: list[tuple[float, str]]


def relief_chart(
    readings: Sequence[tuple[str, float, float | None]], display: Display, *, least_mm: float = 0.3
) -> ReliefChart | None:
    """Draw (when, relief or another small length in mm, % RH), oldest first; None with fewer than three.

    The left axis reaches `least_mm` at the least.
    """
    if len(readings) < 3:
        return None
    times = [moment(when) for when, _, _ in readings]
    start, span = times[0], (times[-1] - times[0]).total_seconds() or 1.0
    xs = [LEFT + (t - start).total_seconds() / span * (WIDTH - LEFT - RIGHT) for t in times]
    reliefs = [relief for _, relief, _ in readings]
    high, low = max(least_mm, *reliefs), min(0.0, *reliefs)

    def y(relief: float) -> float:
        return FOOT - (relief - low) / (high - low) * (FOOT - TOP)

    def wet(humidity: float) -> float:
        return FOOT - (humidity - 20) / 60 * (FOOT - TOP)

    damp = [(x, wet(h)) for x, (_, _, h) in zip(xs, readings, strict=True) if h is not None]
    step = 0.1 if display.system == "mm" else 0.1016  # 0.004 in
    marks = [
        i * step for i in range(int(low / step) - 1, int(high / step) + 1) if low - 1e-9 <= i * step <= high + 1e-9
    ]
    return ReliefChart(
        relief=" ".join(f"{x:.1f},{y(r):.1f}" for x, r in zip(xs, reliefs, strict=True)),
        points=[
            (x, y(r), f"{day_words(t.date())}: {display.fine_mm(r)}" + (f" at {h:.0f} % RH" if h is not None else ""))
            for x, t, (_, r, h) in zip(xs, times, readings, strict=True)
        ],
        humidity=" ".join(f"{x:.1f},{v:.1f}" for x, v in damp),
        left=[(y(value), display.fine_number(value * 1000)) for value in marks],
        right=[(wet(h), f"{h} %") for h in (20, 40, 60, 80)],
        dates=[(xs[0], f"{times[0]:%b %Y}"), (xs[-1], f"{times[-1]:%b %Y}")],
    )
