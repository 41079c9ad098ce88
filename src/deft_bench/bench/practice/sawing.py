"""Saw to a line, at the bench: a kerf beside a line, sawn on, backed out of, the teeth stoned."""

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.sawing import Done, Kerf, by_program, done_from, kerf, kerf_from, score

AtTheKerf = ByHand[Kerf, Done]
"""An attempt on a board."""
SAWING = HandDrill(
    code="sawing",
    kept_as="kerf",
    named="sawn",
    first="Say that it is sawn first: the truth is shown after that.",
    draw=kerf,
    piece_from=kerf_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""
