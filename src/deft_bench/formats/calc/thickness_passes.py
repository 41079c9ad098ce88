"""`thickness-passes`: equal passes from one thickness to another."""

from typing import Any

from deft_bench.core.board.section import thickness_passes
from deft_bench.formats.calc.fields import POSITIVE, request
from deft_bench.formats.strict_json import RequestError

ABOUT = "How many passes take a board to its thickness, and the height after each"

MOST_PASSES = 10_000

SCHEMA = request(
    {"start_mm": POSITIVE, "target_mm": POSITIVE, "per_pass_mm": POSITIVE},
    ["start_mm", "target_mm", "per_pass_mm"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; a board that is there already takes no pass."""
    start, target, step = asked["start_mm"], asked["target_mm"], asked["per_pass_mm"]
    if (start - target) / step > MOST_PASSES:
        raise RequestError([f"per_pass_mm: more than {MOST_PASSES} passes"])
    heights = thickness_passes(start, target, step)
    before = [start, *heights][-2:]
    return {"passes": len(heights), "last_pass_mm": before[0] - before[1] if heights else 0.0, "heights_mm": heights}
