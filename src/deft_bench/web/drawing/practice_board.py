"""The board that every drill on a neck is drawn on, from above: its frets' places, inlays and lanes."""

from collections.abc import Mapping, Sequence
from typing import ClassVar

from deft_bench.web.drawing.neck_drawing import INLAYS

NUT_X, END, WIDTH = 44, 30, 1236


class PracticeBoard:
    """Where what is on a drill's board lies, in the drawing's own units; what differs is said by the drill's own."""

    width = WIDTH
    nut_x = NUT_X
    height = 236
    top = 44
    bottom = 176
    lanes: ClassVar[Mapping[str, float]] = {"bass": 66.0, "middle": 110.0, "treble": 154.0}

    @property
    def numbers_y(self) -> int:
        """Where the frets' numbers stand."""
        return self.bottom + 24


def fret_places(positions_mm: Sequence[float]) -> tuple[list[float], list[float | None]]:
    """Each fret's place, and that of the inlay before it, or None."""
    scale = (WIDTH - NUT_X - END) / positions_mm[-1]
    xs = [NUT_X + mm * scale for mm in positions_mm]
    inlays = [(x + [NUT_X, *xs][n - 1]) / 2 if n in INLAYS else None for n, x in enumerate(xs, 1)]
    return xs, inlays
