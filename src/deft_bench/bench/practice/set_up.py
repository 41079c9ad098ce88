"""Set it up, at the bench: rod, slots, screws and plucks on a strung neck, and what is known of it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.set_up import (
    FILED_MM,
    SCREWED,
    Done,
    StrungNeck,
    by_program,
    done_from,
    neck_from,
    score,
    strung_neck,
)
from deft_bench.core.practice.six_strings import STRINGS

Stringing = ByHand[StrungNeck, Done]
"""An attempt on a neck."""
SET_UP = HandDrill(
    code="set_up",
    kept_as="neck",
    named="set up",
    first="Say that it is set up first: the truth is shown after that.",
    draw=strung_neck,
    piece_from=neck_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""


@dataclass(slots=True)
class Known:
    """The last readings, mm: of the relief, and by string of slots, actions and the places that buzz; `since` says
    which of them something was done to after they were read ("relief", or a kind with a string).
    """

    relief_mm: float | None = None
    slots_mm: Mapping[int, float] = field(default_factory=dict)
    actions_mm: Mapping[int, float] = field(default_factory=dict)
    buzzing: dict[int, Sequence[int]] = field(default_factory=dict)
    since: set[tuple[str, int]] = field(default_factory=set)


def known(done: Sequence[Done]) -> Known:
    """What is known after some deeds."""
    found = Known()
    strings = range(1, STRINGS + 1)
    for one in done:
        if one.what == "relief":
            found.relief_mm = one.read[0]
            found.since.discard(("relief", 0))
        elif one.what == "slots":
            found.slots_mm = dict(enumerate(one.read, 1))
            found.since -= {("slots", n) for n in strings}
        elif one.what == "actions":
            found.actions_mm = dict(enumerate(one.read, 1))
            found.since -= {("actions", n) for n in strings}
        elif one.what == "play":
            found.buzzing[one.string] = [int(place) for place in one.read]
            found.since.discard(("play", one.string))
        elif one.what in FILED_MM:
            found.since |= {("slots", one.string), ("actions", one.string), ("play", one.string)}
        elif one.what in SCREWED:
            found.since |= {("actions", one.string), ("play", one.string)}
        else:
            found.since |= {("relief", 0), *((kind, n) for kind in ("actions", "play") for n in strings)}
    return found
