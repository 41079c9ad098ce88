"""The kinds of job that a bench takes in, and what stands against opening one."""

from datetime import date

from deft_bench.core.survey_kinds import ACTION_FRET
from deft_bench.core.times import day_words

JOB_KINDS: dict[str, str] = {
    "level_and_dress": "Level and dress",
    "refret": "Refret",
    "setup": "Setup",
    "work": "Other work, by its run sheet",
    "inspection": "Inspection",
}

OPENED = ("level_and_dress", "refret", "setup", "work")
"""Kinds that are opened with a promised date; an inspection is opened and closed at once."""


def opening_problem(kind: str, promised_on: str | None, today: date, frets: int) -> list[str]:
    """Why a job cannot be opened with a promised date (YYYY-MM-DD) on an instrument of so many frets; empty when it
    can.
    """
    wrong = []
    if promised_on is not None and promised_on < today.isoformat():
        said = day_words(date.fromisoformat(promised_on), today.year)
        wrong.append(f"{said} is before it comes in today: give today or a later day, or none.")
    if kind == "setup" and frets < ACTION_FRET:
        wrong.append(f"A setup is calculated from {ACTION_FRET} frets on: this board has {frets}.")
    return wrong


JOB_EVENTS = ("closed", "reopened", "withdrawn", "put_back", "taken_back", "signed_off", "asked_again")
"""What becomes of a job, as its record keeps it."""
