"""Radius by scribble, at the bench: strokes, pencil and gauge on a hidden blank."""

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.radius import Blank, Done, blank, blank_from, by_program, done_from, score

UnderTheBlock = ByHand[Blank, Done]
"""An attempt on a blank."""
RADIUS = HandDrill(
    code="radius",
    kept_as="blank",
    named="true",
    first="Say that it is true first: the truth is shown after that.",
    draw=blank,
    piece_from=blank_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""


def gauged(found: UnderTheBlock) -> dict[int, tuple[float, ...]]:
    """The gaps under the gauge by place, as last laid there; wood that came off since makes another light."""
    since: list[Done] = []
    for one in reversed(found.done):
        if one.what == "sand":
            break
        since.insert(0, one)
    return {one.place: one.gaps_mm for one in since if one.what == "gauge"}
