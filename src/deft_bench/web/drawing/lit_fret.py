"""A fret's top under a lamp, with the scratches that it shows, and the abrasives beside it."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import count, takewhile

from deft_bench.core.practice.scratches import KIT
from deft_bench.web.drawing.practice_board import NUT_X, WIDTH

TOP, BOTTOM, RACK_Y = 12.0, 96.0, 118.0
WIDEST_UM, WIDEST = 6.0, 3.4
EVERY_UM, NEAREST, FURTHEST = 14.0, 5.0, 40.0
"""Scratches are drawn as wide as they are deep, and the further apart the deeper; both made large."""


@dataclass(frozen=True, slots=True)
class Scratches:
    """One way's scratches: a path and how wide its lines are."""

    path: str
    wide: float


@dataclass(frozen=True, slots=True)
class LitFret:
    """The whole drawing, in its own units; `xs` is where each abrasive lies, and `names` what it is called."""

    ways: Sequence[Scratches]
    xs: Sequence[float]
    names: Sequence[str]
    held: int
    width: int = WIDTH
    height: int = 168
    left: int = NUT_X
    right: int = WIDTH - 20
    top: float = TOP
    bottom: float = BOTTOM
    rack_y: float = RACK_Y


def lit_fret(seen_um: Sequence[float], held: int) -> LitFret:
    """Draw a top by what the lamp showed of the scratches along and across it, µm."""
    step = (WIDTH - 20 - NUT_X) / len(KIT)
    return LitFret(
        ways=[
            Scratches(_lines(um, across), WIDEST * min(1.0, um / WIDEST_UM))
            for um, across in zip(seen_um, (False, True), strict=False)
            if um > 0.05
        ],
        xs=[NUT_X + step * (n + 0.5) for n in range(len(KIT))],
        names=[one.words.removesuffix(" paper").replace("cushioned ", "") for one in KIT],
        held=held,
    )


def _lines(um: float, across: bool) -> str:
    apart = min(FURTHEST, max(NEAREST, EVERY_UM * um / 2))
    if across:
        xs = takewhile(lambda x: x < WIDTH - 22, count(NUT_X + 6.0, apart))
        return "".join(f"M{x:.1f} {TOP:.0f}V{BOTTOM:.0f}" for x in xs)
    ys = takewhile(lambda y: y < BOTTOM - 2, count(TOP + 4.0, max(NEAREST, apart / 2)))
    return "".join(f"M{NUT_X} {y:.1f}H{WIDTH - 20}" for y in ys)
