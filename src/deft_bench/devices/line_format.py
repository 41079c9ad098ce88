"""How a device writes a figure on a line, and what the line says in millimetres, per cent or degrees."""

import re
from dataclasses import dataclass
from typing import Literal

Unit = Literal["mm", "%", "°C"]
MM_OF = {"mm": 1.0, "in": 25.4, "inch": 25.4, '"': 25.4, "um": 0.001, "µm": 0.001, "thou": 0.0254}
OTHERS: dict[str, Unit] = {"%": "%", "%rh": "%", "rh": "%", "c": "°C", "°c": "°C", "degc": "°C"}
MOST_CHARACTERS = 120
_FIGURE = r"(?P<figure>[+-]?\s*\d*[.,]?\d+)"
_CHANNEL = r"[A-Za-z]{1,4}\d{0,3}[\s:,=]*"
_UNIT = r"(?P<unit>mm|inch|in|\"|um|µm|thou|%\s?rh|%|rh|°c|degc|c)?"


class GarbledError(ValueError):
    """A line that holds no figure in this format; the message says what it holds."""


@dataclass(frozen=True, slots=True)
class LineFormat:
    """A pattern with the group `figure`, and `unit` where the line says it; else `unit` is taken. `ask` is what is sent
    to be told a figure; empty where the device sends by itself.
    """

    pattern: str
    unit: str = "mm"
    ask: str = ""


PRESETS: dict[str, tuple[str, str]] = {
    "figure": ("sign and digits: +0.12", rf"\s*{_FIGURE}\s*"),
    "figure_unit": ("sign, digits, unit: +0.12 mm", rf"\s*{_FIGURE}\s*{_UNIT}\s*"),
    "named": (
        "channel, sign, digits, unit: A1 +0.12 mm",
        rf"\s*{_CHANNEL}{_FIGURE}\s*{_UNIT}\s*",
    ),
    "climate": (
        "humidity, then temperature: 45.2 %, 21.3 °C",
        rf"[^\d+-]*{_FIGURE}\s*{_UNIT}(?:[\s,;|/]+[^\d+-]*(?P<temperature>[+-]?\d*[.,]?\d+)\s*(?:°?c)?)?\s*",
    ),
    "listed": ("digits last of a list: 14:02;3;0.12", rf".*[;,\t]\s*{_FIGURE}\s*{_UNIT}\s*"),
}
"""Formats in general use: what they look like, and their patterns."""


@dataclass(frozen=True, slots=True)
class Figure:
    """What a line says: the value in `unit`, what the unit was called on it (empty: not said), and the temperature
    where the line says one too.
    """

    value: float
    unit: Unit
    said_in: str
    temperature_c: float | None = None


def escaped(text: str) -> str:
    """What is sent for a text with backslashes, as it is typed: `\\r` ends a line. Raises ValueError in words."""
    try:
        return text.encode().decode("unicode_escape")
    except UnicodeDecodeError:
        raise ValueError("a backslash begins \\r, \\n, or \\x and two digits") from None


def compiled(pattern: str) -> re.Pattern[str]:
    """A format's pattern; raises ValueError in words where it is none or names no figure."""
    try:
        found = re.compile(pattern, re.IGNORECASE)
    except (re.error, OverflowError, RecursionError) as error:
        raise ValueError(f"the pattern is not understood: {error}") from None
    if "figure" not in found.groupindex:
        raise ValueError("the pattern names no figure: write (?P<figure>...) around the digits")
    return found


def read_line(line: str, form: LineFormat) -> Figure:
    """The figure on a line; raises GarbledError."""
    shown = line.strip()[:30]
    match = compiled(form.pattern).fullmatch(line.strip("\r\n\x00")) if len(line) <= MOST_CHARACTERS else None
    if match is None:
        raise GarbledError(f"“{shown}” holds no figure of this format")
    said = re.sub(r"\s", "", (match.groupdict().get("unit") or "")).lower()
    beside = match.groupdict().get("temperature")
    try:
        value, temperature = _number(match["figure"] or ""), _number(beside) if beside else None
    except ValueError:
        raise GarbledError(f"“{shown}” holds no figure of this format") from None
    unit = said or form.unit.lower()
    if unit in MM_OF:
        return Figure(value * MM_OF[unit], "mm", said)
    if unit in OTHERS:
        return Figure(value, OTHERS[unit], said, temperature)
    raise GarbledError(f"“{shown}” is in a unit that is not known here")


def _number(text: str) -> float:
    return float(text.replace(" ", "").replace(",", "."))
