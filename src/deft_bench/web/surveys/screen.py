"""The blueprint of the survey screens, and the step of a job's tape that a survey belongs to."""

from flask import Blueprint

from deft_bench.store import jobs

screen = Blueprint(
    "surveys", __name__, template_folder="templates", static_folder="static", static_url_path="/surveys/static"
)

REFRET_STEPS = {"slot_depth": "slots", "seating": "seat", "straightness": "straight", "sprout": "ends"}
SETUP_STEPS = {"straightness": "relief", "strings": "saddle"}
"""Which step of a job's tape a kind of survey belongs to."""


def tape_at(job: jobs.Job | None, kind: str, when: str) -> str:
    """Which step of the job's tape a survey belongs to."""
    if job is not None and job.kind == "refret":
        return REFRET_STEPS.get(kind, "level")
    if job is not None and job.kind == "setup":
        return "intake" if when == "before" else SETUP_STEPS.get(kind, kind)
    return "after" if when == "after" else "survey"
