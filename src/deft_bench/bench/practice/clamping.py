"""Glue and clamp, at the bench: clamps turned, looks and pushes on a board that slides, against the glue's time."""

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.clamping import Done, Gluing, by_program, done_from, gluing, gluing_from, score

UnderTheClamps = ByHand[Gluing, Done]
"""An attempt on a board."""
CLAMPING = HandDrill(
    code="clamping",
    kept_as="board",
    named="clamped",
    first="Say that it is clamped first: the truth is shown after that.",
    draw=gluing,
    piece_from=gluing_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""
