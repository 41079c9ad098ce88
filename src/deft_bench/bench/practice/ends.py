"""File the ends, at the bench: strokes flush with the edge and at the bevel, and a finger along it."""

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.ends import Done, Ends, by_program, done_from, ends, ends_from, score

AtTheEdge = ByHand[Ends, Done]
"""An attempt on a board."""
ENDS = HandDrill(
    code="ends",
    kept_as="board",
    named="filed",
    first="Say that they are filed first: the truth is shown after that.",
    draw=ends,
    piece_from=ends_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""
