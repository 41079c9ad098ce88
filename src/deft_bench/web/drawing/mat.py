"""The cutting mat under every neck and board: its true-scale grid and its ruler."""

from collections.abc import Callable

from deft_bench.core.units import Display


def ticks(
    end_mm: float, display: Display, x_of: Callable[[float], float], start_mm: float = 0.0
) -> list[tuple[float, float, str]]:
    """Ruler ticks as (x, length, label): every 10 mm with a label each 100, or every half inch with one each 5."""
    step, each = (10.0, 10) if display.system == "mm" else (12.7, 10)
    found = []
    for i in range(int((end_mm - max(0.0, start_mm)) / step) + 1):
        whole = i % each == 0
        label = (f"{i * 10} mm" if display.system == "mm" else f"{i // 2} in") if whole else ""
        found.append((x_of(i * step), 11.0 if whole else 8.0 if i % 5 == 0 else 5.0, label))
    return found


def grid(width: float, height: float, step: float, x0: float, y0: float) -> str:
    """One path of faint lines every 10 mm, run out past the edges so that the mat is covered on wide screens."""
    reach = 700.0
    lines = []
    x = x0 - step * int((x0 + reach) / step)
    while x < width + reach:
        lines.append(f"M{x:.1f} -200V{height + 200:.0f}")
        x += step
    y = y0 - step * int((y0 + 200) / step)
    while y < height + 200:
        lines.append(f"M-{reach:.0f} {y:.1f}H{width + reach:.0f}")
        y += step
    return "".join(lines)
