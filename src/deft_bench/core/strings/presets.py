"""A shop's presets: the setup that it sets by custom for a kind of strings and a player's hand, beside the solved one.

An owner may simply choose it; then it is checked for buzz, not solved.
"""

from dataclasses import dataclass

from deft_bench.core.limits import RELIEF_FOR_HAND_MM
from deft_bench.core.strings.customary import CUSTOMS, HAND_ACTION, StringKind, across

GAP_WITHIN_MM = 0.02
"""A slot is filed as near as this to a gap that is named."""
_MEDIUM = RELIEF_FOR_HAND_MM["medium"]
RELIEF_MM: dict[StringKind, float] = {"electric": _MEDIUM, "acoustic": _MEDIUM, "nylon": 0.20, "bass": 0.28}
"""Relief that is customary for a medium hand."""


@dataclass(frozen=True, slots=True)
class Preset:
    """One kind's custom for a medium hand, mm: relief, and action over fret 12 of treble and bass string.

    A player's `own` is for that player's hand: it is not scaled, and its `force` is against the hand of the
    specification. `gap_mm` is over fret 1, `pickup_mm` from pickup to string; None by the strings, and as planned.
    """

    relief_mm: float
    treble_mm: float
    bass_mm: float
    name: str = ""
    own: bool = False
    gap_mm: float | None = None
    force: float = 1.0
    pickup_mm: float | None = None

    def relief_for(self, hand: str) -> float:
        """Relief for a player's hand."""
        return self.relief_mm if self.own else self.relief_mm * RELIEF_FOR_HAND_MM[hand] / _MEDIUM

    def action_for(self, string: int, strings: int, hand: str) -> float:
        """Action of one string for a player's hand, straight between the outer ones."""
        return across((self.treble_mm, self.bass_mm), string, strings) * (1.0 if self.own else HAND_ACTION[hand])

    def gap_for(self, low_mm: float, high_mm: float) -> tuple[float, float]:
        """A first-fret gap for a string that is usually between two, mm: as near as a file's step either way."""
        if self.gap_mm is None:
            return low_mm, high_mm
        return max(0.0, self.gap_mm - GAP_WITHIN_MM), self.gap_mm + GAP_WITHIN_MM


PRESETS: dict[StringKind, Preset] = {
    kind: Preset(RELIEF_MM[kind], *customs.action_mm) for kind, customs in CUSTOMS.items()
}
"""What a shop begins with: the customary middle."""
