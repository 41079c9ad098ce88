"""Action before, as wanted and after, string by string: the small drawing of the setup card."""

from dataclasses import dataclass

from deft_bench.core.strings.setup_report import SetupReport
from deft_bench.core.units import Display

WIDTH, HEIGHT = 420.0, 240.0


@dataclass(frozen=True, slots=True)
class CardString:
    """One string: its place across, and the height of each mark (None where it was not read)."""

    name: str
    x: float
    before: float | None
    wanted: float | None
    after: float | None


@dataclass(frozen=True, slots=True)
class SetupCard:
    """All strings, the bass string at the left, with the axis in the shown unit."""

    strings: list[CardString]
    axis: list[tuple[float, str]]


def setup_card(report: SetupReport, display: Display, left_handed: bool = False) -> SetupCard | None:
    """Draw it; None where no action was read."""
    shown = [v for row in report.rows for v in row.action if v is not None]
    if not shown:
        return None
    step = 0.5 if display.system == "mm" else 0.508
    low, high = step * int(min(shown) / step), step * (int(max(shown) / step) + 1)

    def y(value: float | None) -> float | None:
        return None if value is None else 206 - (value - low) / (high - low) * 190

    rows = report.rows if left_handed else tuple(reversed(report.rows))
    pace = (WIDTH - 76) / len(rows)
    strings = [
        CardString(row.name, 66 + pace * (i + 0.5), y(row.action[0]), y(row.action[1]), y(row.action[2]))
        for i, row in enumerate(rows)
    ]
    marks = [low + step * i for i in range(round((high - low) / step) + 1)]
    return SetupCard(
        strings, [(206 - (mark - low) / (high - low) * 190, display.fine_number(mark * 1000)) for mark in marks]
    )
