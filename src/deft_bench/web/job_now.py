"""What a job wants next, whatever its kind: the sentence, where it is done, and the job's steps as tape."""

from dataclasses import dataclass

from flask import url_for

from deft_bench.core.level_job import now as level_now
from deft_bench.core.level_job import steps as level_steps
from deft_bench.core.refret import refret_now, refret_steps
from deft_bench.core.strings.setup_job import setup_now, setup_steps
from deft_bench.core.strings.setup_plan import string_names
from deft_bench.store import instruments, jobs, setups
from deft_bench.web.refretted import refret_facts
from deft_bench.web.setups import setup_facts
from deft_bench.web.support import db, display
from deft_bench.web.surveyed import facts_of

_PAGES = {"survey": "surveys.next_of", "after": "surveys.next_of", "close": "record.report", "closed": "record.report"}
_BUTTONS = {
    "survey": "Survey",
    "plan": "Read the call",
    "work": "Go to the plan",
    "after": "Survey again",
    "close": "Record",
}
_SETUP = {
    "intake": ("setup.intake", "Go on reading"),
    "solve": ("setup.show", "Solve"),
    "relief": ("neck.show", "Neck"),
    "nut": ("setup.nut", "Nut"),
    "saddle": ("setup.saddle", "Saddle"),
    "intonation": ("setup.intonation", "Intonation"),
    "buzz": ("setup.buzz", "Play"),
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
    if job.kind == "setup":
        code, say = setup_now(setup_facts(job, instrument), _names(instrument), display().fine_mm)
        return Now(code, say, _setup_page(code, job), _SETUP.get(code, ("", "Record"))[1])
    if job.kind == "work":
        return Now("work", "Go on by its run sheet.", url_for("sheet.show", job_id=job.id), "Run sheet")
    code, say = level_now(facts_of(job, instrument))
    return Now(code, say, url_for(_PAGES.get(code, "level.show"), job_id=job.id), _BUTTONS.get(code, "Record"))


def job_steps(job: jobs.Job | None, instrument: instruments.Instrument) -> list[JobStep]:
    """The job's steps with their state and where each is done, and the way back to its run sheet; none for an inspection."""
    if job is None or job.kind == "inspection":
        return []
    return [*_own_steps(job, instrument), JobStep("sheet", "Run sheet", "sheet", url_for("sheet.show", job_id=job.id))]


def _own_steps(job: jobs.Job, instrument: instruments.Instrument) -> list[JobStep]:
    if job.kind == "work":
        return []
    if job.kind == "refret":
        return [
            JobStep(step.code, step.title, step.state, url_for("level.show" if step.code == "level" else "refret.show", job_id=job.id))
            for step in refret_steps(refret_facts(job, instrument))
        ]  # fmt: skip
    if job.kind == "setup":
        return [
            JobStep(step.code, step.title, step.state, _setup_page(step.code, job))
            for step in setup_steps(setup_facts(job, instrument), _names(instrument), display().fine_mm)
        ]
    return [
        JobStep(step.code, step.title, step.state, url_for(_PAGES.get(step.code, "level.show"), job_id=job.id))
        for step in level_steps(facts_of(job, instrument))
    ]


def _names(instrument: instruments.Instrument) -> dict[int, str]:
    return string_names(setups.plan_of(db(), instrument.id, instrument.spec))


def _setup_page(code: str, job: jobs.Job) -> str:
    if code not in _SETUP:
        return url_for("record.report", job_id=job.id)
    page = _SETUP[code][0]
    if page == "neck.show":
        return url_for(page, instrument_id=job.instrument_id, aim="playing")
    return url_for(page, instrument_id=job.instrument_id)
