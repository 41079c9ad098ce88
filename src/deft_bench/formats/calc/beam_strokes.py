"""`beam-strokes`: what strokes of a levelling beam take off, with the hand at one place."""

from typing import Any

import numpy as np

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.beam_contact import stroked
from deft_bench.core.frets.levelling import band_width, to_come_off
from deft_bench.formats.calc.fields import FRETS, HEIGHT, NOT_NEGATIVE, POSITIVE, SCALE, listed, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "What strokes of a true beam take off each top, where the hand bears, and what the level programme still would"
MOST_STROKES = 2_000

SCHEMA = request(
    {
        "scale_mm": SCALE,
        "tops_mm": listed({**HEIGHT, "type": "number"}, least=3),
        "lifted_mm": listed({**NOT_NEGATIVE, "maximum": 5}, least=3),
        "hand_fret": FRETS,
        "hand_mm": POSITIVE,
        "take_mm": {"type": "number", "minimum": 1e-6, "maximum": 5},
        "strokes": {"type": "integer", "minimum": 1, "maximum": MOST_STROKES, "default": 1},
    },
    ["scale_mm", "tops_mm", "take_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; the hand lies over `hand_fret` or at `hand_mm` from the nut, and each stroke takes `take_mm`
    in all.
    """
    tops = asked["tops_mm"]
    lifted = asked.get("lifted_mm", [0.0] * len(tops))
    if len(lifted) != len(tops):
        raise RequestError([f"lifted_mm: must hold one entry a fret, {len(tops)} in all"])
    if ("hand_fret" in asked) == ("hand_mm" in asked):
        raise RequestError(["hand_fret: give hand_fret or hand_mm, one of the two"])
    positions = fret_positions(asked["scale_mm"], len(tops))
    if asked.get("hand_fret", 1) > len(tops):
        raise RequestError([f"hand_fret: there are {len(tops)} frets"])
    field = "hand_fret" if "hand_fret" in asked else "hand_mm"
    hand = positions[asked["hand_fret"] - 1] if field == "hand_fret" else asked["hand_mm"]
    try:
        after = stroked(positions, tops, hand, [asked["take_mm"]] * int(asked.get("strokes", 1)), lifted)
    except ValueError as error:
        raise RequestError([f"{field}: {error}"]) from None
    left = to_come_off(positions, after.tolist())
    return {
        "tops_mm": after.tolist(),
        "removed_mm": (np.array(tops) - after).tolist(),
        "band_mm": band_width(list(zip(positions, after.tolist(), strict=True))) / 2,
        "to_come_off_mm": left,
        "to_come_off_total_mm": sum(left),
    }
