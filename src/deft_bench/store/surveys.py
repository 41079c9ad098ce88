"""Surveys and their readings. A reading is never overwritten: a correction is a new row that names the one it
replaces.
"""

import json
import sqlite3
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import astuple, dataclass
from typing import Any

from deft_bench.core.survey import SurveyHead
from deft_bench.core.survey_kinds import Place
from deft_bench.store.database import Connection, new_uid, transaction
from deft_bench.store.people import sign, signed_as


@dataclass(frozen=True, slots=True)
class Survey:
    """A stored survey. `frets` is the number of frets that the instrument had when it was read. A withdrawn one was
    started by mistake: it stays in the record and counts for nothing.
    """

    id: int
    uid: str
    instrument_id: int
    job_id: int | None
    frets: int
    taken_at: str
    head: SurveyHead
    withdrawn_at: str | None = None


@dataclass(frozen=True, slots=True)
class Reading:
    """One accepted reading in whole micrometres (of cents in hundredths, of a test 1 or 0); None was withdrawn.
    `replaces` is the reading it corrects.
    """

    id: int
    lane: str
    fret: int
    value_um: int | None
    typed: str
    at: str
    replaces: int | None
    token: str | None = None


class ReadingConflictError(Exception):
    """Another window has accepted a reading here since this page last saw it."""

    def __init__(self, current: Reading | None) -> None:
        self.current = current
        super().__init__("read in another window")


_SURVEY = """SELECT id, uid, instrument_id, job_id, frets, taken_at, kind, "when", method, surface, tool, resolution_um,
    string_state, temperature_c, humidity, reading_order, note, strings, at_frets, strokes, blades_um, reach, spread_um,
    withdrawn_at FROM survey"""
_OF = f"{_SURVEY} WHERE instrument_id = ? AND (withdrawn_at IS NULL OR ?)"
_READING = "SELECT r.id, r.lane, r.fret, r.value_um, r.typed, r.at, r.replaces, r.token FROM reading r"
_HEAD = (
    "kind",
    "when",
    "method",
    "surface",
    "tool",
    "resolution_um",
    "string_state",
    "temperature_c",
    "humidity",
    "strings",
    "strokes",
    "reach",
    "spread_um",
)


def _survey(row: Any) -> Survey:
    head = SurveyHead(
        **{name: row[name] for name in _HEAD},
        order=row["reading_order"],
        note=row["note"],
        at_frets=tuple(json.loads(row["at_frets"])),
        blades_um=tuple(json.loads(row["blades_um"])),
    )
    of = {name: row[name] for name in ("id", "uid", "instrument_id", "job_id", "frets", "taken_at", "withdrawn_at")}
    return Survey(**of, head=head)


def _reading(row: Any) -> Reading:
    return Reading(*row)


def start(
    db: Connection,
    instrument_id: int,
    job_id: int | None,
    frets: int,
    head: SurveyHead,
    at: str,
    uid: str | None = None,
) -> int:
    """Start a survey and return its id."""
    with transaction(db):
        cursor = db.execute(
            'INSERT INTO survey (uid, instrument_id, job_id, frets, taken_at, kind, "when", method, surface, tool,'
            " resolution_um, string_state, temperature_c, humidity, strings, strokes, reach, spread_um, reading_order,"
            " note, at_frets, blades_um)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (
                uid or new_uid(),
                instrument_id,
                job_id,
                frets,
                at,
                *(getattr(head, name) for name in _HEAD),
                head.order,
                head.note,
                json.dumps(head.at_frets),
                json.dumps(head.blades_um),
            ),
        )
        return int(cursor.lastrowid or 0)


def get(db: Connection, survey_id: int) -> Survey:
    """One survey; raises KeyError when there is none."""
    row = db.execute(f"{_SURVEY} WHERE id = ?", (survey_id,)).fetchone()
    if row is None:
        raise KeyError(survey_id)
    return _survey(row)


def of_job(db: Connection, job_id: int) -> list[Survey]:
    """A job's surveys, oldest first."""
    rows = db.execute(f"{_SURVEY} WHERE job_id = ? AND withdrawn_at IS NULL ORDER BY id", (job_id,))
    return [_survey(row) for row in rows]


def of_instrument(
    db: Connection, instrument_id: int, kind: str | None = None, limit: int = 12, *, withdrawn: bool = False
) -> list[Survey]:
    """The latest surveys of an instrument, newest first; with `withdrawn` those started by mistake too."""
    if kind is None:
        rows = db.execute(f"{_OF} ORDER BY taken_at DESC, id DESC LIMIT ?", (instrument_id, withdrawn, limit))
    else:
        rows = db.execute(
            f"{_OF} AND kind = ? ORDER BY taken_at DESC, id DESC LIMIT ?", (instrument_id, withdrawn, kind, limit)
        )
    return [_survey(row) for row in rows]


def last_head(db: Connection, kind: str) -> SurveyHead | None:
    """How the shop read the last survey of a kind, practice left out; None before the first."""
    row = db.execute(
        f"{_SURVEY} WHERE kind = ? AND withdrawn_at IS NULL AND NOT EXISTS"
        " (SELECT 1 FROM practice_neck p WHERE p.instrument_id = survey.instrument_id) ORDER BY id DESC LIMIT 1",
        (kind,),
    ).fetchone()
    return _survey(row).head if row else None


def readings(db: Connection, survey_id: int) -> dict[Place, Reading]:
    """The current reading of every place that has one; withdrawn ones are left out."""
    rows = db.execute(
        f"{_READING} WHERE r.survey_id = ? AND r.value_um IS NOT NULL"
        " AND NOT EXISTS (SELECT 1 FROM reading n WHERE n.replaces = r.id)",
        (survey_id,),
    )
    return {(row["lane"], row["fret"]): _reading(row) for row in rows}


def values(db: Connection, survey_id: int) -> dict[Place, int | None]:
    """The current value of every place that has one, in micrometres."""
    return {place: reading.value_um for place, reading in readings(db, survey_id).items()}


def values_at(db: Connection, survey_id: int, at: str) -> tuple[dict[Place, int | None], str | None]:
    """What stood at every place at a moment, µm or an answer's number (None where it was withdrawn), and since when the
    survey was read; None where it was not yet.
    """
    rows = db.execute(
        "SELECT lane, fret, value_um, at FROM reading WHERE survey_id = ? AND at <= ? ORDER BY id", (survey_id, at)
    ).fetchall()
    values = {(row["lane"], row["fret"]): row["value_um"] for row in rows}
    return values, min((row["at"] for row in rows), default=None)


def read_from(db: Connection, survey_id: int) -> str | None:
    """When the oldest of a survey's current readings was taken; None when it holds none."""
    row = db.execute(
        "SELECT min(r.at) FROM reading r WHERE r.survey_id = ? AND r.value_um IS NOT NULL"
        " AND NOT EXISTS (SELECT 1 FROM reading n WHERE n.replaces = r.id)",
        (survey_id,),
    ).fetchone()
    return None if row[0] is None else str(row[0])


def history(db: Connection, survey_id: int) -> list[Reading]:
    """Every reading that was ever accepted in a survey, corrections and withdrawals too, in order."""
    return [_reading(row) for row in db.execute(f"{_READING} WHERE r.survey_id = ? ORDER BY r.id", (survey_id,))]


def since(db: Connection, survey_id: int, reading_id: int) -> list[Reading]:
    """What was accepted after a reading (0: everything), in order."""
    rows = db.execute(f"{_READING} WHERE r.survey_id = ? AND r.id > ? ORDER BY r.id", (survey_id, reading_id))
    return [_reading(row) for row in rows]


def _head_of(db: Connection, survey_id: int, place: Place) -> Reading | None:
    row = db.execute(
        f"{_READING} WHERE r.survey_id = ? AND r.lane = ? AND r.fret = ?"
        " AND NOT EXISTS (SELECT 1 FROM reading n WHERE n.replaces = r.id)",
        (survey_id, *place),
    ).fetchone()
    return _reading(row) if row else None


def accept(
    db: Connection,
    survey_id: int,
    place: Place,
    value_um: int | None,
    typed: str,
    at: str,
    *,
    token: str,
    expects: int | None,
) -> Reading:
    """Save one reading at once; the same token again returns the reading it made the first time.

    `expects` is the id of the reading that the page showed here (None: none). When there is another one by now,
    ReadingConflictError is raised and nothing is written: two windows never overwrite each other silently.
    """
    with transaction(db):
        made = db.execute(f"{_READING} WHERE r.token = ? AND r.survey_id = ?", (token, survey_id)).fetchone()
        if made is not None:
            return _reading(made)
        current = _head_of(db, survey_id, place)
        shown = None if current is None or current.value_um is None else current.id
        if shown != expects:
            raise ReadingConflictError(current)
        try:
            cursor = db.execute(
                "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at, replaces, token)"
                " VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
                (survey_id, *place, value_um, typed, at, current.id if current else None, token),
            )
        except sqlite3.IntegrityError as error:
            raise ReadingConflictError(current) from error
        sign(db, "reading", cursor.lastrowid)
    return Reading(int(cursor.lastrowid or 0), *place, value_um, typed, at, current.id if current else None, token)


def add_many(db: Connection, survey_id: int, rows: Iterable[tuple[Place, int, str]], at: str) -> int:
    """Save a sheet of readings in one transaction, each as a correction where there is one; returns how many
    changed.
    """
    with transaction(db):
        count = 0
        for place, value_um, typed in rows:
            current = _head_of(db, survey_id, place)
            if current is not None and current.value_um == value_um:
                continue
            cursor = db.execute(
                "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at, replaces) VALUES (?, ?, ?, ?, ?,"
                " ?, ?)",
                (survey_id, *place, value_um, typed, at, current.id if current else None),
            )
            sign(db, "reading", cursor.lastrowid)
            count += 1
        return count


def keep_history(db: Connection, survey_id: int, chain: Sequence[Mapping[str, Any]]) -> None:
    """Store an imported survey's readings in order; `replaces` is an index into the same chain, or None."""
    ids: list[int] = []
    for item in chain:
        replaced = None if item["replaces"] is None else ids[item["replaces"]]
        cursor = db.execute(
            "INSERT INTO reading (survey_id, lane, fret, value_um, typed, at, replaces) VALUES (?, ?, ?, ?, ?, ?, ?)",
            (survey_id, item["lane"], item["fret"], item["value_um"], item["typed"], item["at"], replaced),
        )
        ids.append(int(cursor.lastrowid or 0))
        with signed_as(db, item["by"]):
            sign(db, "reading", ids[-1])


def counts(db: Connection, survey_ids: Sequence[int]) -> dict[int, int]:
    """How many places of each survey have a reading."""
    marks = ", ".join("?" * len(survey_ids))
    rows = db.execute(
        f"SELECT r.survey_id, count(*) FROM reading r WHERE r.survey_id IN ({marks}) AND r.value_um IS NOT NULL"
        " AND NOT EXISTS (SELECT 1 FROM reading n WHERE n.replaces = r.id) GROUP BY r.survey_id",
        list(survey_ids),
    )
    found = dict.fromkeys(survey_ids, 0)
    found.update({row[0]: row[1] for row in rows})
    return found


@dataclass(frozen=True, slots=True)
class Sounded:
    """One note as the microphone heard it: string, what was played (open, harmonic, fretted), its fret, its first
    partial in Hz, and how well that is known, cents (None: not kept). `ear` is what it has of a buzz (None: not told).
    """

    string: int
    what: str
    fret: int
    hz: float
    confidence: float
    at: str
    sd_cents: float | None = None
    ear: Sequence[float] | None = None


def add_sounded(db: Connection, survey_id: int, note: Sounded) -> None:
    """Keep a heard note."""
    with transaction(db):
        db.execute(
            "INSERT INTO sounded (survey_id, string, what, fret, hz, confidence, at, sd_cents, ear)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            (survey_id, *astuple(note)[:-1], None if note.ear is None else json.dumps(note.ear)),
        )


def sounded(db: Connection, survey_id: int, *, ear: bool = False) -> list[Sounded]:
    """Every heard note of a survey in order; the last of each place counts. What it has of a buzz only with `ear`."""
    rows = db.execute(
        "SELECT string, what, fret, hz, confidence, at, sd_cents, iif(?, ear, NULL) AS ear FROM sounded"
        " WHERE survey_id = ? ORDER BY id",
        (ear, survey_id),
    )
    return [_sounded(row) for row in rows]


def _sounded(row: Any) -> Sounded:
    return Sounded(**(dict(row) | {"ear": None if row["ear"] is None else json.loads(row["ear"])}))
