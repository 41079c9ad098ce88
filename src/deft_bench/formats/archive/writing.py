"""Writing an archive: every table, every photograph, and each instrument's record."""

import hashlib
import json
import os
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path
from typing import Any
from uuid import uuid4
from zipfile import ZIP_DEFLATED, ZipFile, ZipInfo

from deft_bench import __version__
from deft_bench.formats.archive.layout import (
    FORMAT,
    MANIFEST,
    RECORDS,
    SHEETS,
    VERSION,
    Part,
    photograph_part,
    table_part,
)
from deft_bench.formats.archive.spreadsheets import readings_sheet
from deft_bench.formats.record import export_record
from deft_bench.formats.stock_csv import write_stock
from deft_bench.store import stock, whole_bench
from deft_bench.store.database import Connection, StoreError, reading

DATED = (1980, 1, 1, 0, 0, 0)
"""Every part has the same date, so that the same bench makes the same archive."""


def write_archive(db: Connection, target: Path, made_at: str) -> dict[str, int]:
    """The whole bench as it is at one moment into a new file; how many rows of each table it holds (instruments without
    practice necks).

    Raises StoreError when the file exists, OSError when it cannot be written; half a file is not left behind.
    """
    if target.exists():
        raise StoreError(f"{target} exists already: choose a new name.")
    part = target.with_name(f".{target.name}.{uuid4().hex[:8]}.part")
    try:
        with reading(db), part.open("xb") as file:
            with ZipFile(file, "w", ZIP_DEFLATED) as zipped:
                counts = _Writer(zipped).write(db, made_at)
            file.flush()
            os.fsync(file.fileno())
        os.replace(part, target)
        return counts
    finally:
        with suppress(OSError):
            part.unlink(missing_ok=True)


class _Writer:
    def __init__(self, zipped: ZipFile) -> None:
        self.zipped = zipped
        self.parts: dict[str, Part] = {}

    def write(self, db: Connection, made_at: str) -> dict[str, int]:
        counts = {}
        for table in whole_bench.tables(db):
            counts[table] = self._table(db, table)
        for found in whole_bench.instruments_of_the_bench(db):
            record = export_record(db, found)
            uid = record["uid"]
            self._put(f"{RECORDS}{uid}.json", [(json.dumps(record, ensure_ascii=False, indent=1) + "\n").encode()])
            if any(survey["readings"] for survey in record["surveys"]):
                self._put(f"{SHEETS}{uid}.csv", [readings_sheet(record).encode()])
        self._put(f"{SHEETS}stock.csv", [write_stock(stock.items(db)).encode()])
        counts["instrument"] = sum(name.startswith(RECORDS) for name in self.parts)
        manifest = {
            "format": FORMAT,
            "version": VERSION,
            "schema": whole_bench.schema_version(db),
            "program": __version__,
            "made_at": made_at,
            "files": {name: asdict(part) for name, part in self.parts.items()},
        }
        self._put(MANIFEST, [json.dumps(manifest, indent=1).encode()])
        return counts

    def _table(self, db: Connection, table: str) -> int:
        """A table's rows; a photograph among them is a part of its own, written after them."""
        photographs: list[str] = []
        count = 0

        def lines() -> Iterator[bytes]:
            nonlocal count
            yield _line(whole_bench.columns(db, table))
            for row in whole_bench.rows(db, table):
                count += 1
                yield _line([_shown(value, photographs) for value in row])

        self._put(table_part(table), lines())
        for sha256 in photographs:
            self._put(photograph_part(sha256), [whole_bench.photograph(db, sha256)])
        return count

    def _put(self, name: str, pieces: Iterable[bytes]) -> None:
        told, size = hashlib.sha256(), 0
        info = ZipInfo(name, DATED)
        info.compress_type = ZIP_DEFLATED
        info.external_attr = 0o644 << 16
        with self.zipped.open(info, "w", force_zip64=True) as file:
            for piece in pieces:
                file.write(piece)
                told.update(piece)
                size += len(piece)
        self.parts[name] = Part(told.hexdigest(), size)


def _line(values: list[Any]) -> bytes:
    return (json.dumps(values, ensure_ascii=False, allow_nan=False) + "\n").encode()


def _shown(value: object, photographs: list[str]) -> object:
    """A value as JSON has it: of a photograph's bytes where they stand."""
    if not isinstance(value, bytes):
        return value
    sha256 = hashlib.sha256(value).hexdigest()
    photographs.append(sha256)
    return photograph_part(sha256)
