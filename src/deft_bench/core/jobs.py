"""The kinds of job that a bench takes in."""

JOB_KINDS: dict[str, str] = {
    "level_and_dress": "Level and dress",
    "refret": "Refret",
    "setup": "Setup",
    "work": "Other work, by its run sheet",
    "inspection": "Inspection",
}

OPENED = ("level_and_dress", "refret", "setup", "work")
"""Kinds that are opened with a promised date; an inspection is opened and closed at once."""
