"""Level with the beam, at the bench: strokes, pressing, tapping and ink on a hidden neck."""

from deft_bench.bench.practice.by_hand import ByHand, HandDrill
from deft_bench.core.practice.beam import BeamNeck, Done, beam_neck, by_program, done_from, neck_from, score

UnderTheBeam = ByHand[BeamNeck, Done]
"""An attempt on a neck."""
BEAM = HandDrill(
    code="beam",
    kept_as="neck",
    named="level",
    first="Say that it is level first: the truth is shown after that.",
    draw=beam_neck,
    piece_from=neck_from,
    deed_from=done_from,
    by_program=by_program,
    score=score,
)
"""The drill."""
