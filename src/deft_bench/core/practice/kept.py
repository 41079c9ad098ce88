"""Pieces of drills as they are kept, JSON values: lists stand where they have tuples."""

from collections.abc import Mapping
from typing import Any


def fields_of(kept: Mapping[str, Any]) -> dict[str, Any]:
    """The fields of a dataclass as it was kept."""
    return {name: _tuples(value) for name, value in kept.items()}


def _tuples(value: Any) -> Any:
    return tuple(map(_tuples, value)) if isinstance(value, list | tuple) else value
