"""A blank that is being marked: all of it from above, and below the piece of the rule where the next mark belongs."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.practice.datum import KNIFE_MM, LINE_MM, PLACES, WINDOW_MM, Marking
from deft_bench.web.drawing.practice_board import NUT_X, WIDTH

BOARD_MM = 345.0
RULE_Y = 150.0
A_MARK_OFF = 60.0
"""In the debrief a millimetre off is drawn so large."""


@dataclass(frozen=True, slots=True)
class Tick:
    """A line of the rule, how long it is drawn, and its figure where it has one."""

    x: float
    long: float
    figure: str


@dataclass(frozen=True, slots=True)
class RuledBlank:
    """The whole drawing, in its own units; `steps` are the knife's places on the rule, and `first_mm` what the first of
    them reads. `offs` are how far marks lie off, drawn from their places.
    """

    height: int
    marks: Sequence[float]
    ticks: Sequence[Tick]
    steps: Sequence[float]
    first_mm: float
    offs: Sequence[tuple[float, float]]
    rule: tuple[float, float]
    width: int = WIDTH
    left: int = NUT_X
    right: int = WIDTH - 20
    rule_y: float = RULE_Y


def ruled_blank(on: Marking, *, truth: bool = False) -> RuledBlank:
    """Draw a blank with its marks, the rule at the next one, or, in `truth`, how far each mark lies off."""
    a_mm = (WIDTH - 20 - NUT_X) / BOARD_MM
    marks = [NUT_X + a_mm * mm for mm in on.marks_mm]
    first, big = on.seen_from_mm, (WIDTH - 20 - NUT_X) / WINDOW_MM
    seen = not truth and not on.ready and on.at_line_mm is not None
    halves = range(round(2 * WINDOW_MM) + 1) if seen else ()
    zero = NUT_X - a_mm * LINE_MM * bool(on.at_line_mm)
    return RuledBlank(
        height=144 if truth else 236,
        marks=marks,
        ticks=[_tick(NUT_X + big * half / 2, first + half / 2) for half in halves],
        steps=[NUT_X + big * KNIFE_MM * n for n in range(PLACES)],
        first_mm=first,
        offs=[(x, A_MARK_OFF * off) for x, off in zip(marks, on.off_mm, strict=True)] if truth else [],
        rule=(max(0.0, zero), WIDTH - 4.0) if on.at_line_mm is not None and not truth else (0.0, 0.0),
    )


def _tick(x: float, mm: float) -> Tick:
    whole, five = mm % 1 == 0, mm % 5 == 0
    return Tick(x, 46.0 if five else 32.0 if whole else 20.0, f"{mm:.0f}" if five else "")
