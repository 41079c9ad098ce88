"""The kinds of job that a bench takes in."""

JOB_KINDS: dict[str, str] = {
    "level_and_dress": "Level and dress",
    "refret": "Refret",
    "setup": "Setup",
    "inspection": "Inspection",
}

OPENED = ("level_and_dress", "refret", "setup")
"""Kinds that are opened with a promised date; an inspection is opened and closed at once."""
