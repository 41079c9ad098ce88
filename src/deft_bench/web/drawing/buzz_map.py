"""Notes that buzz, on a small neck from above: string 1 below, dots where a string is fretted."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.practice.rounds import STRINGS

WIDTH, HEIGHT, OPEN, END, TOP, STRING = 1000, 168, 46, 14, 18, 23
SCALE_MM = 648.0


@dataclass(frozen=True, slots=True)
class BuzzMap:
    """The drawing, in its own units: frets, strings from the top, dots; and the same in words."""

    frets: Sequence[tuple[int, float]]
    strings: Sequence[tuple[int, float]]
    dots: Sequence[tuple[float, float]]
    words: str
    width: int = WIDTH
    height: int = HEIGHT
    nut_x: int = OPEN
    top: int = TOP


def buzz_map(buzzes: Sequence[int]) -> BuzzMap:
    """Draw which notes buzz: of each string, string 1 first, the open note and then fret by fret."""
    frets = len(buzzes) // STRINGS
    positions = fret_positions(SCALE_MM, frets)
    a_mm = (WIDTH - OPEN - END) / positions[-1]
    xs = [OPEN, *(OPEN + a_mm * mm for mm in positions)]
    ys = {n: TOP + STRING * (STRINGS - n) for n in range(1, STRINGS + 1)}
    by_string = {n: [f for f in range(frets) if buzzes[(n - 1) * frets + f]] for n in range(1, STRINGS + 1)}
    held = [OPEN - 22.0, *((a + b) / 2 for a, b in pairwise(xs))]
    return BuzzMap(
        frets=[(n, x) for n, x in enumerate(xs[1:], 1)],
        strings=sorted(ys.items(), reverse=True),
        dots=[(held[f], ys[n]) for n, where in by_string.items() for f in where],
        words="; ".join(
            f"string {n} buzzes {', '.join(f'at {f}' if f else 'open' for f in where)}"
            for n, where in by_string.items()
            if where
        ),
    )
