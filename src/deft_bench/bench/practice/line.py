"""Thin the line, at the bench: strokes of a file on a levelled fret, and looks at its crown."""

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.line import Done, Fret, by_program, done_from, fret, fret_from, score

UnderTheFile = ByHand[Fret, Done]
"""An attempt on a fret."""
LINE = HandDrill(
    code="line",
    kept_as="fret",
    named="crowned",
    first="Say that it is crowned first: the truth is shown after that.",
    draw=fret,
    piece_from=fret_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""


def last_read(found: UnderTheFile) -> tuple[Done, Fret] | None:
    """The last look at the crown, and the fret as it was then; None before any."""
    return next((step for step in reversed(found.steps) if step[0].what == "read"), None)
