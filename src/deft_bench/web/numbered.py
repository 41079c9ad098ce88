"""Rows of boxes that carry their number in their names: `off0_2_from` is the box `from` in row 2 of `off0`."""

from collections.abc import Mapping


def rows_of(boxes: Mapping[str, str], name: str) -> list[int]:
    """The rows of a name of which any box is filled, in order."""
    rows = {row for key, text in boxes.items() if text.strip() and (row := _row(key, name)) is not None}
    return sorted(rows)


def shown_rows(boxes: Mapping[str, str], name: str, least: int, spare: int = 1) -> int:
    """How many rows of boxes a name is shown with: those that hold anything, and some to spare."""
    return max(least, max(rows_of(boxes, name), default=-1) + 1 + spare)


def boxes_of_rows(name: str, rows: list[dict[str, str]]) -> dict[str, str]:
    """Rows as their boxes."""
    return {f"{name}_{i}_{box}": text for i, row in enumerate(rows) for box, text in row.items()}


def _row(key: str, name: str) -> int | None:
    """The row that a box stands in, by its name; None for another's."""
    number = key.removeprefix(f"{name}_").partition("_")[0] if key.startswith(f"{name}_") else ""
    return int(number) if number.isascii() and number.isdigit() and len(number) < 4 else None
