"""The blueprint of the stock screens, and the words that they share."""

from flask import Blueprint

from deft_bench.core.frets.wire import write_pieces
from deft_bench.core.work.stock import amount
from deft_bench.web.support import display

screen = Blueprint("stock", __name__, template_folder="templates")
screen.add_app_template_filter(amount, "amount")

MOST = 1_000_000
"""The most of anything that a box takes."""


def pieces_words(pieces_um: tuple[int, ...]) -> str:
    """Pieces of wire as `3 × 600 mm`; a count and its length stay on one line."""
    return write_pieces(pieces_um, lambda um: display().long(um)).replace(" × ", "\u00a0×\u00a0")
