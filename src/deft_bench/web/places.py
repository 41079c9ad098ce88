"""Where each place of the work is among the pages: the same names for a job's steps and for an operation's `page`."""

from dataclasses import dataclass

from flask import url_for

from deft_bench.bench.next_step import job_steps, next_step
from deft_bench.store import instruments, jobs
from deft_bench.web.support import db, settings

OF_JOB = {
    "level": "level.show",
    "dress": "dress.show",
    "refret": "refret.show",
    "sheet": "sheet.show",
    "record": "record.report",
    "survey": "surveys.next_of",
}
OF_INSTRUMENT = {
    "board": "board.show",
    "setup": "setup.show",
    "nut": "setup.nut",
    "saddle": "setup.saddle",
    "intonation": "setup.intonation",
    "buzz": "setup.buzz",
}
SURVEYS = {"seating": "seating", "slots": "slot_depth"}


@dataclass(frozen=True, slots=True)
class LinkedStep:
    """A step of a job's tape with its address."""

    code: str
    title: str
    state: str
    href: str


@dataclass(frozen=True, slots=True)
class LinkedNext:
    """What to do now in a job, with its address."""

    code: str
    say: str
    href: str
    button: str


def address(place: str, job: jobs.Job) -> str:
    """The page of a place for a job; empty for a place that is on no page."""
    if place == "survey" and job.kind == "setup":
        return url_for("setup.intake", instrument_id=job.instrument_id)
    if place == "neck":
        aim = "playing" if job.kind == "setup" else "fretwork"
        return url_for("neck.show", instrument_id=job.instrument_id, aim=aim)
    if place in SURVEYS:
        return url_for("surveys.new", job_id=job.id, kind=SURVEYS[place])
    if place in OF_INSTRUMENT:
        return url_for(OF_INSTRUMENT[place], instrument_id=job.instrument_id)
    return url_for(OF_JOB[place], job_id=job.id) if place in OF_JOB else ""


def linked_steps(job: jobs.Job | None, instrument: instruments.Instrument) -> list[LinkedStep]:
    """The job's steps for its tape."""
    if job is None:
        return []
    return [
        LinkedStep(step.code, step.title, step.state, address(step.place, job))
        for step in job_steps(db(), settings(), job, instrument)
    ]


def linked_next(job: jobs.Job, instrument: instruments.Instrument) -> LinkedNext:
    """The step to do now, with where it is done."""
    step = next_step(db(), settings(), job, instrument)
    return LinkedNext(step.code, step.say, address(step.place, job), step.button)
