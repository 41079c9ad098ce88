"""The neck in its pocket and the pickup under the strings: what moving one does to the others.

The neck is taken as rigid. Sunk by d, nut and frets go down by d: the action over fret 12 grows by d/2 until the saddle
follows by d, and then the strings lie d nearer to the pickups. Tilted by a shim of s over the pocket's length P, the
strings turn with the neck about the pocket's mouth: at a distance y behind the mouth they rise by s·y/P.
"""

from dataclasses import dataclass
from typing import Literal

Change = Literal["deepen", "full_shim", "body_shim", "mouth_shim"]

CHANGES: dict[str, str] = {
    "deepen": "deepen the pocket",
    "full_shim": "full shim under the neck",
    "body_shim": "shim at the body end",
    "mouth_shim": "shim at the mouth",
}


@dataclass(frozen=True, slots=True)
class Seat:
    """The neck's pocket and a pickup, mm: distances from the pocket's mouth to the saddle, from the saddle to the
    pickup, and travel left.
    """

    pocket_mm: float
    mouth_to_saddle_mm: float
    pickup_from_saddle_mm: float
    saddle_up_mm: float
    saddle_down_mm: float
    pickup_gap_mm: float
    pickup_target_mm: float
    pickup_up_mm: float
    pickup_down_mm: float

    @property
    def pickup_raise_mm(self) -> float:
        """How far the pickup is to be raised for its wanted gap; negative lowers it."""
        return self.pickup_gap_mm - self.pickup_target_mm

    @property
    def pickup_short_mm(self) -> float:
        """How far the pickup misses its wanted gap at the end of its travel: positive too low, negative too high, 0
        in reach.
        """
        return max(0.0, self.pickup_raise_mm - self.pickup_up_mm) + min(0.0, self.pickup_raise_mm + self.pickup_down_mm)


@dataclass(frozen=True, slots=True)
class Effect:
    """What a change of the neck's seat does, mm: the action left alone, the saddle's move that restores it, and the
    seat after that.
    """

    action_mm: float
    saddle_mm: float
    after: Seat

    @property
    def saddle_fits(self) -> bool:
        """Whether the saddle can follow."""
        return self.after.saddle_up_mm >= -1e-9 and self.after.saddle_down_mm >= -1e-9


def effect(seat: Seat, change: Change, thickness_mm: float, scale_mm: float) -> Effect:
    """What sinking, raising or tilting the neck does to action, saddle travel and pickup together; raises ValueError
    under zero.
    """
    if thickness_mm < 0:
        raise ValueError("a shim or a cut is a thickness of zero or more")
    if change in ("deepen", "full_shim"):
        down = thickness_mm if change == "deepen" else -thickness_mm
        saddle, at_pickup = -down, -down
    else:
        tilt = thickness_mm / seat.pocket_mm * (1 if change == "body_shim" else -1)
        # the mouth shim turns about the pocket's body end, a pocket's length further from the saddle's side
        arm = seat.mouth_to_saddle_mm - (0.0 if change == "body_shim" else seat.pocket_mm)
        saddle, at_pickup = tilt * arm, tilt * (arm - seat.pickup_from_saddle_mm)
    after = Seat(
        seat.pocket_mm,
        seat.mouth_to_saddle_mm,
        seat.pickup_from_saddle_mm,
        seat.saddle_up_mm - saddle,
        seat.saddle_down_mm + saddle,
        seat.pickup_gap_mm + at_pickup,
        seat.pickup_target_mm,
        seat.pickup_up_mm,
        seat.pickup_down_mm,
    )
    return Effect(-saddle / 2, saddle, after)
