"""What a job wants next, whatever its kind: the sentence, where it is done, and the job's steps as tape."""

from dataclasses import dataclass

from flask import url_for

from deft_bench.core.level_job import now as level_now
from deft_bench.core.level_job import steps as level_steps
from deft_bench.core.refret import refret_now, refret_steps
from deft_bench.store import instruments, jobs
from deft_bench.web.refretted import refret_facts
from deft_bench.web.support import display
from deft_bench.web.surveyed import facts_of

_PAGES = {"survey": "surveys.next_of", "after": "surveys.next_of", "close": "record.report", "closed": "record.report"}
_BUTTONS = {
    "survey": "Survey",
    "plan": "Read the call",
    "work": "Go to the plan",
    "after": "Survey again",
    "close": "Record",
}


@dataclass(frozen=True, slots=True)
class JobStep:
    """One step of a job on its tape."""

    code: str
    title: str
    state: str
    href: str


@dataclass(frozen=True, slots=True)
class Now:
    """What to do now: its code, the sentence, where, and what the button there says."""

    code: str
    say: str
    href: str
    button: str


def job_now(job: jobs.Job, instrument: instruments.Instrument) -> Now:
    """The step to do now in a job."""
    if job.kind == "refret":
        code, say = refret_now(refret_facts(job, instrument), display().fine_mm)
        page = {"level": "level.show", "closed": "record.report"}.get(code, "refret.show")
        return Now(code, say, url_for(page, job_id=job.id), "Level" if code == "level" else "Go to the refret")
    code, say = level_now(facts_of(job, instrument))
    return Now(code, say, url_for(_PAGES.get(code, "level.show"), job_id=job.id), _BUTTONS.get(code, "Record"))


def job_steps(job: jobs.Job | None, instrument: instruments.Instrument) -> list[JobStep]:
    """The job's steps with their state and where each is done; none for an inspection."""
    if job is None or job.kind == "inspection":
        return []
    if job.kind == "refret":
        return [
            JobStep(step.code, step.title, step.state, url_for("level.show" if step.code == "level" else "refret.show", job_id=job.id))
            for step in refret_steps(refret_facts(job, instrument))
        ]  # fmt: skip
    return [
        JobStep(step.code, step.title, step.state, url_for(_PAGES.get(step.code, "level.show"), job_id=job.id))
        for step in level_steps(facts_of(job, instrument))
    ]
