"""A neck from the side under a straightedge, its bow many times larger than it is."""

from dataclasses import dataclass

WIDTH, HEIGHT, LEFT, RIGHT = 1236, 190, 40, 1210
EDGE_Y, TOP_Y = 40, 66
PX_A_MM, MOST_PX = 220.0, 80.0


@dataclass(frozen=True, slots=True)
class BowedNeck:
    """The neck's outline and the gap under the edge as SVG path data."""

    neck: str
    gap: str
    width: int = WIDTH
    height: int = HEIGHT
    edge_y: int = EDGE_Y
    left: int = LEFT
    right: int = RIGHT


def bowed_neck(relief_mm: float) -> BowedNeck:
    """Draw a relief, forward positive, mm."""
    deep = max(-MOST_PX, min(MOST_PX, relief_mm * PX_A_MM))
    middle = (LEFT + RIGHT) / 2
    # a forward bow hangs under the edge between its ends; a back-bow touches it at the middle
    ends, low = (TOP_Y, TOP_Y + 2 * deep) if deep >= 0 else (TOP_Y - deep, TOP_Y + deep)
    top = f"M{LEFT} {ends:.1f}Q{middle:.0f} {low:.1f} {RIGHT} {ends:.1f}"
    neck = f"{top}V{ends + 34:.1f}Q{middle:.0f} {low + 34:.1f} {LEFT} {ends + 34:.1f}Z"
    gap = f"{top}V{EDGE_Y + 26}H{LEFT}Z"
    return BowedNeck(neck, gap)
