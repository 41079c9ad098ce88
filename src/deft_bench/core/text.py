"""What may stand in a name or a note: characters that a person can type and read, nothing that steers a machine or a
screen.
"""

import unicodedata

_BARRED = {"Cc", "Cs", "Zl", "Zp"}
"""Unicode general categories: control, lone surrogate, line and paragraph separator."""
_LINE_BREAKS = frozenset("\t\n\r")

ONE_LINE = "It holds a line break or another control character: accepted is one line of ordinary text."
LINES = "It holds a control character: accepted is ordinary text."


def barred(text: str, *, lines: bool = False) -> str | None:
    """Why a text cannot be a name (or, with `lines`, a note of several lines), in a sentence; None when it can."""
    for character in text:
        if unicodedata.category(character) in _BARRED and not (lines and character in _LINE_BREAKS):
            return LINES if lines else ONE_LINE
    return None


def printable(text: str) -> str:
    """A text from an older record with every barred character made a space."""
    return "".join(" " if barred(character) else character for character in text)
