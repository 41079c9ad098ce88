"""A setup that was chosen, not solved: whether it buzzes, and what would have to change."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from deft_bench.core.calls import Length
from deft_bench.core.strings.clearance import Strung, geometry
from deft_bench.core.strings.frame import StringFrame
from deft_bench.core.strings.stroke import Stroke


@dataclass(frozen=True, slots=True)
class Checked:
    """A setup that was chosen, checked for buzz: how many notes touch, how much more action clears each string that
    does (mm over fret 12), and the share of the hand's force at which nothing touches.
    """

    touching: int
    more_mm: Mapping[int, float]
    hand_share: float


def checked(strung: Sequence[Strung], frame: StringFrame, stroke: Stroke) -> Checked:
    """Check strings as they would lie on a neck, plucked so."""
    share, _ = geometry(frame.scale_mm, frame.frets, stroke)
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
