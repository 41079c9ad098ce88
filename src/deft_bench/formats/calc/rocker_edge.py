"""`rocker-edge`: which rocker edge tests which fret."""

from typing import Any

from deft_bench.core.board.positions import fret_positions
from deft_bench.core.frets.rocker import rocker_edges
from deft_bench.formats.calc.fields import FRETS, POSITIVE, SCALE, listed, request

ABOUT = "The rocker edge that reaches three frets and touches no fourth, for every middle fret"

SCHEMA = request(
    {"scale_mm": SCALE, "frets": {**FRETS, "minimum": 3}, "edges_on_hand_mm": listed(POSITIVE, most=40)},
    ["scale_mm", "frets"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request: one entry for each middle fret, from 2 to the last but one; `pick` is null without an edge
    that fits.
    """
    positions = fret_positions(asked["scale_mm"], asked["frets"])
    found = rocker_edges(positions, asked.get("edges_on_hand_mm", ()))
    return {
        "frets": [
            {"fret": edge.fret, "least_mm": edge.least_mm, "most_mm": edge.most_mm}
            | ({"pick": edge.pick_mm} if "edges_on_hand_mm" in asked else {})
            for edge in found
        ]
    }
