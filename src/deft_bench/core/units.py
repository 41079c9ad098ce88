"""Lengths as the bench writes them: what may be typed, and both unit systems on the way out.

Stored lengths are whole micrometres. One inch is 25.4 mm exactly (international yard and pound agreement, 1959), so
typed text is turned into micrometres with exact fractions and rounded once.
"""

import re
from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

System = Literal["mm", "in"]

UM_PER_MM = 1000
UM_PER_INCH = 25400
MM_PER_INCH = UM_PER_INCH / UM_PER_MM

RADIUS_TOLD_UM = 500
"""A radius gauge does not tell two arcs apart that differ by less."""

ACCEPTED = '0.25 · .25 mm · 0,25 · 10 thou · .010" · 1/64" · 3 15/32 in'

_UNITS: dict[str, int | Fraction] = {
    "mm": 1000,
    "cm": 10_000,
    "µm": 1,
    "μm": 1,
    "um": 1,
    "micron": 1,
    "microns": 1,
    "thou": Fraction(254, 10),
    "mil": Fraction(254, 10),
    "mils": Fraction(254, 10),
    "in": UM_PER_INCH,
    "in.": UM_PER_INCH,
    "inch": UM_PER_INCH,
    "inches": UM_PER_INCH,
    '"': UM_PER_INCH,
    "”": UM_PER_INCH,
    "″": UM_PER_INCH,
    "''": UM_PER_INCH,
}

_LENGTH = re.compile(
    r"""(?P<sign>[+\-−]?)\s*
        (?: (?:(?P<whole>\d{1,6})[\s\-]+)? (?P<top>\d{1,4})\s*/\s*(?P<bottom>\d{1,4})
          | (?P<number>\d{1,8}(?:[.,]\d{0,8})?|[.,]\d{1,8}) )
        \s*(?P<unit>[a-zµμ.]+|"|”|″|'')?""",
    re.VERBOSE | re.IGNORECASE | re.ASCII,
)


class LengthError(ValueError):
    """The text is not a length; the message says what is accepted."""


@dataclass(frozen=True, slots=True)
class Display:
    """How lengths are written: the unit system, and whether long inches are fractions (of which denominator)."""

    system: System = "mm"
    denominator: int | None = 64

    def fine(self, um: float) -> str:
        """A small length such as a gap, with its unit: 0.01 mm or 0.0001 in."""
        return f"{self.fine_number(um)} {self.system}"

    def fine_number(self, um: float) -> str:
        """A small length without its unit: hundredths of a millimetre, or thousandths of an inch with their tenths:
        a hundredth of a millimetre is less than a thousandth.
        """
        if self.system == "mm":
            return _no_minus_zero(f"{um / UM_PER_MM:.2f}")
        return _no_minus_zero(f"{um / UM_PER_INCH:.4f}")

    def signed(self, um: float) -> str:
        """A small length with its sign and unit; zero has none."""
        return f"{self.signed_number(um)} {self.system}"

    def signed_number(self, um: float) -> str:
        """A small length with its sign; zero has none."""
        text = self.fine_number(abs(um))
        return text if not text.strip("0.") else ("+" if um > 0 else "−") + text

    def fine_mm(self, mm: float) -> str:
        """A small length given in millimetres, with its unit."""
        return self.fine(mm * UM_PER_MM)

    def long(self, um: float) -> str:
        """A scale, width or radius with its unit: tidy millimetres, or the nearest fraction with the remainder
        shown.
        """
        if self.system == "mm":
            return f"{_trimmed(um / UM_PER_MM, 3)} mm"
        if self.denominator is None:
            return f"{_trimmed(um / UM_PER_INCH, 4)} in"
        return fraction_of_inch(um, self.denominator)

    def radius(self, um: float) -> str:
        """A radius with its unit, as radii are said: whole millimetres; inches in halves, quarters or eighths where it
        is one of them within what a radius gauge tells, else in hundredths.
        """
        if self.system == "mm":
            return f"{_trimmed(um / UM_PER_MM, 1)} mm"
        for denominator in (2, 4, 8) if self.denominator else ():
            step = UM_PER_INCH / denominator
            if abs(um - round(um / step) * step) <= RADIUS_TOLD_UM:
                return fraction_of_inch(round(um / step) * step, denominator)
        return f"{_trimmed(um / UM_PER_INCH, 2)} in"

    def entry(self, um: float | None) -> str:
        """A length as an editable box shows it: a bare number or, where fractions are said, the fraction that it is
        exactly, in the unit beside the box; losing nothing.
        """
        if um is None:
            return ""
        if self.system == "mm":
            return _trimmed(um / UM_PER_MM, 3)
        if self.denominator is not None:
            parts = Fraction(round(um * self.denominator / UM_PER_INCH), self.denominator)
            if parts.denominator > 1 and round(parts * UM_PER_INCH) == um:
                return mixed_number(parts)
        return _trimmed(um / UM_PER_INCH, 5)


MM = Display()


def parse_length(text: str, system: System = "mm") -> int:
    """Whole micrometres of a typed length; a bare number is in `system`'s unit. Raises LengthError.

    A bare fraction is inches and is refused in millimetres unless it names its unit. The result is rounded half to
    even, once, from the exact value.
    """
    shown = text.strip()
    if not shown:
        raise LengthError(f"Nothing typed. Accepted: {ACCEPTED}")
    match = _LENGTH.fullmatch(shown)
    unit = (match["unit"] or "").lower() if match else ""
    if match is None or (unit and unit not in _UNITS):
        raise LengthError(f"“{shown[:40]}” is not a length. Accepted: {ACCEPTED}")
    if match["top"]:
        if int(match["bottom"]) == 0:
            raise LengthError(f"“{shown}” divides by zero. Accepted: {ACCEPTED}")
        if not unit and system == "mm":
            raise LengthError(f'“{shown}” is a fraction without its unit: type {shown}" or {shown} in')
        value = Fraction(int(match["top"]), int(match["bottom"])) + int(match["whole"] or 0)
    else:
        value = Fraction(match["number"].replace(",", ".").rstrip(".") or "0")
    value *= Fraction(_UNITS[unit] if unit else (UM_PER_MM if system == "mm" else UM_PER_INCH))
    return -round(value) if match["sign"] in ("-", "−") else round(value)


def fraction_of_inch(um: float, denominator: int = 64) -> str:
    """The nearest fraction of an inch in lowest terms, with what is left over in thousandths where there is one:
    `24 23/32 in +0.005`.
    """
    inches = Fraction(round(um)) / UM_PER_INCH
    nearest = Fraction(round(inches * denominator), denominator)
    rest = round(float(inches - nearest), 3)
    tail = f" {'+' if rest > 0 else '−'}{abs(rest):.3f}" if rest else ""
    return f"{mixed_number(nearest)} in{tail}"


def mixed_number(value: Fraction) -> str:
    """A fraction in lowest terms as a mixed number: `3 15/32`, `−1/4`, `12`."""
    whole, part = divmod(abs(value), 1)
    words = [str(whole)] if whole or not part else []
    if part:
        words.append(f"{part.numerator}/{part.denominator}")
    return f"{'−' if value < 0 else ''}{' '.join(words)}"


def _trimmed(value: float, places: int) -> str:
    text = f"{value:.{places}f}"
    return _no_minus_zero(text.rstrip("0").rstrip(".") if "." in text else text)


def _no_minus_zero(text: str) -> str:
    return text.replace("-", "") if not text.strip("-0.") else text.replace("-", "−")
