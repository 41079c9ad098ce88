"""A stock sheet taken in: what each line would change, and the one act that enters them all."""

from collections.abc import Mapping
from dataclasses import replace

from deft_bench.formats.stock_csv import StockLine
from deft_bench.store import stock
from deft_bench.store.database import Connection, transaction


def known_lines(db: Connection, lines: list[StockLine]) -> list[StockLine]:
    """The lines as the stock allows them: a wire is entered with its sizes, not by a sheet."""
    known = _by_name(db)
    return [_checked(line, known.get(line.name.lower())) for line in lines]


def take_in_stock(db: Connection, lines: list[StockLine], at: str) -> int:
    """Enter the items, then what was counted, all of it or nothing; returns how many lines the ledger took."""
    with transaction(db):
        known = _by_name(db)
        counted: dict[int, float] = {}
        changed = 0
        for line in lines:
            item = known.get(line.name.lower())
            least = line.least if line.least is not None else item.least if item else 0.0
            if item is not None and item.wire_id is not None:
                stock.put(db, item.name, item.kind, item.unit, least, line.note or item.note)
                if line.pieces_um is not None and sorted(line.pieces_um) != sorted(item.pieces_um):
                    stock.count_pieces(db, item.id, line.pieces_um, at)
                    changed += 1
                continue
            name, note = (item.name, line.note or item.note) if item else (line.name, line.note)
            item_id = stock.put(db, name, line.kind, line.unit, least, note)
            if line.have is not None:
                counted[item_id] = line.have
        return changed + stock.count(db, counted, at, "CSV")


def _by_name(db: Connection) -> Mapping[str, stock.Item]:
    return {item.name.lower(): item for item in stock.items(db)}


def _checked(line: StockLine, item: stock.Item | None) -> StockLine:
    is_wire = item is not None and item.wire_id is not None
    if line.problem or (line.kind == "wire") == is_wire:
        return line
    a_wire = "a new wire is entered on the Refret screen, with its sizes"
    return replace(line, problem=a_wire if line.kind == "wire" else f"“{line.name}” is a wire")
