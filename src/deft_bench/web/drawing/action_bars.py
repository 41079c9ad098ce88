"""What could be done, as bars of metal with their ranges and the chance that each is the best."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.evidence.actions import Action
from deft_bench.core.evidence.words import action_line, span_words
from deft_bench.core.units import Display

MOST, COUNTS = 5, 0.005
"""So many actions are shown; those of one fret only where they are ever the best."""
LEAST_SCALE_MM = 0.1


@dataclass(frozen=True, slots=True)
class ActionBar:
    """One action: in words, its chance to be the best in per cent, and where on the scale (per cent of its width) its
    metal off the worst fret lies, with the ends between which nine of ten lie.
    """

    words: str
    best: int
    passes: int
    mean: float
    low: float
    high: float
    metal: str


@dataclass(frozen=True, slots=True)
class ActionBars:
    """The actions, the best first, and the metal at the end of the scale, in words."""

    bars: list[ActionBar]
    scale: str


def action_bars(actions: Sequence[Action], display: Display) -> ActionBars:
    """The first actions as bars on one scale."""
    shown = [one for one in actions if one.do != "spot" or one.best >= COUNTS][:MOST]
    scale = max([LEAST_SCALE_MM, *(one.worst_mm.high for one in shown)])
    bars = []
    for one in shown:
        mean, low, high = (
            100 * max(0.0, mm) / scale for mm in (one.worst_mm.mean, one.worst_mm.low, one.worst_mm.high)
        )
        best, passes = round(100 * one.best), round(100 * one.passes)
        metal = span_words(one.worst_mm, display.fine_mm) or "none"
        bars.append(ActionBar(action_line(one), best, passes, mean, low, high, metal))
    return ActionBars(bars, display.fine_mm(scale))
