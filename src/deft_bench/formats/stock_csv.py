"""Stock as CSV, out and in, also as a count sheet. The format is documented in docs/formats/stock-csv.md."""

import csv
import io
import math
from collections.abc import Iterable
from dataclasses import dataclass

from deft_bench.core.frets.wire import read_pieces, write_pieces
from deft_bench.core.text import ONE_LINE, barred
from deft_bench.core.work.stock import KINDS
from deft_bench.formats.readings_csv import inert
from deft_bench.store.stock import Item

COLUMNS = ("name", "kind", "unit", "have", "least", "pieces", "note")
MOST_LINES, MOST_IN_LINE, MOST_TOLD = 2_000, 10_000, 20
MOST = 1_000_000.0


@dataclass(frozen=True, slots=True)
class StockLine:
    """One line as it was understood, or what is wrong with it; `have` is None where nothing was counted."""

    number: int
    name: str
    kind: str = "other"
    unit: str = "piece"
    have: float | None = None
    least: float | None = None
    pieces_um: tuple[int, ...] | None = None
    note: str = ""
    problem: str = ""


def write_stock(items: Iterable[Item], count_sheet: bool = False) -> str:
    """What is in stock as CSV text; a count sheet leaves what is there empty."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for item in items:
        pieces = "" if count_sheet else write_pieces(item.pieces_um, lambda um: f"{um / 1000:g} mm")
        counted = "" if count_sheet or item.kind == "wire" else f"{item.have:g}"
        writer.writerow([inert(item.name), item.kind, item.unit, counted, f"{item.least:g}", pieces, inert(item.note)])
    return out.getvalue()


def read_stock(text: str) -> list[StockLine]:
    """Read a sheet line by line; a line that cannot be meant carries its problem. Columns may stand in any order,
    `name` must be there.
    """
    lines = text.replace("\r\n", "\n").replace("\r", "\n").lstrip("\ufeff").split("\n")
    rows = [(number, line) for number, line in enumerate(lines, start=1) if line.strip()]
    if not rows or len(rows) > MOST_LINES:
        return [StockLine(1, "", problem="the sheet is empty" if not rows else f"more than {MOST_LINES} lines")]
    long = [(number, line) for number, line in rows if len(line) > MOST_IN_LINE]
    if long:
        return [
            StockLine(n, line[:80], problem=f"longer than {MOST_IN_LINE} characters") for n, line in long[:MOST_TOLD]
        ]
    separator = "\t" if "\t" in rows[0][1] else ";" if rows[0][1].count(";") > rows[0][1].count(",") else ","
    header = [cell.strip().lower() for cell in _cells(rows[0][1], separator)]
    unknown = [name for name in header if name not in COLUMNS]
    if "name" not in header or unknown:
        said = f"“{unknown[0][:30]}” is none of them" if unknown else "“name” is missing"
        return [
            StockLine(
                rows[0][0],
                rows[0][1][:80],
                problem=f"the first line must name the columns {', '.join(COLUMNS)}: {said}",
            )
        ]
    taken: dict[str, int] = {}
    return [_line(number, dict(zip(header, _cells(line, separator), strict=False)), taken) for number, line in rows[1:]]


def _cells(line: str, separator: str) -> list[str]:
    return next(csv.reader([line], delimiter=separator))


def _words_problem(name: str, kind: str, unit: str, note: str, taken: dict[str, int]) -> str:
    """What is wrong with a line's words; empty when nothing is. `taken` are the names of the lines before."""
    if not name:
        return "it has no name"
    if barred(name) or barred(unit) or barred(note):
        return f"name, unit or note: {ONE_LINE}"
    if name.lower() in taken:
        return f"“{name}” stands already in line {taken[name.lower()]}"
    if kind not in KINDS:
        return f"kind “{kind[:20]}” is none of: {', '.join(KINDS)}"
    return "a unit has at most 20 characters" if len(unit) > 20 else ""


def _line(number: int, cells: dict[str, str], taken: dict[str, int]) -> StockLine:
    cells = {name: text.strip().removeprefix("'") for name, text in cells.items()}
    name = cells.get("name", "")[:80]
    kind, unit = cells.get("kind", "") or "other", cells.get("unit", "") or "piece"
    problem = _words_problem(name, kind, unit, cells.get("note", ""), taken)
    taken.setdefault(name.lower(), number)
    numbers: dict[str, float | None] = {}
    for field in ("have", "least"):
        typed = cells.get(field, "")
        try:
            value = float(typed.replace(",", ".")) if typed else None
        except ValueError:
            value = math.nan
        if value is not None and not 0 <= value <= MOST:
            problem = problem or f"{field} “{typed[:20]}” is not a number from 0 up"
            value = None
        numbers[field] = value
    pieces: tuple[int, ...] | None = None
    if cells.get("pieces"):
        try:
            pieces = read_pieces(cells["pieces"], "mm")
        except ValueError as error:
            problem = problem or str(error)
    return StockLine(
        number, name, kind, unit, numbers["have"], numbers["least"], pieces, cells.get("note", "")[:200], problem
    )
