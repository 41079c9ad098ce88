"""A shop's presets: the setup that it sets by custom for a kind of strings and a player's hand, beside the solved one.

An owner may simply choose it; then it is checked for buzz, not solved.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.calls import Length
from deft_bench.core.limits import RELIEF_FOR_HAND_MM
from deft_bench.core.strings.clearance import Strung
from deft_bench.core.strings.customary import CUSTOMS, HAND_ACTION, StringKind, across
from deft_bench.core.strings.frame import Array

RELIEF_MM: dict[StringKind, float] = {"electric": 0.18, "acoustic": 0.18, "nylon": 0.20, "bass": 0.28}
"""Relief that is customary for a medium hand."""


@dataclass(frozen=True, slots=True)
class Preset:
    """One kind's custom for a medium hand, mm: relief, and action over fret 12 of treble and bass string."""

    relief_mm: float
    treble_mm: float
    bass_mm: float

    def relief_for(self, hand: str) -> float:
        """Relief for a player's hand."""
        return self.relief_mm * RELIEF_FOR_HAND_MM[hand] / RELIEF_FOR_HAND_MM["medium"]

    def action_for(self, string: int, strings: int, hand: str) -> float:
        """Action of one string for a player's hand, straight between the outer ones."""
        return across((self.treble_mm, self.bass_mm), string, strings) * HAND_ACTION[hand]


PRESETS: dict[StringKind, Preset] = {
    kind: Preset(RELIEF_MM[kind], *customs.action_mm) for kind, customs in CUSTOMS.items()
}
"""What a shop begins with: the customary middle."""


@dataclass(frozen=True, slots=True)
class Checked:
    """A setup that was chosen, checked for buzz: how many notes touch, how much more action clears each string that
    does (mm over fret 12), and the share of the hand's force at which nothing touches.
    """

    touching: int
    more_mm: Mapping[int, float]
    hand_share: float


def checked(strung: Sequence[Strung], share: Array) -> Checked:
    """Check strings as they would lie; `share` is how far along it each fret lies, [fretted][over] (`geometry`)."""
    touching, more, lighter = 0, {}, 1.0
    for one in strung:
        touching += int((one.least() < 0).sum())
        if np.nanmin(one.margin) < 0:
            lighter = min(lighter, float(np.nanmin(one.static / (one.static - one.margin))))
            # the saddle rises twice what the action does, and a fret's room by its share of that
            more[one.string] = float(np.nanmax(-one.margin / (2 * share)))
    return Checked(touching, more, max(0.0, lighter))


def checked_words(found: Checked, names: Mapping[int, str], length: Length) -> str:
    """Whether a chosen setup buzzes, and what would have to change."""
    if not found.touching:
        return "Nothing buzzes at this hand."
    worst = max(found.more_mm, key=lambda number: found.more_mm[number])
    lighter = round(100 * (1 - found.hand_share))
    return (
        f"{found.touching} note{'s' if found.touching > 1 else ''} would touch: it takes {length(found.more_mm[worst])}"
        f" more action on {names[worst]}, or a hand {max(1, lighter)} % lighter."
    )
