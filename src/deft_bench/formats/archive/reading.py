"""Reading an archive back: exactly into an empty bench, instrument by instrument into one that is in use."""

import hashlib
import json
import zlib
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass, field
from datetime import date, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import IO, Any, Literal
from zipfile import BadZipFile, ZipFile

from deft_bench.formats.archive.layout import (
    MANIFEST,
    MOST_BYTES,
    MOST_OF_A_MANIFEST,
    PHOTOGRAPHS,
    SCHEMA,
    TABLES,
    VERSION,
    ArchiveError,
    Part,
    table_part,
)
from deft_bench.formats.archive.progress import Progress, Tell, untold
from deft_bench.formats.photograph import PhotographError
from deft_bench.formats.record import export_record, import_record
from deft_bench.formats.record.contradictions import contradictions
from deft_bench.formats.record.photographs import photograph
from deft_bench.formats.record.schema import SCHEMA as RECORD
from deft_bench.formats.strict_json import RequestError, check, in_calendar, read_json
from deft_bench.store import instruments, schedules, shop, whole_bench
from deft_bench.store.database import Connection, DriverError, StoreError, connect, newest_schema, transaction

HereAlready = Literal["keep", "copy"]
MOST_OF_A_LINE = 64 * 1024**2


class AskError(Exception):
    """Instruments that are here already and differ; `names` says which. What to do with them must be said."""

    def __init__(self, names: list[str]) -> None:
        self.names = names
        super().__init__(f"Here already, and other than in the archive: {', '.join(names)}. Nothing was brought in.")


@dataclass(slots=True)
class Brought:
    """What came of an archive: `whole` into an empty bench; else the names of the instruments that are new, that are
    here just so, that stay as they are here, and that came in as copies.
    """

    whole: bool = False
    new: list[str] = field(default_factory=list)
    same: list[str] = field(default_factory=list)
    kept: list[str] = field(default_factory=list)
    copied: list[str] = field(default_factory=list)

    def lines(self) -> list[str]:
        """In words, a line for each that there is something of."""
        if self.whole:
            return [f"The whole bench is in, {_counted(self.new)} with all that belongs to the shop."]
        told = [
            ("New here", self.new),
            ("Beside the one that is here, as a copy", self.copied),
            ("Here already, just so", self.same),
            ("Kept as it is here", self.kept),
        ]
        said = [f"{what}: {', '.join(names)}." for what, names in told if names]
        return [*said, "What belongs to the shop (stock, settings, hours, practice) stays as it is here."]


def _counted(names: list[str]) -> str:
    return f"{len(names)} instrument{'' if len(names) == 1 else 's'}"


def bring_in(
    db: Connection, source: Path | IO[bytes], here_already: HereAlready | None = None, tell: Tell = untold
) -> Brought:
    """Bring an archive in, whole or not at all; `tell` hears how far it is.

    A bench that is empty becomes what was archived, row by row. Into another come the instruments that it does not
    have; one that it has and that differs is kept as it is here, or comes in beside it as a copy. Raises AskError when
    which of the two was not said, ArchiveError for an archive that cannot be read, RequestError with a line for each
    thing in it that no bench could hold, StoreError when there is no room for it.
    """
    progress = Progress(tell)
    with TemporaryDirectory(prefix="deft-bench-") as folder:
        unpacked = Path(folder) / "bench.sqlite3"
        try:
            with ZipFile(source) as zipped:
                _Archive(zipped, progress).unpack(unpacked)
        except (BadZipFile, zlib.error, EOFError, OSError, RuntimeError, ValueError) as error:
            # the library stumbles in many ways over a file that is damaged, or that wants a password
            name = source.name if isinstance(source, Path) else "What was sent"
            raise ArchiveError(f"{name} is no archive, or is damaged: {error}.") from error
        with closing(connect(unpacked)) as theirs:
            _refuse_impossible(theirs, progress)
            if whole_bench.is_empty(db):
                progress.stage("Putting it into the bench", 1)
                whole_bench.take_over(db, unpacked)
                return Brought(whole=True, new=_names(theirs))
            return _merged(db, theirs, here_already, progress)


def _names(db: Connection) -> list[str]:
    return [instruments.get(db, found).spec.name for found in whole_bench.instruments_of_the_bench(db)]


def _merged(db: Connection, theirs: Connection, here_already: HereAlready | None, progress: Progress) -> Brought:
    """Instruments of one bench into another, in one act."""
    brought = Brought()
    with transaction(db):
        for found in progress.each("Putting it into the bench", whole_bench.instruments_of_the_bench(theirs)):
            record = export_record(theirs, found)
            name, here = record["spec"]["name"], instruments.id_of(db, record["uid"])
            if here is not None and export_record(db, here) == record:
                brought.same.append(name)
            elif here is not None and here_already != "copy":
                brought.kept.append(name)
            else:
                import_record(db, json.dumps(record).encode(), as_copy=here is not None)
                (brought.new if here is None else brought.copied).append(name)
        if brought.kept and here_already is None:
            raise AskError(brought.kept)
    return brought


class _Archive:
    """An archive that is open: its parts by name, and how far it is read."""

    def __init__(self, zipped: ZipFile, progress: Progress) -> None:
        self.zipped, self.progress = zipped, progress
        self.schema, self.parts = _manifest(zipped)

    def unpack(self, target: Path) -> None:
        """Its tables as a bench file."""
        read = sum(part.bytes for name, part in self.parts.items() if name.startswith((TABLES, PHOTOGRAPHS)))
        self.progress.stage("Reading it", read)
        try:
            whole_bench.build(target, self.schema, self._fill)
        except (StoreError, DriverError) as error:
            raise ArchiveError(f"It does not hold together: {error}.") from error

    def _fill(self, db: Connection) -> None:
        for table in whole_bench.tables(db):
            name = table_part(table)
            if name not in self.parts:
                raise ArchiveError(f"{name} is missing: an archive of schema {self.schema} has it.")
            with self._part(name) as read:
                names, blobs = read.line(), whole_bench.blobs(db, table)
                if not isinstance(names, list) or not all(isinstance(one, str) for one in names):
                    raise ArchiveError(f"{name}, line 1: must name the columns.")
                bytes_here = [one in blobs for one in names]
                rows = (self._with_photographs(_dated(names, row, read), bytes_here) for row in read.rest(len(names)))
                _put(db, table, names, rows, name)

    def _part(self, name: str) -> "_Read":
        return _Read(self.zipped.open(name), name, self.parts[name], self.progress)

    def _with_photographs(self, row: list[Any], bytes_here: list[bool]) -> list[Any]:
        """A row with the photographs that it names, in the columns that hold bytes."""
        return [self._photograph(value) if here else value for value, here in zip(row, bytes_here, strict=True)]

    def _photograph(self, name: object) -> bytes:
        if not isinstance(name, str) or not name.startswith(PHOTOGRAPHS) or name not in self.parts:
            raise ArchiveError(f"{str(name)[:80]!r} is no photograph of this archive.")
        with self._part(name) as read:
            return read.whole()


def _dated(names: list[str], row: list[Any], read: "_Read") -> list[Any]:
    """A row whose days and moments are such; raises ArchiveError."""
    for name, value in zip(names, row, strict=True):
        kind = date if name.endswith("_on") else datetime if name == "at" or name.endswith("_at") else None
        if kind is not None and isinstance(value, str) and not in_calendar(kind, value):
            raise ArchiveError(f"{read.name}, line {read.number}: {name} {value[:40]!r} is not of the calendar.")
    return row


def _put(db: Connection, table: str, names: list[str], found: Iterator[list[Any]], where: str) -> None:
    try:
        whole_bench.put(db, table, names, found)
    except KeyError as error:
        raise ArchiveError(f"{where}, line 1: there is no column {error.args[0]!r:.40}.") from None
    except (DriverError, OverflowError) as error:
        raise ArchiveError(f"{where}: a row that a bench cannot hold ({error}).") from error


def _manifest(zipped: ZipFile) -> tuple[int, dict[str, Part]]:
    """The schema that the tables have, and the parts by name."""
    try:
        info = zipped.getinfo(MANIFEST)
    except KeyError:
        raise ArchiveError(f"It is no archive of a bench: there is no {MANIFEST} in it.") from None
    if info.file_size > MOST_OF_A_MANIFEST:
        raise ArchiveError(f"{MANIFEST} is too large.")
    try:
        found = read_json(zipped.read(info))
        check(found, SCHEMA)
    except RequestError as error:
        raise ArchiveError(f"{MANIFEST}: {error.lines[0]}.") from error
    newest = newest_schema()
    if found["version"] > VERSION or found["schema"] > newest:
        raise ArchiveError(
            f"It was written by a newer Deft Bench ({found['program']}, schema {found['schema']}; this one knows"
            f" {newest}): update the program."
        )
    parts = {name: Part(**part) for name, part in found["files"].items()}
    there = sorted(zipped.namelist())
    if there != sorted([*parts, MANIFEST]):
        odd = next(iter(set(there) ^ {*parts, MANIFEST}), there[0])
        raise ArchiveError(f"{odd[:80]}: the manifest and what is in the archive differ.")
    if sum(part.bytes for part in parts.values()) > MOST_BYTES:
        raise ArchiveError(f"It is larger than {MOST_BYTES // 1024**3} GB unpacked.")
    return found["schema"], parts


class _Read:
    """A part as it is read, never further than the manifest says; that it is what was written is known at its end."""

    def __init__(self, file: IO[bytes], name: str, part: Part, progress: Progress) -> None:
        self.file, self.name, self.part, self.progress = file, name, part, progress
        self.told, self.size, self.number = hashlib.sha256(), 0, 0

    def __enter__(self) -> "_Read":
        return self

    def __exit__(self, kind: object, *_: object) -> None:
        self.file.close()
        if kind is None and (self.size, self.told.hexdigest()) != (self.part.bytes, self.part.sha256):
            raise ArchiveError(f"{self.name} is not what was written: its checksum differs.")

    def _heard(self, piece: bytes) -> bytes:
        self.told.update(piece)
        self.size += len(piece)
        self.progress.more(len(piece))
        if self.size > self.part.bytes:
            raise ArchiveError(f"{self.name} is longer than its manifest says.")
        return piece

    def whole(self) -> bytes:
        return self._heard(self.file.read(self.part.bytes + 1))

    def line(self) -> Any:
        """The next line's JSON; None at the end."""
        raw = self._heard(self.file.readline(MOST_OF_A_LINE))
        self.number += 1
        try:
            return read_json(raw) if raw else None
        except RequestError as error:
            raise ArchiveError(f"{self.name}, line {self.number}: {error.lines[0]}.") from error

    def rest(self, many: int) -> Iterator[list[Any]]:
        """The rows that are left, each of so many plain values."""
        while (row := self.line()) is not None:
            if not isinstance(row, list) or len(row) != many or any(isinstance(one, (list, dict)) for one in row):
                raise ArchiveError(f"{self.name}, line {self.number}: must hold {many} plain values.")
            yield row


def _refuse_impossible(db: Connection, progress: Progress) -> None:
    """Raises RequestError or ArchiveError for rows that hold together and are yet no bench's."""
    for found in progress.each("Checking every record", whole_bench.instruments_of_the_bench(db)):
        try:
            record = read_json(json.dumps(export_record(db, found)))
            check(record, RECORD)
            lines = contradictions(record)
            for pin in record["pins"]:
                photograph(pin["photo_jpeg"])
        except RequestError as error:
            lines = error.lines
        except (ValueError, TypeError, LookupError, AttributeError, PhotographError) as error:
            raise ArchiveError(f"The record of instrument {found} cannot be read: {error}.") from error
        if lines:
            raise RequestError(f"instrument {found}: {line}" for line in lines)
    try:
        shop.settings(db)
        schedules.hours(db)
        schedules.latest(db)
    except (ValueError, TypeError, LookupError) as error:
        raise ArchiveError(f"The bench’s hours or its schedule cannot be read: {error}.") from error
