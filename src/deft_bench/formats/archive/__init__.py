"""The whole bench in one ZIP file of open formats, and back (docs/formats/bench-archive.md)."""

from deft_bench.formats.archive.layout import ArchiveError
from deft_bench.formats.archive.reading import AskError, Brought, HereAlready, bring_in
from deft_bench.formats.archive.writing import write_archive

__all__ = ["ArchiveError", "AskError", "Brought", "HereAlready", "bring_in", "write_archive"]
