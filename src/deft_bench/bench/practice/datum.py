"""Mark from one datum, at the bench: a rule laid, clamped and looked at, and fret lines marked off it."""

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.datum import Done, Marking, by_program, done_from, marking, marking_from, score

AtTheRule = ByHand[Marking, Done]
"""An attempt on a blank."""
DATUM = HandDrill(
    code="datum",
    kept_as="blank",
    named="marked",
    first="Say that it is marked first: the truth is shown after that.",
    draw=marking,
    piece_from=marking_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""
