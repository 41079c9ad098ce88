"""An instrument's readings in an archive, for a spreadsheet to open. Nothing is read back from it."""

import csv
import io
from collections.abc import Mapping
from typing import Any

from deft_bench.formats.readings_csv import in_words, inert

SURVEY = ("survey", "kind", "when", "taken_at", "withdrawn_at")
READING = ("fret", "lane", "reading", "typed", "at", "by")


def readings_sheet(record: Mapping[str, Any]) -> str:
    """Every reading of a record that was ever accepted, as CSV text: surveys in their order, readings in the order of
    entry, a later one of a place correcting an earlier.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow((*SURVEY, *READING))
    for survey in record["surveys"]:
        kind = survey["kind"]
        head = [survey["uid"], kind, inert(survey["when"]), survey["taken_at"], survey["withdrawn_at"] or ""]
        for one in survey["readings"]:
            shown = in_words(one["value_um"], kind), inert(one["typed"]), one["at"], inert(one["by"] or "")
            writer.writerow([*head, one["fret"], one["lane"], *shown])
    return out.getvalue()
