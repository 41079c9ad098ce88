"""How near a setup's gates can ask for: never nearer than the part that moves can be set, or the tool can read.

Gate = the greatest of the trade's tolerance, the smallest step of the part, and the tool's resolution; where a part
moves all strings together (a saddle in one piece, a bridge on two posts) or one string at all its frets (a saddle),
what is left over with the part at its best is allowed too.

Derived in docs/methods/setup-gates.md.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from deft_bench.core.frets.levelling import band_width
from deft_bench.core.limits import ACTION_GATE_MM, OVER_REACH_CENTS, RELIEF_GATE_MM
from deft_bench.core.neck.truss_rod import LEAST_TURN

TOGETHER = ("one_piece", "two_post")
"""Bridges whose strings rise and fall along one line."""
STRINGS_A_SADDLE = {"individual": 1, "pairs": 2, "threes": 3}
"""Bridges of saddles that are each moved by a screw for intonation, and raised by one at either end."""
LEAST_SCREW_TURN = 1 / 8
"""A height screw is turned by no less."""


def on_one_saddle(bridge: str, strings: int) -> list[list[int]]:
    """The strings that share a saddle moved as one for intonation, by number; each its own where the bridge has no
    such saddles.
    """
    each = STRINGS_A_SADDLE.get(bridge, 1)
    return [list(range(first, min(first + each, strings + 1))) for first in range(1, strings + 1, each)]


@dataclass(frozen=True, slots=True)
class Reach:
    """Within what a setup's gates pass: relief and action over fret 12 in mm (infinite relief: there is no rod to set
    it with), cents by string; `cents` holds only strings that cannot come as near as the gate asks.
    """

    relief_mm: float = RELIEF_GATE_MM
    action_mm: float = ACTION_GATE_MM
    cents: Mapping[int, float] = field(default_factory=dict)


def relief_within(rod: str, mm_per_turn: float, tool_mm: float = 0.0) -> float:
    """Within what relief passes, mm: the rod is turned by whole eighths, so nearer than one of them it is left."""
    if rod == "none":
        return math.inf
    return max(RELIEF_GATE_MM, abs(mm_per_turn) * LEAST_TURN, tool_mm)


def action_within(bridge: str, off_mm: Sequence[float], tool_mm: float = 0.0, thread_mm: float = 0.0) -> float:
    """Within what action passes, mm. `off_mm` are the strings' actions less their targets, in order across the bridge:
    where it moves three or more together, what their best line leaves is allowed beside the tolerance; `thread_mm` is
    what a turn of a height screw moves, of which the action takes half.
    """
    screwed = bridge in STRINGS_A_SADDLE or bridge == "two_post"
    least = max(ACTION_GATE_MM, tool_mm, thread_mm * LEAST_SCREW_TURN / 2 if screwed else 0.0)
    if bridge in TOGETHER:
        groups = [list(off_mm)]
    else:
        groups = [[off_mm[n - 1] for n in group] for group in on_one_saddle(bridge, len(off_mm))]
    return least + max((_off_their_line(group) for group in groups), default=0.0)


def _off_their_line(off_mm: Sequence[float]) -> float:
    """What the straight line that leaves the worst of some strings nearest leaves of it, mm."""
    if len(off_mm) < 3:
        return 0.0
    return band_width([(float(n), off) for n, off in enumerate(off_mm)]) / 2


def cents_within(gate_cents: float, reachable_cents: float) -> float:
    """Within what a string passes for true, cents: the bridge's gate, or a cent over the best its saddle can do."""
    return max(gate_cents, reachable_cents + OVER_REACH_CENTS)
