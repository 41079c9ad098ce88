"""The blueprint of the board's pages, and what they share."""

from typing import Any

from flask import Blueprint, url_for

from deft_bench.core.board.plan import BoardPlan
from deft_bench.store import boards, instruments
from deft_bench.web.support import db, instrument_or_404

screen = Blueprint(
    "board", __name__, template_folder="templates", static_folder="static", static_url_path="/board/static"
)


def board_or_404(instrument_id: int) -> tuple[instruments.Instrument, BoardPlan]:
    """The instrument that an address names, and how its board is made."""
    instrument = instrument_or_404(instrument_id)
    return instrument, boards.plan_of(db(), instrument_id, instrument.spec)


def address(tab: str, instrument_id: int, **query: Any) -> str:
    """One page of a board."""
    return url_for("board.show", instrument_id=instrument_id, tab=tab, **query)
