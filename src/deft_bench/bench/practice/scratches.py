"""Scratches out, at the bench: abrasives, the way they are rubbed, and looks under the lamp."""

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.scratches import Done, Scratched, by_program, done_from, score, scratched, scratched_from

UnderTheLamp = ByHand[Scratched, Done]
"""An attempt on a fret."""
SCRATCHES = HandDrill(
    code="scratches",
    kept_as="fret",
    named="finished",
    first="Say that it is finished first: the truth is shown after that.",
    draw=scratched,
    piece_from=scratched_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""
