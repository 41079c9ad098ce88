"""A levelled crown in section, and the flats that a file takes off its shoulders: docs/methods/crown-filing.md.

The wire is an arc between its feet, cut off by the plane that it was levelled to. A file held at an angle cuts a flat;
so much metal is taken by so many strokes, whatever the flat's width. Lengths mm, angles degrees, x from the middle of
the wire toward the saddle.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.strings.frame import Array

ANGLES = (45, 30, 15)
SIDES = (-1, 1)
"""Toward the nut, toward the saddle."""
UNCUT_MM = 99.0
INK_MM = 0.001
"""The ink is gone where so much came off."""
STEP_MM = 0.005
SEEN = 0.4
"""How round a crown is is looked at over this share of the wire's width, on both sides of its middle."""


@dataclass(frozen=True, slots=True)
class Crown:
    """A crown of a wire so wide and high, levelled by `removed_mm` with a beam that leans by `lean` (mm in a mm, down
    toward the saddle); `flats_mm` is how high each flat would stand over the middle, by side and then by angle.
    """

    width_mm: float
    height_mm: float
    removed_mm: float
    lean: float = 0.0
    flats_mm: tuple[float, ...] = (UNCUT_MM,) * (len(SIDES) * len(ANGLES))

    @property
    def top_mm(self) -> float:
        """Its height over the middle as it was levelled."""
        return self.height_mm - self.removed_mm

    def xs(self) -> Array:
        """Where its section is known."""
        half = self.width_mm / 2
        return np.linspace(-half, half, 2 * round(half / STEP_MM) + 1)

    def levelled(self) -> Array:
        """The plane that it was levelled to, over `xs`."""
        found: Array = self.top_mm - self.lean * self.xs()
        return found

    def section(self) -> Array:
        """Its height over `xs`."""
        xs, radius = self.xs(), (self.width_mm**2 / 4 + self.height_mm**2) / (2 * self.height_mm)
        found = np.sqrt(np.maximum(radius**2 - xs**2, 0.0)) - (radius - self.height_mm)
        found = np.minimum(found, self.levelled())
        for place, flat in enumerate(self.flats_mm):
            side, angle = SIDES[place // len(ANGLES)], ANGLES[place % len(ANGLES)]
            found = np.minimum(found, flat - side * math.tan(math.radians(angle)) * xs)
        return found

    def line(self) -> tuple[float, float]:
        """The edges of the line that is left of the levelled top, toward the nut and toward the saddle; both are where
        the crown stands highest where no line is left.
        """
        xs, section = self.xs(), self.section()
        inked = xs[section >= self.levelled() - INK_MM]
        return (float(inked[0]), float(inked[-1])) if len(inked) else (float(xs[np.argmax(section)]),) * 2

    @property
    def uncut(self) -> "Crown":
        """As it was levelled, before any file."""
        return Crown(self.width_mm, self.height_mm, self.removed_mm, self.lean)

    @property
    def lost_mm(self) -> float:
        """How far its highest point lies under the levelled top: more than nothing where no line is left."""
        return max(0.0, float(np.min(self.levelled() - self.section())))

    def wanted(self, line_mm: float) -> tuple[float, float]:
        """The arc from foot to foot through the edges of a line so wide, on the levelled top: how high its centre lies,
        and its radius. (x/2)² + (H − c)² = w²/4 + c², solved for c.
        """
        half, high = line_mm / 2, self.top_mm
        centre = (half**2 + high**2 - self.width_mm**2 / 4) / (2 * high)
        return centre, math.hypot(half, high - centre)

    def off_round(self, line_mm: float) -> tuple[float, float]:
        """How far its shoulders lie under and stand over that arc, both 0 or more."""
        xs, (centre, radius) = self.xs(), self.wanted(line_mm)
        arc = np.minimum(centre + np.sqrt(np.maximum(radius**2 - xs**2, 0.0)), self.levelled())
        off = (self.section() - arc)[np.abs(xs) <= SEEN * self.width_mm]
        return max(0.0, -float(off.min())), max(0.0, float(off.max()))

    def flat_on(self, line_mm: float, side: int, angle: int) -> float:
        """How high a flat stands over the middle that touches that arc and takes nothing of the line; the flattest goes
        down to the line's edge.
        """
        centre, radius = self.wanted(line_mm)
        slope = math.tan(math.radians(angle))
        edge = self.top_mm + (slope - side * self.lean) * line_mm / 2
        return edge if angle == min(ANGLES) else max(centre + radius / math.cos(math.radians(angle)), edge)

    def flat(self, side: int, angle: int) -> float:
        """How high that flat stands over the middle."""
        return self.flats_mm[_PLACES[side, angle]]

    def filed(self, side: int, angle: int, metal_mm2: float) -> "Crown":
        """With so much metal taken off in section by a file on one side at an angle; raises ValueError for another."""
        if (side, angle) not in _PLACES:
            raise ValueError(f"hold the file at one of: {', '.join(map(str, ANGLES))} degrees")
        place = _PLACES[side, angle]
        xs, section = self.xs(), self.section()
        over = section + side * math.tan(math.radians(angle)) * xs
        # the flat goes down until what stands over it is what was taken: what stands out is cut first
        heights = np.sort(over)[::-1]
        cut = (np.cumsum(heights) - np.arange(1, len(xs) + 1) * heights) * (xs[1] - xs[0])
        many = int(np.searchsorted(cut, metal_mm2, side="right"))
        flat = float((np.sum(heights[:many]) - metal_mm2 / (xs[1] - xs[0])) / many)
        return replace(self, flats_mm=(*self.flats_mm[:place], flat, *self.flats_mm[place + 1 :]))

    def metal_over(self, side: int, angle: int, flat_mm: float) -> float:
        """The metal in section over a flat at an angle on one side, mm²."""
        xs, section = self.xs(), self.section()
        over = section + side * math.tan(math.radians(angle)) * xs - flat_mm
        return float(np.sum(np.maximum(over, 0.0)) * (xs[1] - xs[0]))

    def to_line(self, line_mm: float) -> list[tuple[int, int, float]]:
        """Side, angle and metal of each flat that is filed down to the arc through the edges of a line so wide, steep
        flats first.
        """
        steps, crown = list[tuple[int, int, float]](), self
        for angle in ANGLES:
            for side in SIDES:
                metal = crown.metal_over(side, angle, crown.flat_on(line_mm, side, angle))
                if metal > 0:
                    crown = crown.filed(side, angle, metal)
                    steps.append((side, angle, metal))
        return steps


_PLACES: Mapping[tuple[int, int], int] = {
    (side, angle): n * len(ANGLES) + k for n, side in enumerate(SIDES) for k, angle in enumerate(ANGLES)
}
