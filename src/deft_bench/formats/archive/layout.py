"""How an archive is laid out: its parts by name, and what its manifest says of them."""

from dataclasses import dataclass
from typing import Any

FORMAT, VERSION = "deft-bench-archive", 1
MANIFEST = "manifest.json"
TABLES, PHOTOGRAPHS, RECORDS, SHEETS = "tables/", "photographs/", "instruments/", "spreadsheets/"
MOST_BYTES = 8 * 1024**3
"""Unpacked, all in all: ten years of a busy bench with a photograph of every fret are less."""
MOST_OF_A_MANIFEST = 32 * 1024**2

SCHEMA: dict[str, Any] = {
    "type": "object",
    "properties": {
        "format": {"const": FORMAT},
        "version": {"type": "integer", "minimum": 1},
        "schema": {"type": "integer", "minimum": 1},
        "program": {"type": "string", "maxLength": 40},
        "made_at": {"type": "string", "format": "moment", "maxLength": 40},
        "files": {
            "type": "object",
            "additionalProperties": {
                "type": "object",
                "properties": {
                    "sha256": {"type": "string", "pattern": "^[0-9a-f]{64}$"},
                    "bytes": {"type": "integer", "minimum": 0},
                },
                "required": ["sha256", "bytes"],
                "additionalProperties": False,
            },
        },
    },
    "required": ["format", "version", "schema", "program", "made_at", "files"],
    "additionalProperties": False,
}


class ArchiveError(Exception):
    """An archive that cannot be read; the message says why. Nothing was brought in."""


@dataclass(frozen=True, slots=True)
class Part:
    """A part of an archive as its manifest has it."""

    sha256: str
    bytes: int


def table_part(table: str) -> str:
    """Where a table's rows stand."""
    return f"{TABLES}{table}.jsonl"


def photograph_part(sha256: str) -> str:
    """Where a photograph stands."""
    return f"{PHOTOGRAPHS}{sha256}.jpg"
