"""Light under a straightedge that lies on the fret tops, from the side: the gaps drawn far larger than they are."""

from collections.abc import Sequence
from dataclasses import dataclass

WIDTH, HEIGHT, SIDE, EDGE_Y, DEEP = 1000, 150, 20, 30, 90.0
FULL_MM = 0.25
FRET = 9


@dataclass(frozen=True, slots=True)
class UnderEdge:
    """Where each fret's top lies under the edge, in the drawing's own units: number, x and y."""

    tops: Sequence[tuple[int, float, float]]
    width: int = WIDTH
    height: int = HEIGHT
    edge_y: int = EDGE_Y
    half: int = FRET

    @property
    def light(self) -> str:
        """The light, as the points of one shape."""
        under = [f"{x:.1f},{y:.1f}" for _, x, y in reversed(self.tops)]
        return " ".join([f"{self.tops[0][1]:.1f},{EDGE_Y}", f"{self.tops[-1][1]:.1f},{EDGE_Y}", *under])


def light_under_edge(gaps_mm: Sequence[float]) -> UnderEdge:
    """Draw gaps, fret 1 first, mm; one of 0.25 mm or more as deep as there is room."""
    step = (WIDTH - 2 * SIDE) / max(1, len(gaps_mm) - 1)
    return UnderEdge(
        [(n + 1, SIDE + n * step, EDGE_Y + DEEP * min(1.0, gap / FULL_MM)) for n, gap in enumerate(gaps_mm)]
    )
