"""A whole instrument record as one JSON document, out and in, losing nothing. See docs/formats/record-json.md."""

from deft_bench.formats.record.export import export_record
from deft_bench.formats.record.reading import MOST_BYTES, AlreadyHereError, import_record

__all__ = ["MOST_BYTES", "AlreadyHereError", "export_record", "import_record"]
