"""The strings of the practice bench: six on a scale of 648 mm, played by a medium hand."""

from collections.abc import Sequence
from functools import cache

from deft_bench.core.strings.clearance import OverString
from deft_bench.core.strings.customary import CUSTOMS, customary_pluck
from deft_bench.core.strings.string_set import SETS, TUNINGS, made_of, notes_of, tensions
from deft_bench.core.strings.stroke import Stroke

FRETS, SCALE_MM, STRINGS = 22, 648.0, 6
STROKE = Stroke(CUSTOMS["electric"].from_saddle_mm)


@cache
def _pulls() -> tuple[float, ...]:
    makes = made_of(SETS["10–46 nickel-plated steel"], notes_of(TUNINGS["standard"]))
    return tuple(tensions(makes, [SCALE_MM] * STRINGS))


def six_strings(slots_mm: Sequence[float], saddles_mm: Sequence[float | None] = (None,) * STRINGS) -> list[OverString]:
    """They, string 1 first, by the heights of their slots and saddles over the frets' line."""
    return [
        OverString(n, _pulls()[n - 1], slot, customary_pluck("electric", n, STRINGS), saddle_height_mm=saddle)
        for n, (slot, saddle) in enumerate(zip(slots_mm, saddles_mm, strict=True), 1)
    ]
