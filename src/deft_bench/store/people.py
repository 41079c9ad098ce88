"""Who is at the bench, and who entered what: a name beside a row, where somebody had said who they are."""

from collections.abc import Iterator
from contextlib import contextmanager

from deft_bench.store.database import Connection

MOST_NAME = 60
OWNERS = {
    "reading": "survey_id",
    "neck_act": "job_id",
    "sheet_event": "job_id",
    "job_event": "job_id",
    "accepted_plan": "job_id",
    "rod_turn": "instrument_id",
}
"""Tables whose rows are told with their people, and what they belong to."""


def sign(db: Connection, what: str, row_id: int | None) -> None:
    """Put the name of whoever is at the bench beside a row that was just entered; nothing where nobody said."""
    person = getattr(db, "person", "")
    if person and row_id:
        # a plan may be carried out, taken back and carried out again: the last one counts
        db.execute("INSERT OR REPLACE INTO entered_by (what, row_id, person) VALUES (?, ?, ?)", (what, row_id, person))


@contextmanager
def signed_as(db: Connection, person: str | None) -> Iterator[None]:
    """What is entered in the block was entered by somebody else, or by nobody who is known."""
    here, db.person = getattr(db, "person", ""), person or ""
    try:
        yield
    finally:
        db.person = here


def people(db: Connection, what: str, owner_id: int) -> list[str | None]:
    """Who entered each row of a table that belongs to a survey, job or instrument, in order of entry; None where it is
    not known. Raises KeyError for another table.
    """
    rows = db.execute(
        f"SELECT p.person FROM {what} t LEFT JOIN entered_by p ON p.what = ? AND p.row_id = t.id"
        f" WHERE t.{OWNERS[what]} = ? ORDER BY t.id",
        (what, owner_id),
    )
    return [row[0] for row in rows]


def person_of(db: Connection, what: str, row_id: int) -> str | None:
    """Who entered one row."""
    row = db.execute("SELECT person FROM entered_by WHERE what = ? AND row_id = ?", (what, row_id)).fetchone()
    return None if row is None else str(row[0])


def readers(db: Connection, survey_id: int) -> dict[str, int]:
    """How many readings of a survey each person took, whoever began first."""
    rows = db.execute(
        "SELECT p.person, count(*) FROM reading r JOIN entered_by p ON p.what = 'reading' AND p.row_id = r.id"
        " WHERE r.survey_id = ? GROUP BY 1 ORDER BY min(r.id)",
        (survey_id,),
    )
    return {row[0]: row[1] for row in rows}


def finished_by(db: Connection, job_id: int) -> dict[str, str]:
    """Who finished each step of a job's run sheet, by the step's code; the last one counts."""
    rows = db.execute(
        "SELECT e.step, p.person FROM sheet_event e JOIN entered_by p ON p.what = 'sheet_event' AND p.row_id = e.id"
        " WHERE e.job_id = ? AND e.kind = 'finished' ORDER BY e.id",
        (job_id,),
    )
    return {row[0]: row[1] for row in rows}
