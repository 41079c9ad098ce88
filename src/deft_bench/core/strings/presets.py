"""A shop's presets: the setup that it sets by custom for a kind of strings and a player's hand, beside the solved one.

An owner may simply choose it; then it is checked for buzz, not solved.
"""

from dataclasses import dataclass

from deft_bench.core.limits import RELIEF_FOR_HAND_MM
from deft_bench.core.strings.customary import CUSTOMS, HAND_ACTION, StringKind, across

_MEDIUM = RELIEF_FOR_HAND_MM["medium"]
RELIEF_MM: dict[StringKind, float] = {"electric": _MEDIUM, "acoustic": _MEDIUM, "nylon": 0.20, "bass": 0.28}
"""Relief that is customary for a medium hand."""


@dataclass(frozen=True, slots=True)
class Preset:
    """One kind's custom for a medium hand, mm: relief, and action over fret 12 of treble and bass string."""

    relief_mm: float
    treble_mm: float
    bass_mm: float

    def relief_for(self, hand: str) -> float:
        """Relief for a player's hand."""
        return self.relief_mm * RELIEF_FOR_HAND_MM[hand] / _MEDIUM

    def action_for(self, string: int, strings: int, hand: str) -> float:
        """Action of one string for a player's hand, straight between the outer ones."""
        return across((self.treble_mm, self.bass_mm), string, strings) * HAND_ACTION[hand]


PRESETS: dict[StringKind, Preset] = {
    kind: Preset(RELIEF_MM[kind], *customs.action_mm) for kind, customs in CUSTOMS.items()
}
"""What a shop begins with: the customary middle."""
