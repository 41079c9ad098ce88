"""What was confirmed of notes that the machine's ear has heard; a row is never changed, the last of a note counts."""

import json
from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.store.database import Connection, transaction


@dataclass(frozen=True, slots=True)
class EarNote:
    """A note that was heard: its row, what was played when, what it has of a buzz, and whether it was confirmed to
    buzz (None: not yet).
    """

    id: int
    string: int
    fret: int
    at: str
    figures: Sequence[float]
    buzzes: bool | None


def notes(db: Connection, survey_id: int) -> list[EarNote]:
    """The last of every place of a survey that was played as a note, not as a harmonic, in the order of its places."""
    rows = db.execute(
        "SELECT s.id, s.string, s.fret, s.at, s.ear, (SELECT c.buzzes FROM ear_confirmed c WHERE c.sounded_id = s.id"
        " ORDER BY c.id DESC LIMIT 1) AS buzzes FROM sounded s WHERE s.survey_id = ? AND s.what <> 'harmonic'"
        " AND s.ear IS NOT NULL AND NOT EXISTS (SELECT 1 FROM sounded n WHERE n.survey_id = s.survey_id"
        " AND n.string = s.string AND n.what = s.what AND n.fret = s.fret AND n.id > s.id) ORDER BY s.string, s.fret",
        (survey_id,),
    )
    of = {None: None, 0: False, 1: True}
    return [
        EarNote(row["id"], row["string"], row["fret"], row["at"], json.loads(row["ear"]), of[row["buzzes"]])
        for row in rows
    ]


def confirm(db: Connection, sounded_id: int, buzzes: bool, log_odds: float, at: str, *, alone: bool) -> None:
    """Keep what was confirmed of a note, with the log odds that it was offered at, alone or with others at once."""
    with transaction(db):
        db.execute(
            "INSERT INTO ear_confirmed (sounded_id, buzzes, log_odds, alone, at) VALUES (?, ?, ?, ?, ?)",
            (sounded_id, buzzes, log_odds, alone, at),
        )


def lessons(db: Connection) -> list[tuple[float, bool]]:
    """Every note that was asked about alone: the log odds that it was offered at, and whether it buzzed; of practice
    necks none.
    """
    rows = db.execute(
        "SELECT c.log_odds, c.buzzes FROM ear_confirmed c WHERE c.alone AND NOT EXISTS"
        " (SELECT 1 FROM ear_confirmed n WHERE n.sounded_id = c.sounded_id AND n.id > c.id) AND NOT EXISTS"
        " (SELECT 1 FROM sounded s JOIN survey v ON v.id = s.survey_id JOIN practice_neck p"
        " ON p.instrument_id = v.instrument_id WHERE s.id = c.sounded_id) ORDER BY c.id"
    )
    return [(float(row[0]), bool(row[1])) for row in rows]
