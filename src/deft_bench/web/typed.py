"""Boxes as they were typed, where that still means what is stored: `3/32`, `.25 mm`, `10 thou`."""

from collections.abc import Mapping
from typing import Any

from deft_bench.core.units import LengthError, parse_length
from deft_bench.store import typed_forms
from deft_bench.web.support import db, display

MOST_TYPED = 20
"""No form of a length that anybody types is longer."""


def keep_typed(instrument_id: int, sent: Mapping[str, str]) -> None:
    """Keep the lengths of a form that was saved, as they were typed."""
    typed_forms.keep(
        db(),
        instrument_id,
        {name: text.strip() for name, text in sent.items() if len(text) <= MOST_TYPED and _shown(text) is not None},
    )


def as_typed(instrument_id: int, values: Mapping[str, Any]) -> dict[str, Any]:
    """Every box as it was typed last; as it starts where nothing was typed or that means another length now."""
    typed = typed_forms.of_instrument(db(), instrument_id)
    return {
        name: typed[name] if name in typed and value and _shown(typed[name]) == value else value
        for name, value in values.items()
    }


def _shown(text: str) -> str | None:
    """What a box would show for a typed length; None for what is none in the shop's unit."""
    try:
        return display().entry(parse_length(text, display().system))
    except LengthError:
        return None
