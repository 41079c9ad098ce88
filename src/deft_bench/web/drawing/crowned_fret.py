"""A fret under the crowning file: from above, with the line that is left and what was filed; and in section."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from deft_bench.core.frets.crown_filing import INK_MM, Crown
from deft_bench.core.practice.line import AIM_MM, Fret
from deft_bench.web.drawing.practice_board import PracticeBoard

A_MM = 42.0
"""Across the wire, a millimetre is drawn so large from above; in section it is half as large again, and more."""
SECTION_MM, SECTION_FOOT = 96.0, 274.0
POINTS = 70


@dataclass(frozen=True, slots=True)
class Section:
    """A crown in section: itself, and the arc that it should be."""

    x: float
    outline: str
    wanted: str


@dataclass(frozen=True, slots=True)
class CrownedFret(PracticeBoard):
    """The whole drawing, in its own units; `lanes` are the two sides that a file works on."""

    wire: str
    filed: Sequence[str]
    line: str
    sections: Sequence[Section]
    xs: ClassVar[Sequence[float]] = (235.0, 640.0, 1045.0, 640.0)
    top = 8
    middle: ClassVar[float] = 70.0
    bottom = 132
    lanes: ClassVar[dict[str, float]] = {"nut": 20.0, "saddle": 120.0}

    @property
    def tall(self) -> int:
        """How high the drawing is: room for the sections where there are any."""
        return 286 if self.sections else 162


def crowned_fret(on: Fret, seen: Fret | None = None) -> CrownedFret:
    """Draw a fret as it stands, and its sections as they were last `seen`."""
    half = on.zones[0].width_mm / 2
    edges = [one.line() if not one.lost_mm else (sum(one.line()) / 2,) * 2 for one in on.zones]
    filed = [_filed(one) for one in on.zones]
    bands = []
    for side in (0, 1):
        inner, outer = ([pair[side][k] for pair in filed] for k in (0, 1))
        if any(abs(a - b) > 1e-9 for a, b in zip(inner, outer, strict=True)):
            bands.append(_band(inner, outer))
    return CrownedFret(
        wire=_band([-half] * 3, [half] * 3),
        filed=bands,
        line=_band([left for left, _ in edges], [right for _, right in edges]),
        sections=[_section(x, one) for x, one in zip(CrownedFret.xs, seen.zones, strict=False)] if seen else [],
    )


def _filed(one: Crown) -> tuple[tuple[float, float], tuple[float, float]]:
    """From where to where it was filed, toward the nut and toward the saddle; nothing is from a place to itself."""
    xs = one.xs()
    cut = xs[one.uncut.section() - one.section() > INK_MM]
    nut, saddle = cut[cut < 0], cut[cut > 0]
    left, right = one.uncut.line()
    return (
        (float(nut[-1]), float(nut[0])) if len(nut) else (left, left),
        (float(saddle[0]), float(saddle[-1])) if len(saddle) else (right, right),
    )


def _band(near: Sequence[float], far: Sequence[float]) -> str:
    """What lies between two edges that are known in the three zones, along the whole fret."""
    ends = (PracticeBoard.nut_x + 60.0, *CrownedFret.xs[:3], PracticeBoard.width - 60.0)

    def along(edge: Sequence[float]) -> list[str]:
        known = [edge[0], *edge, edge[-1]]
        return [f"{x:.1f} {CrownedFret.middle + A_MM * mm:.1f}" for x, mm in zip(ends, known, strict=True)]

    return "M" + "L".join([*along(near), *along(far)[::-1]]) + "Z"


def _section(x: float, one: Crown) -> Section:
    xs, section = one.xs(), one.section()
    centre, radius = one.wanted(AIM_MM)
    arc = np.minimum(centre + np.sqrt(np.maximum(radius**2 - xs**2, 0.0)), one.levelled())
    picked = np.unique(np.linspace(0, len(xs) - 1, POINTS).round().astype(int))

    def path(heights: Sequence[float]) -> str:
        return "L".join(f"{x + SECTION_MM * xs[k]:.1f} {SECTION_FOOT - SECTION_MM * heights[k]:.1f}" for k in picked)

    return Section(x, f"M{path(section.tolist())}Z", f"M{path(arc.tolist())}")
