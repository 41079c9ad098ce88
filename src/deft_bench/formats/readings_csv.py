"""Readings as CSV, out and in. The format is documented in docs/formats/readings-csv.md."""

import csv
import io
import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass

from deft_bench.core.survey_kinds import PER_CENT, SURVEY_KINDS, Place, SurveyKind
from deft_bench.core.units import MM, LengthError, System

MOST_BYTES = 500_000
MOST_LINES = 2_000


@dataclass(frozen=True, slots=True)
class SheetLine:
    """One line of a sheet as it was understood, or what is wrong with it."""

    number: int
    text: str
    place: Place | None = None
    value_um: int | None = None
    typed: str = ""
    problem: str | None = None


def read_sheet(text: str, kind: str, frets: int, system: System, order: Collection[Place] = ()) -> list[SheetLine]:
    """Read a sheet of readings, line by line.

    Long form: a header with `fret`, `lane` and `reading` in any order. Wide form: `fret` and a column for each lane.
    Separators are comma, semicolon or tab (with semicolon or tab, decimal commas work). A line that cannot be meant
    carries its problem; nothing is stored here. `order` holds the survey's places: what is none of them is refused
    (empty: any).
    """
    rows = _rows(text)
    if not rows:
        return [SheetLine(1, "", problem="the sheet is empty")]
    if len(rows) > MOST_LINES:
        return [SheetLine(1, "", problem=f"more than {MOST_LINES} lines")]
    first = rows[0][1]
    separator = next((mark for mark in ("\t", ";") if mark in first), ",")
    header = [cell.strip().lower() for cell in _cells(first, separator)]
    lanes = tuple(dict.fromkeys(lane for lane, _ in order)) or SURVEY_KINDS[kind].lanes_of()
    least = min((fret for _, fret in order), default=1)
    wide = [lane for lane in lanes if lane in header]
    if "fret" not in header or not (wide or {"lane", "reading"} <= set(header)):
        wanted = "“fret,lane,reading” or “fret," + ",".join(lanes) + "”"
        return [SheetLine(rows[0][0], first, problem=f"the first line must name the columns: {wanted}")]
    read: list[SheetLine] = []
    taken: dict[Place, int] = {}
    for number, line in rows[1:]:
        cells = dict(zip(header, _cells(line, separator), strict=False))
        fret = _fret(cells.get("fret", "").strip())
        if not min(1, least) <= fret <= frets:
            why = f"fret “{cells.get('fret', '').strip()[:20]}” is not from {min(1, least)} to {frets}"
            read.append(SheetLine(number, line[:120], problem=why))
            continue
        for lane, typed in _typed(cells, wide):
            if typed:
                made = _line(number, line[:120], (lane, fret), typed, lanes, taken, system, SURVEY_KINDS[kind], frets)
                read.append(_of_this_survey(made, (lane, fret), order))
    return read or [SheetLine(rows[0][0], first, problem="there is no reading under the header")]


def _rows(text: str) -> list[tuple[int, str]]:
    """The lines that hold something, with their numbers, whatever ends a line."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").lstrip("\ufeff").split("\n")
    return [(number, line) for number, line in enumerate(lines, start=1) if line.strip()]


def _of_this_survey(line: SheetLine, place: Place, order: Collection[Place]) -> SheetLine:
    """The line, refused where its place is none of the survey's."""
    if not order or line.problem is not None or place in order:
        return line
    return SheetLine(line.number, line.text, problem=f"fret {place[1]} {place[0]} is not read in this survey")


def _fret(text: str) -> int:
    """A fret's number; −1 for what is none."""
    # isdigit alone would let other scripts' digits through to int(), which reads them differently
    return int(text) if text.isascii() and text.isdigit() and len(text) < 4 else -1


def _typed(cells: Mapping[str, str], wide: Sequence[str]) -> list[tuple[str, str]]:
    """(lane, what was typed) of a line, by the columns of its lanes or by its own two."""
    pairs = [(lane, cells.get(lane, "")) for lane in wide] or [(cells.get("lane", ""), cells.get("reading", ""))]
    return [(lane.strip().lower(), typed.strip()) for lane, typed in pairs]


def _cells(line: str, separator: str) -> list[str]:
    try:
        return next(csv.reader([line], delimiter=separator))
    except (csv.Error, StopIteration):
        return []


def _line(
    number: int,
    text: str,
    place: Place,
    typed: str,
    lanes: Iterable[str],
    taken: dict[Place, int],
    system: System,
    kind: SurveyKind,
    frets: int,
) -> SheetLine:
    lane, fret = place
    if lane not in lanes:
        return SheetLine(number, text, problem=f"lane “{lane[:20]}” is not one of {', '.join(lanes)}")
    try:
        value = kind.read(typed, system)
    except LengthError as error:
        return SheetLine(number, text, place, problem=str(error))
    problem = kind.problem(value, fret)
    if kind.ends and not kind.ends < fret <= frets - kind.ends:
        problem = f"a test is named by its middle fret: 2 to {frets - 1}"
    if problem:
        return SheetLine(number, text, place, problem=problem)
    if place in taken:
        return SheetLine(number, text, place, problem=f"fret {fret} {lane} stands already in line {taken[place]}")
    taken[place] = number
    return SheetLine(number, text, place, value, typed[:40])


def write_sheet(rows: Iterable[tuple[str, int, int | None, str, str]], kind: str = "fret_heights") -> str:
    """Readings as CSV text from (lane, fret, value in micrometres, typed, at): one line each, with a header.

    Tests' answers are written as words.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["fret", "lane", "reading", "typed", "at"])
    for lane, fret, value, typed, at in rows:
        writer.writerow([fret, lane, in_words(value, kind), inert(typed), at])
    return out.getvalue()


def in_words(value: int | None, kind: str) -> str:
    """A reading of a kind of survey with its unit; empty for a place whose reading was withdrawn."""
    if value is None:
        return ""
    unit = SURVEY_KINDS[kind].unit
    if unit == "answer":
        return SURVEY_KINDS[kind].words(value, MM)
    return f"{value / PER_CENT:g} cents" if unit == "cents" else f"{value / 1000:g} mm"


_PLAIN = re.compile(r"[+-] ?\d*[.,]?\d+(?: ?[A-Za-z%°]{1,5})?")
"""A number with its sign, and its unit if it has one."""


def inert(text: str) -> str:
    """Typed text that a spreadsheet would take for a formula gets a leading apostrophe; plain readings do not need
    it.
    """
    typed = text[:1] in "=@\t\r" or (text[:1] in "+-" and not _PLAIN.fullmatch(text))
    return f"'{text}" if text and typed else text
