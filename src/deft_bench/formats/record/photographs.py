"""The photographs of a record's notes: decoded, and cleaned of all but the picture."""

import base64
import re

from deft_bench.formats.photograph import reencode
from deft_bench.store import (
    notes,
)


def photograph(text: str | None) -> notes.Photo | None:
    if text is None:
        return None
    raw = base64.b64decode(text, validate=True)
    jpeg, width, height = reencode(raw)
    # one of our own exports is clean already: keep its very bytes, so that export and import are inverse
    return notes.Photo(raw if _is_clean_jpeg(raw) else jpeg, width, height)


def _is_clean_jpeg(raw: bytes) -> bool:
    """Whether a JPEG holds no segment but what decoding needs (no EXIF, profile or comment)."""
    if raw[:2] != b"\xff\xd8" or not raw.endswith(b"\xff\xd9"):
        return False
    at = 2
    while at + 4 <= len(raw) and raw[at] == 0xFF:
        kind, size = raw[at + 1], int.from_bytes(raw[at + 2 : at + 4], "big")
        if kind == 0xDA:
            # after the scan starts only its own data may follow, up to the end mark
            return re.search(rb"\xff[\xe1-\xef\xfe]", raw[at:]) is None
        if kind == 0xFE or 0xE1 <= kind <= 0xEF:
            return False
        at += 2 + size
    return False
