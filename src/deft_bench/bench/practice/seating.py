"""Seat the frets, at the bench: blows and the press, looks, and what is pulled, bent, notched or glued."""

from collections.abc import Mapping, Sequence

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.seating import Done, Slotted, by_program, done_from, score, slotted, slotted_from

AtTheSlots = ByHand[Slotted, Done]
"""An attempt on a board."""
SEATING = HandDrill(
    code="seating",
    kept_as="board",
    named="seated",
    first="Say that they are seated first: the truth is shown after that.",
    draw=slotted,
    piece_from=slotted_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""


def looked(done: Sequence[Done]) -> Mapping[int, tuple[float, ...]]:
    """The daylight in three zones by fret, as last seen; a fret that something was done to since is left out."""
    found: dict[int, tuple[float, ...]] = {}
    for one in done:
        if one.what == "look":
            found[one.fret] = one.seen_mm
        else:
            found.pop(one.fret, None)
    return found
